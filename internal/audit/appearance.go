package audit

import (
	"strings"

	"tachyform/internal/manifest"
	"tachyform/internal/page"
	"tachyform/internal/target"
)

// Appearance is what a person meets on a target who installs the app there. Empty members say that the target shows
// nothing of its own.
type Appearance struct {
	// Label is the text under the icon, or in the list of programs.
	Label string `json:"label"`
	// Icon is the address of the picture, "" where a letter or a screenshot takes its place.
	Icon string `json:"icon"`
	// Opens is the display mode: standalone, fullscreen, minimal-ui, or browser for an ordinary tab.
	Opens string `json:"opens"`
	// Splash says what is shown while the app starts.
	Splash string `json:"splash,omitempty"`
	// Bar is the colour or style of the bar above the page, as far as the app says.
	Bar string `json:"bar,omitempty"`
	// Storage says what the app begins with, where that is not what the browser has.
	Storage string `json:"storage,omitempty"`
}

// addAppearances fills in what people meet on each target; doc is the entry page.
func (a *auditor) addAppearances(doc *page.Document) {
	var p *manifest.Processed
	if m := a.report.Manifest; m != nil {
		p = m.Processed
	}
	if p == nil || doc == nil {
		return
	}
	short := p.ShortName
	if short == "" {
		short = p.Name
	}
	long := p.Name
	if long == "" {
		long = p.ShortName
	}
	touch := ""
	if t, ok := doc.Link("apple-touch-icon"); ok {
		touch, _ = page.Resolve(doc.Base, t.Attr["href"])
	}
	opens := p.ShownDisplay
	for name, v := range a.report.Targets {
		s := &Appearance{Label: short, Icon: largestIcon(p, "any", "maskable"), Opens: opens}
		if p.ThemeColor != "" && strings.HasPrefix(name, "chromium") {
			s.Bar = p.ThemeColor
		}
		switch name {
		case target.ChromiumAndroid, target.FirefoxAndroid:
			if icon := largestIcon(p, "maskable"); icon != "" {
				s.Icon = icon
			}
			ground := p.BackgroundColor
			if ground == "" {
				ground = "white"
			}
			s.Splash = "icon and name on " + ground
		case target.ChromiumDesktop:
			s.Label = long
		case target.SafariIOS, target.SafariMacOS:
			if t, ok := doc.Meta("apple-mobile-web-app-title"); ok && t.Attr["content"] != "" && name == target.SafariIOS {
				s.Label = t.Attr["content"]
			}
			if touch != "" {
				s.Icon = touch
			}
			if t, ok := doc.Meta("theme-color"); ok {
				s.Bar = t.Attr["content"]
			}
			if t, ok := doc.Meta("apple-mobile-web-app-status-bar-style"); ok && name == target.SafariIOS {
				s.Bar = t.Attr["content"]
			}
			s.Storage = "of its own: signed out, and nothing kept until it was open online once"
			if s.Opens == "minimal-ui" {
				s.Opens = "browser"
			}
			for _, t := range doc.LinkTags {
				if t.Rel("apple-touch-startup-image") && name == target.SafariIOS {
					s.Splash = "the startup image for the screen"
				}
			}
		}
		s.Icon = a.local(s.Icon)
		v.Sees = s
	}
}
