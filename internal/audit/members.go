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

// What is judged here.
var appStartAnswer = newCheck(Check{
	Code: "app.start-answer", Weight: Risk, Rank: 530,
	Title:    "The start URL does not answer with a page",
	Reason:   "Who opens the app sees an error, or is sent on first and loses time each start.",
	Mend:     "name the address of a page that answers with status 200",
	Standard: "Web App Manifest, 1.8",
	Example:  "/start redirects to /.",
})

var appShortcut = newCheck(Check{
	Code: "app.shortcut", Weight: Risk, Rank: 540,
	Title:     "A shortcut leads nowhere",
	Reason:    "Who presses and holds the icon is offered an error page.",
	Mend:      "mend the shortcut's url",
	Standard:  "Web App Manifest, 1.16",
	Example:   "/timetable was renamed to /tides.",
	Otherwise: map[string]string{target.SafariIOS: "", target.SafariMacOS: ""},
})

var appId = newCheck(Check{
	Code: "app.id", Weight: Polish, Rank: 710,
	Title: "The manifest names no id",
	Reason: "The app is known by its start_url: change that one day, and browsers take it for another app beside " +
		"the installed one.",
	Mend:      `add "id": and the start_url of today, and never change it`,
	Standard:  "Web App Manifest, 1.5",
	Example:   "start_url becomes /home, and everybody has two apps.",
	Otherwise: only(Polish, target.ChromiumAndroid, target.ChromiumDesktop, target.FirefoxAndroid),
})

var appOneSided = newCheck(Check{
	Code: "app.one-sided", Weight: Polish, Rank: 720,
	Title:     "Screenshots are there for one kind of screen only",
	Reason:    "Install prompts show those for their own screen: wide ones on a desktop, narrow ones on a phone.",
	Mend:      "add one for the other kind, with its form_factor",
	Standard:  "Web App Manifest, application information",
	Example:   "three pictures of a phone, none with \"form_factor\": \"wide\".",
	Otherwise: only(Polish, chromium...),
})

var appMore = newCheck(Check{
	Code: "app.more", Weight: Polish, Rank: 730,
	Title:    "The app could greet people better",
	Reason:   "What is missing here is not wrong; with it the app feels more like one.",
	Mend:     "add what is named, where it makes sense",
	Standard: "Web App Manifest, 1.16",
	Example:  "a timetable without shortcuts to its lines; a blank screen on iPhones while the app starts.",
})

var appScreenshot = newCheck(Check{
	Code: "app.screenshot", Weight: Polish, Rank: 750,
	Title:     "A screenshot is passed over",
	Reason:    "The richer install prompt shows fewer pictures, or does not appear.",
	Mend:      "mend the file or its declared size",
	Standard:  "Web App Manifest, application information",
	Example:   "a picture of 300 by 1200 pixels.",
	Otherwise: only(Polish, chromium...),
})

var appCut = newCheck(Check{
	Code: "app.cut", Weight: Polish, Rank: 760,
	Title:     "The name is cut off under the icon",
	Reason:    "People read a fragment on their home screen.",
	Mend:      "add a short_name of at most 12 characters",
	Standard:  "Web App Manifest, 1.7",
	Example:   "Skerry Line sailings becomes Skerry Line …",
	Otherwise: only(Polish, target.ChromiumAndroid, target.SafariIOS, target.FirefoxAndroid),
})

var appDiffers = newCheck(Check{
	Code: "app.differs", Weight: Polish, Rank: 770,
	Title:    "Manifest and page do not say the same",
	Reason:   "Name or colour change with the page and the kind of browser.",
	Mend:     "write the same in both",
	Standard: "Web App Manifest, 1.6 and theme_color",
	Example:  "the theme colour is #0b4f6c in the manifest and #fff in the page.",
})

