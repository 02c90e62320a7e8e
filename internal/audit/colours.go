package audit

import (
	"fmt"
	"image/color"
	"slices"
	"strings"

	"tachyform/internal/manifest"
	"tachyform/internal/page"
	"tachyform/internal/target"
)

// What is judged here.
var pageMisspelt = newCheck(Check{
	Code: "page.misspelt", Weight: Risk, Rank: 560,
	Title:    "Tags bear names that no browser knows",
	Reason:   "The tag does nothing, and nothing says so.",
	Mend:     "mend the name; tachyform fit does with head: {mend: yes}",
	Standard: "HTML, 4.2.5.1 and 4.6.8",
	Example:  "<meta name=\"theme-colour\"> or <link rel=\"apple-touch-icons\">.",
	FitMends: true,
})

var appTwice = newCheck(Check{
	Code: "app.twice", Weight: Risk, Rank: 570,
	Title:    "Two manifests say that they are the same app",
	Reason:   "Which one somebody installs depends on the page they came by, and one replaces the other.",
	Mend:     "link to one manifest from all pages, or give each an id of its own",
	Standard: "Web App Manifest, 1.5",
	Example:  "/m.json and /en/m.json, neither with an id, both starting at /.",
})

var appFlash = newCheck(Check{
	Code: "app.flash", Weight: Polish, Rank: 780,
	Title:     "The splash flashes against the start page",
	Reason:    "When the app starts, the screen jumps from one colour to another.",
	Mend:      "write the page's own colour as background_color",
	Standard:  "Web App Manifest, background_color",
	Example:   "a white splash before a page on dark blue.",
	Otherwise: only(Polish, target.ChromiumAndroid, target.ChromiumDesktop, target.FirefoxAndroid),
})

var appContrast = newCheck(Check{
	Code: "app.contrast", Weight: Polish, Rank: 790,
	Title:     "The app's name can hardly be read in its bar",
	Reason:    "The bar has the theme colour, and neither white nor black text stands out on it.",
	Mend:      "choose a darker or a lighter theme_color",
	Standard:  "WCAG 2.2, 1.4.3",
	Example:   "\"theme_color\": \"#7a7a7a\".",
	Otherwise: only(Polish, chromium...),
})

var appPartly = newCheck(Check{
	Code: "app.partly", Weight: Polish, Rank: 800,
	Title:    "Some kinds of browser pass parts of the manifest over",
	Reason:   "What people can do elsewhere is not there for them.",
	Mend:     "nothing to mend where the app works without; else offer another way to the same",
	Standard: "Web App Manifest; Manifest Incubations",
	Example:  "files open with the app on a desktop only.",
})

var pageDouble = newCheck(Check{
	Code: "page.double", Weight: Polish, Rank: 830,
	Title:    "Pages link to several manifests",
	Reason:   "The first link counts; the others do nothing.",
	Mend:     "take the others out",
	Standard: "HTML, 4.6.8.9",
	Example:  "the template's link and one that a plugin added.",
})

var pageObsolete = newCheck(Check{
	Code: "page.obsolete", Weight: Polish, Rank: 840,
	Title:    "Tags are of no more use",
	Reason:   "They are sent with every page for nothing.",
	Mend:     "take them out, or write the name that took their place",
	Example:  "msapplication-TileColor, which no browser reads any more.",
	FitMends: true,
})

// checkColours judges what people see of the app beside its icons: the splash screen, the bar of its window, its names.
func (a *auditor) checkColours(p *manifest.Processed, doc *page.Document, member func(string) Where) {
	splash, given := manifest.ParseColour(p.BackgroundColor)
	if !given {
		splash = color.NRGBA{255, 255, 255, 255}
	}
	if ground, known := a.canvasBackground(doc); known && far(splash, ground) {
		says := "the splash is " + p.BackgroundColor
		if !given {
			says = "the manifest names no background_color, so the splash is white"
		}
		a.find(appFlash, member("background_color"), fmt.Sprintf("%s, the start page %s", says, manifest.ColourText(ground)),
			`write "background_color": "`+manifest.ColourText(ground)+`"`)
	}
	if theme, ok := manifest.ParseColour(p.ThemeColor); ok {
		// The bar's text is white or nearly black, whichever can be read better.
		if best := max(manifest.Contrast(theme, color.NRGBA{255, 255, 255, 255}),
			manifest.Contrast(theme, color.NRGBA{0x20, 0x21, 0x24, 255})); best < 4.5 {
			a.find(appContrast, member("theme_color"), fmt.Sprintf("%s: the better of white and black text has a contrast "+
				"of %.1f : 1", p.ThemeColor, best), "")
		}
	}
	name := func(meta, what, says string) {
		if t, ok := doc.Meta(meta); ok && says != "" && strings.TrimSpace(t.Attr["content"]) != says {
			a.find(appDiffers, a.place(doc.URL, t.Line, t.Column), fmt.Sprintf("the manifest's %s is %q, the entry page's %s %q",
				what, says, meta, t.Attr["content"]), "")
		}
	}
	name("application-name", "name", p.Name)
	if short := p.ShortName; short != "" {
		name("apple-mobile-web-app-title", "short_name", short)
	} else {
		name("apple-mobile-web-app-title", "name", p.Name)
	}
	a.checkSupport(p, member)
}

