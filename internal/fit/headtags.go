package fit

import (
	"fmt"
	"html"
	"slices"
	"strings"

	"tachyform/internal/page"
)

// HeadTags is what the head of a page is to hold. Empty members are not wanted.
type HeadTags struct {
	Manifest string // URL path of the manifest
	// Credentials asks for the manifest to be fetched with cookies, for hosts that show it only to people who are signed
	// in.
	Credentials bool
	// ThemeColor is the colour of the bar around the page, DarkColor the one while the system is dark; Scheme lists the
	// colour schemes that pages know.
	ThemeColor, DarkColor, Scheme string
	Icon                          string // URL path of the favicon
	VectorIcon                    string // URL path of a favicon that is an SVG
	AppleIcon                     string // URL path of the Apple touch icon
	Startup                       []StartupImage
	Register                      string // URL path of the registration script
	// StandIn is the URL path of the page stand-in, for that page alone: its script looks for the page that was wanted.
	StandIn string
	// Viewport asks for a page as wide as the screen. ShortName is the name under an icon on an iPhone's home screen,
	// AppName the app's own, for pages whose title says more.
	Viewport           bool
	ShortName, AppName string
	// Mend asks for misspelt and obsolete names of tags to be corrected.
	Mend bool
}

// StartupImage is a picture that an iPhone or iPad shows while the app starts, for the screens that Media describes.
type StartupImage struct{ Href, Media string }

// Snippet gives all wanted lines, to be pasted into a template.
func (w HeadTags) Snippet() []string {
	w.StandIn = ""
	var lines []string
	for _, item := range w.items() {
		lines = append(lines, item.line)
	}
	return lines
}

// lines gives all lines that any page may hold, to be known again at a later fit.
func (w HeadTags) lines() []string {
	lines := w.Snippet()
	for _, item := range w.items() {
		if !slices.Contains(lines, item.line) {
			lines = append(lines, item.line)
		}
	}
	return lines
}

// headItem is one wanted tag: how to find it when it is there, which of its attributes must say what, and its line
// when it is not.
type headItem struct {
	element string
	is      func(page.Tag) bool
	attr    string
	value   string
	// keep leaves a tag that is there as it is, whatever it says.
	keep bool
	line string
}

func (w HeadTags) items() []headItem {
	var list []headItem
	esc := html.EscapeString
	link := func(rel, href, more string, keep bool) {
		if href != "" {
			list = append(list, headItem{"link", func(t page.Tag) bool { return t.Rel(rel) }, "href", href, keep,
				fmt.Sprintf(`<link rel="%s" href="%s"%s>`, rel, esc(href), more)})
		}
	}
	meta := func(name, content, more string, is func(page.Tag) bool) {
		if content == "" {
			return
		}
		if is == nil {
			is = func(page.Tag) bool { return true }
		}
		list = append(list, headItem{"meta", func(t page.Tag) bool {
			return strings.EqualFold(t.Attr["name"], name) &&
				is(t)
		}, "content", content, true,
			fmt.Sprintf(`<meta name="%s"%s content="%s">`, name, more, esc(content))})
	}
	credentials := ""
	if w.Credentials {
		credentials = ` crossorigin="use-credentials"`
	}
	link("manifest", w.Manifest, credentials, false)
	if w.Viewport {
		meta("viewport", "width=device-width, initial-scale=1", "", nil)
	}
	meta("color-scheme", w.Scheme, "", nil)
	if w.DarkColor != "" {
		// A tag without a medium is for both.
		dark := func(t page.Tag) bool { return t.Attr["media"] == "" || strings.Contains(t.Attr["media"], "dark") }
		meta("theme-color", w.ThemeColor, ` media="(prefers-color-scheme: light)"`,
			func(t page.Tag) bool { return t.Attr["media"] == "" || !dark(t) })
		meta("theme-color", w.DarkColor, ` media="(prefers-color-scheme: dark)"`, dark)
	} else {
		meta("theme-color", w.ThemeColor, "", nil)
	}
	meta("application-name", w.AppName, "", nil)
	if w.Icon != "" {
		list = append(list, headItem{"link", func(t page.Tag) bool { return t.Rel("icon") }, "href", w.Icon, true,
			fmt.Sprintf(`<link rel="icon" href="%s" sizes="16x16 32x32 48x48">`, esc(w.Icon))})
	}
	if w.VectorIcon != "" {
		list = append(list, headItem{"link", func(t page.Tag) bool {
			// An icon of the page's own is not joined by a second one.
			return t.Rel("icon") &&
				(t.Attr["type"] == "image/svg+xml" || strings.HasSuffix(strings.ToLower(t.Attr["href"]), ".svg") ||
					!strings.HasSuffix(t.Attr["href"], w.Icon))
		}, "href", w.VectorIcon, true, fmt.Sprintf(`<link rel="icon" href="%s" type="image/svg+xml" sizes="any">`,
			esc(w.VectorIcon))})
	}
	link("apple-touch-icon", w.AppleIcon, "", true)
	meta("apple-mobile-web-app-title", w.ShortName, "", nil)
	if len(w.Startup) > 0 {
		// Without it the pictures are passed over.
		meta("apple-mobile-web-app-capable", "yes", "", nil)
	}
	for _, s := range w.Startup {
		list = append(list, headItem{"link", func(t page.Tag) bool {
			return t.Rel("apple-touch-startup-image") &&
				t.Attr["media"] == s.Media
		}, "href", s.Href, false,
			fmt.Sprintf(`<link rel="apple-touch-startup-image" media="%s" href="%s">`, esc(s.Media), esc(s.Href))})
	}
	if w.Register != "" {
		more := ""
		if w.StandIn != "" {
			more = fmt.Sprintf(` data-stand-in="%s"`, esc(w.StandIn))
		}
		list = append(list, headItem{"script", nil, "src", w.Register, false,
			fmt.Sprintf(`<script src="%s" defer%s></script>`, esc(w.Register), more)})
	}
	return list
}
