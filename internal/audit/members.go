package audit

import (
	"fmt"

	"tachyform/internal/icon"
	"tachyform/internal/manifest"
	"tachyform/internal/page"
	"tachyform/internal/site"
	"tachyform/internal/target"
	"tachyform/internal/weburl"
)

// checkMembers judges what the manifest promises beyond the icons: pages that it opens, pictures that it shows, names and colours.
func (a *auditor) checkMembers(p *manifest.Processed, murl string, doc *page.Document, member func(string) Where) {
	if p.StartURLValid {
		if resp, final := a.follow(p.StartURL); resp == nil || resp.Status >= 400 {
			a.find("app.start-answer", member("start_url"), a.local(p.StartURL)+": "+answerText(resp), "")
		} else if weburl.WithoutQuery(final) != weburl.WithoutQuery(p.StartURL) {
			a.find("app.start-answer", member("start_url"), a.local(p.StartURL)+" redirects to "+a.local(final), "write "+a.local(final)+" as start_url")
		}
	}
	for _, s := range p.Shortcuts {
		if resp, _ := a.follow(s.URL); resp == nil || resp.Status >= 400 {
			a.find("app.shortcut", member("shortcuts"), fmt.Sprintf("the shortcut %q leads to %s: %s", s.Name, a.local(s.URL), answerText(resp)), "")
		}
	}
	for _, s := range p.Shortcuts {
		for _, i := range s.Icons {
			if resp, _ := a.follow(i.Src); resp == nil || resp.Status >= 400 {
				a.find("icon.missing", member("shortcuts"), fmt.Sprintf("%s of the shortcut %q: %s", a.local(i.Src), s.Name, answerText(resp)), "")
			}
		}
	}
	for _, s := range p.Screenshots {
		if why := a.screenshot(s); why != "" {
			a.find("app.screenshot", a.place(murl, s.Line, s.Column), a.local(s.Src)+" "+why, "")
		}
	}
	a.checkPresentation(p, doc, member)
	short := p.ShortName
	where := member("short_name")
	if short == "" {
		short, where = p.Name, member("name")
	}
	if n := len([]rune(short)); n > icon.LabelLength {
		a.find("app.cut", where, fmt.Sprintf("%q has %d characters; under an icon people read %q", short, n, string([]rune(short)[:icon.LabelLength])+"…"), "")
	}
	if tag, ok := doc.Meta("theme-color"); ok && p.ThemeColor != "" && tag.Attr["media"] == "" {
		if c, ok := manifest.ParseColour(tag.Attr["content"]); ok && manifest.ColourText(c) != p.ThemeColor {
			a.find("app.differs", member("theme_color"), fmt.Sprintf("the manifest says %s, the entry page %s", p.ThemeColor, tag.Attr["content"]), "")
		}
	}
}

// severalPages is from how many pages on a site has parts worth a shortcut.
const severalPages = 4

// checkPresentation judges what makes installing and starting the app nicer.
func (a *auditor) checkPresentation(p *manifest.Processed, doc *page.Document, member func(string) Where) {
	if p.Places["id"] == [2]int{} {
		a.find("app.id", member("start_url"), "the app is known as "+a.local(p.ID)+", after its start_url", `add "id": "`+a.local(p.ID)+`" to the manifest, and never change it`)
	}
	wide, narrow := false, false
	for _, s := range p.Screenshots {
		wide = wide || s.FormFactor == "wide"
		narrow = narrow || s.FormFactor != "wide"
	}
	if len(p.Screenshots) > 0 && !wide {
		a.findOn([]string{target.ChromiumDesktop}, "app.one-sided", member("screenshots"), `none has "form_factor": "wide"`, "")
	}
	if len(p.Screenshots) > 0 && !narrow {
		a.findOn([]string{target.ChromiumAndroid}, "app.one-sided", member("screenshots"), `all have "form_factor": "wide"`, "")
	}
	if len(p.Shortcuts) == 0 && len(a.pages) >= severalPages {
		a.findOn([]string{target.ChromiumAndroid, target.ChromiumDesktop, target.FirefoxAndroid}, "app.more", member("name"), "no shortcuts, to reach parts of the app from its icon", "add shortcuts: under app:, with a name and a url each")
	}
	if _, ok := doc.Link("apple-touch-startup-image"); !ok {
		a.findOn([]string{target.SafariIOS}, "app.more", a.place(doc.URL, 0, 0), "no startup images, so iPhones show a blank screen while the app starts", "tachyform fit makes them with icons.startup: portrait")
	}
}

func answerText(resp *site.Response) string {
	if resp == nil {
		return "nothing answers"
	}
	return fmt.Sprintf("it answers with status %d", resp.Status)
}

// screenshot says why browsers pass a screenshot over, "" when they don't: sides from 320 to 3840 pixels, the longer at most 2.3 times
// the shorter.
func (a *auditor) screenshot(s manifest.Image) string {
	resp, _ := a.follow(s.Src)
	if resp == nil || resp.Status != 200 || resp.Body == nil {
		return "is not there"
	}
	data, err := resp.Body.Bytes()
	if err != nil {
		return "cannot be read"
	}
	facts, err := icon.Inspect(data)
	if err != nil {
		return "cannot be decoded: " + err.Error()
	}
	if facts.Vector {
		return "is a drawing; screenshots are pixels"
	}
	long, short := max(facts.Width, facts.Height), min(facts.Width, facts.Height)
	real := icon.SizeText(facts.Width)
	if facts.Width != facts.Height {
		real = fmt.Sprintf("%dx%d", facts.Width, facts.Height)
	}
	switch {
	case len(s.Sizes) == 1 && s.Sizes[0] != real:
		return fmt.Sprintf("is declared as %s and has %s pixels", s.Sizes[0], real)
	case short < 320 || long > 3840:
		return fmt.Sprintf("has %s pixels; each side is from 320 to 3840", real)
	case float64(long) > 2.3*float64(short):
		return fmt.Sprintf("has %s pixels, which is too long for its width", real)
	}
	return ""
}