// checkSupport names members that some of the targets pass over, of those that an app may rely on.
func (a *auditor) checkSupport(p *manifest.Processed, member func(string) Where) {
	special := slices.Contains(p.DisplayOverride, "window-controls-overlay") || slices.Contains(p.DisplayOverride,
		"tabbed")
	var says []string
	var first string
	for _, m := range []struct {
		name  string
		used  bool
		known []string
	}{
		{"share_target", p.ShareTarget != nil, chromium},
		{"file_handlers", len(p.FileHandlers) > 0, []string{target.ChromiumDesktop}},
		{"protocol_handlers", len(p.ProtocolHandlers) > 0, []string{target.ChromiumDesktop}},
		{"display_override", special, []string{target.ChromiumDesktop}},
		{"orientation", p.Orientation != "" && p.Orientation != "any" && p.Orientation != "natural",
			[]string{target.ChromiumAndroid, target.FirefoxAndroid}},
	} {
		if !m.used {
			continue
		}
		var without []string
		for _, t := range a.Project.Audit.Targets {
			// Screens that nobody turns have no use for an orientation.
			if !slices.Contains(m.known, t) &&
				!(m.name == "orientation" && (t == target.ChromiumDesktop || t == target.SafariMacOS)) {
				without = append(without, t)
			}
		}
		if len(without) > 0 {
			if first == "" {
				first = m.name
			}
			says = append(says, m.name+" by "+strings.Join(without, ", "))
		}
	}
	if len(says) > 0 {
		a.find(appPartly, member(first), strings.Join(says, "; "), "")
	}
}

// canvasBackground gives the colour behind a page, white where it sets none. It is not known where pictures or
// gradients lie over it.
func (a *auditor) canvasBackground(doc *page.Document) (color.NRGBA, bool) {
	come := map[string]*page.Style{}
	var load func(url string, depth int)
	load = func(url string, depth int) {
		if url == "" || come[url] != nil || depth > 4 || len(come) > 50 {
			return
		}
		resp, _ := a.follow(url)
		if resp == nil || resp.Status != 200 || resp.Body == nil {
			return
		}
		text, err := resp.Body.Bytes()
		if err != nil {
			return
		}
		come[url] = a.reader.Style(url, text)
		for _, i := range come[url].Imports {
			load(i.URL, depth+1)
		}
	}
	for _, s := range doc.Sheets {
		load(strings.TrimSpace(s.URL), 0)
		if s.Style != nil {
			for _, i := range s.Style.Imports {
				load(i.URL, 1)
			}
		}
	}
	switch text := doc.CanvasBackground(doc.Order(come)); text {
	case "":
		return color.NRGBA{255, 255, 255, 255}, true
	default:
		c, ok := manifest.ParseColour(text)
		return c, ok && c.A == 255
	}
}

// far says whether two colours differ so much that going from one to the other is seen.
func far(a, b color.NRGBA) bool {
	d := func(x, y uint8) int { return max(int(x)-int(y), int(y)-int(x)) }
	return max(d(a.R, b.R), d(a.G, b.G), d(a.B, b.B)) > 32
}

// checkTagNames judges what the tags of all pages are called, and whether pages name one manifest.
func (a *auditor) checkTagNames() {
	type group struct {
		urls []string
		m    page.Misnamed
	}
	wrong := map[string]*group{}
	var order []string
	var double []string
	manifests := map[string]string{} // to the first page that links to it
	var urls []string
	for _, u := range a.documentsInOrder() {
		d := a.documents[u]
		links := map[string]bool{}
		for _, t := range append(append([]page.Tag(nil), d.Metas...), d.LinkTags...) {
			if m, is := page.CheckTagName(t); is {
				key := m.Attr + m.Wrong
				if wrong[key] == nil {
					wrong[key] = &group{m: m}
					order = append(order, key)
				}
				wrong[key].urls = append(wrong[key].urls, u)
			}
			if t.Name == "link" && t.InHead && t.Rel("manifest") {
				links[t.Attr["href"]] = true
			}
		}
		if len(links) > 1 {
			double = append(double, u)
		}
		if m := d.ManifestURL(); m != "" && manifests[m] == "" {
			manifests[m] = u
			urls = append(urls, m)
		}
	}
	for _, key := range order {
		g := wrong[key]
		code, what, mend := pageMisspelt, fmt.Sprintf("%s=%q", g.m.Attr,
			g.m.Wrong), fmt.Sprintf("write %q; tachyform fit does with head: {mend: yes}", g.m.Right)
		if g.m.Obsolete {
			code = pageObsolete
		}
		if g.m.Right == "" {
			mend = "take the tag out"
		}
		evidence := what
		if len(g.urls) > 1 {
			evidence = fmt.Sprintf("%d pages: %s", len(g.urls), what)
		}
		a.find(code, a.place(g.urls[0], g.m.Tag.Line, g.m.Tag.Column), evidence, mend)
	}
	a.findPages(pageDouble, double, 0, 0, "")
	ids := map[string]string{}
	for _, m := range urls {
		resp, at := a.follow(m)
		if resp == nil || resp.Status != 200 || resp.Body == nil || len(urls) < 2 {
			continue
		}
		text, err := resp.Body.Bytes()
		if err != nil {
			continue
		}
		p, _ := manifest.Process(text, at, manifests[m], manifest.Chromium)
		if other := ids[p.ID]; other != "" && !p.Fatal {
			member := p.Places["id"]
			a.find(appTwice, a.place(m, member[0], member[1]), fmt.Sprintf("%s and %s both have the id %s", a.local(other),
				a.local(m), a.local(p.ID)), "")
		}
		ids[p.ID] = m
	}
}