// checkMembers judges what the manifest promises beyond the icons: pages that it opens, pictures that it shows, names
// and colours.
func (a *auditor) checkMembers(p *manifest.Processed, murl string, doc *page.Document, member func(string) Where) {
	if p.StartURLValid {
		if resp, final := a.follow(p.StartURL); resp == nil || resp.Status >= 400 {
			a.find(appStartAnswer, member("start_url"), a.local(p.StartURL)+": "+answerText(resp), "")
		} else if weburl.WithoutQuery(final) != weburl.WithoutQuery(p.StartURL) {
			a.find(appStartAnswer, member("start_url"), a.local(p.StartURL)+" redirects to "+a.local(final),
				"write "+a.local(final)+" as start_url")
		}
	}
	for _, s := range p.Shortcuts {
		if resp, _ := a.follow(s.URL); resp == nil || resp.Status >= 400 {
			a.find(appShortcut, member("shortcuts"), fmt.Sprintf("the shortcut %q leads to %s: %s", s.Name, a.local(s.URL),
				answerText(resp)), "")
		}
	}
	for _, s := range p.Shortcuts {
		for _, i := range s.Icons {
			if resp, _ := a.follow(i.Src); resp == nil || resp.Status >= 400 {
				a.find(iconMissing, member("shortcuts"), fmt.Sprintf("%s of the shortcut %q: %s", a.local(i.Src), s.Name,
					answerText(resp)), "")
			}
		}
	}
	for _, s := range p.Screenshots {
		if why := a.screenshot(s); why != "" {
			a.find(appScreenshot, a.place(murl, s.Line, s.Column), a.local(s.Src)+" "+why, "")
		}
	}
	a.checkPresentation(p, doc, member)
	short := p.ShortName
	where := member("short_name")
	if short == "" {
		short, where = p.Name, member("name")
	}
	if n := len([]rune(short)); n > icon.LabelLength {
		a.find(appCut, where, fmt.Sprintf("%q has %d characters; under an icon people read %q", short, n,
			string([]rune(short)[:icon.LabelLength])+"…"), "")
	}
	if tag, ok := doc.Meta("theme-color"); ok && p.ThemeColor != "" && tag.Attr["media"] == "" {
		if c, ok := manifest.ParseColour(tag.Attr["content"]); ok && manifest.ColourText(c) != p.ThemeColor {
			a.find(appDiffers, member("theme_color"), fmt.Sprintf("the manifest says %s, the entry page %s", p.ThemeColor,
				tag.Attr["content"]), "")
		}
	}
}

// severalPages is from how many pages on a site has parts worth a shortcut.
const severalPages = 4

// checkPresentation judges what makes installing and starting the app nicer.
func (a *auditor) checkPresentation(p *manifest.Processed, doc *page.Document, member func(string) Where) {
	if p.Places["id"] == [2]int{} {
		a.find(appId, member("start_url"), "the app is known as "+a.local(p.ID)+", after its start_url",
			`add "id": "`+a.local(p.ID)+`" to the manifest, and never change it`)
	}
	wide, narrow := false, false
	for _, s := range p.Screenshots {
		wide = wide || s.FormFactor == "wide"
		narrow = narrow || s.FormFactor != "wide"
	}
	if len(p.Screenshots) > 0 && !wide {
		a.findOn([]string{target.ChromiumDesktop}, appOneSided, member("screenshots"), `none has "form_factor": "wide"`, "")
	}
	if len(p.Screenshots) > 0 && !narrow {
		a.findOn([]string{target.ChromiumAndroid}, appOneSided, member("screenshots"), `all have "form_factor": "wide"`, "")
	}
	if len(p.Shortcuts) == 0 && len(a.pages) >= severalPages {
		a.findOn([]string{target.ChromiumAndroid, target.ChromiumDesktop, target.FirefoxAndroid}, appMore, member("name"),
			"no shortcuts, to reach parts of the app from its icon", "add shortcuts: under app:, with a name and a url each")
	}
	if _, ok := doc.Link("apple-touch-startup-image"); !ok {
		a.findOn([]string{target.SafariIOS}, appMore, a.place(doc.URL, 0, 0),
			"no startup images, so iPhones show a blank screen while the app starts",
			"tachyform fit makes them with icons.startup: portrait")
	}
}

func answerText(resp *site.Response) string {
	if resp == nil {
		return "nothing answers"
	}
	return fmt.Sprintf("it answers with status %d", resp.Status)
}

// screenshot says why browsers pass a screenshot over, "" when they don't: sides from 320 to 3840 pixels, the longer
// at most 2.3 times the shorter.
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
