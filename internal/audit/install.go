package audit

import (
	"fmt"
	"slices"
	"strings"

	whatwg "github.com/nlnwa/whatwg-url/url"

	"tachyform/internal/manifest"
	"tachyform/internal/page"
	"tachyform/internal/project"
	"tachyform/internal/site"
	"tachyform/internal/target"
	"tachyform/internal/useragent"
	"tachyform/internal/weburl"
)

// What is judged here.
var siteInsecure = newCheck(Check{
	Code: "site.insecure", Weight: Blocker, Rank: 10,
	Title:    "The site is not served securely",
	Reason:   "Browsers run no service worker and install nothing over plain http.",
	Mend:     "serve the site over https; http works on this machine only",
	Standard: "Secure Contexts, 3",
	Stops:    askers,
	Example:  "http://skerry-line.example, without the s.",
})

var siteEntry = newCheck(Check{
	Code: "site.entry", Weight: Blocker, Rank: 20,
	Title:   "The entry page does not open",
	Reason:  "Nobody can install what does not open.",
	Mend:    "set audit.entry to the first page of the site",
	Stops:   target.All,
	Example: "audit.entry is /start.html, and the host answers 404.",
})

var appUnlinked = newCheck(Check{
	Code: "app.unlinked", Weight: Blocker, Rank: 30,
	Title:     "The entry page links to no manifest",
	Reason:    "Without a manifest a browser knows neither name nor icon, and offers no installation.",
	Mend:      "tachyform fit adds the link to every page",
	Standard:  "HTML, 4.6.8.9; Web App Manifest, 2.1",
	Stops:     readers,
	Example:   "a <div> before <link rel=\"manifest\"> ends the head, and the link lies in the body.",
	Otherwise: map[string]string{target.SafariMacOS: Polish},
	FitMends:  true,
})

var appUnreachable = newCheck(Check{
	Code: "app.unreachable", Weight: Blocker, Rank: 40,
	Title:     "The manifest can't be fetched",
	Reason:    "A browser that can't read the manifest offers no installation.",
	Mend:      "check that the build copies the manifest and that the link's address is right",
	Standard:  "Web App Manifest, 2.2",
	Stops:     readers,
	Example:   "the build copies pages and styles, but not site.webmanifest.",
	Otherwise: map[string]string{target.SafariMacOS: Polish},
	FitMends:  true,
})

var appUnreadable = newCheck(Check{
	Code: "app.unreadable", Weight: Blocker, Rank: 50,
	Title: "The manifest is thrown away",
	Reason: "For a mistake in its syntax, and for a few members of the wrong kind, browsers take nothing from a " +
		"manifest.",
	Mend:     "mend what stands at this place",
	Standard: "Web App Manifest, 2.2",
	Stops:    readers,
	Example: "\"name\": \"Skerry Line\", } with a comma before the brace; or the host answers with its page for " +
		"unknown paths.",
	Otherwise: map[string]string{target.SafariMacOS: Polish},
})

var appNameless = newCheck(Check{
	Code: "app.nameless", Weight: Blocker, Rank: 60,
	Title:    "The app has no name",
	Reason:   "There would be nothing to write under the icon.",
	Mend:     `add "name" to the manifest`,
	Standard: "Web App Manifest, 1.6",
	Stops:    chromium,
	Example:  "\"short_name\": 7, a number in the place of a text.",
})

var appStart = newCheck(Check{
	Code: "app.start", Weight: Blocker, Rank: 70,
	Title:     "The start URL is missing or can't be used",
	Reason:    "The browser would not know which page to open.",
	Mend:      `add "start_url": "/" to the manifest`,
	Standard:  "Web App Manifest, 1.8",
	Stops:     chromium,
	Example:   "\"start_url\": \"https://www.skerry-line.example/\" on a site without www.",
	Otherwise: map[string]string{target.SafariIOS: Polish, target.SafariMacOS: Polish, target.FirefoxAndroid: Polish},
})

var appDisplay = newCheck(Check{
	Code: "app.display", Weight: Blocker, Rank: 80,
	Title:     "The app would open as an ordinary browser tab",
	Reason:    "With this display mode browsers do not offer to install.",
	Mend:      `set "display": "standalone" in the manifest`,
	Standard:  "Web App Manifest, 1.9",
	Stops:     readers,
	Example:   "\"display\": \"browser\".",
	Otherwise: map[string]string{target.SafariMacOS: ""},
})

var appRelated = newCheck(Check{
	Code: "app.related", Weight: Blocker, Rank: 100,
	Title:     "The manifest sends people to an app of a shop instead",
	Reason:    "With prefer_related_applications browsers offer the other app, not this one.",
	Mend:      "remove prefer_related_applications",
	Standard:  "Web App Manifest, application information",
	Stops:     []string{target.ChromiumAndroid},
	Example:   "\"prefer_related_applications\": true, left over from a template.",
	Otherwise: only(Risk, target.ChromiumDesktop),
})

var appIgnored = newCheck(Check{
	Code: "app.ignored", Weight: Risk, Rank: 520,
	Title:    "Browsers ignore a member of the manifest",
	Reason:   "What was meant does not happen, and nothing says so.",
	Mend:     "mend the value",
	Standard: "Web App Manifest",
	Example:  "\"theme_color\": \"bluish\".",
})

var appUnknown = newCheck(Check{
	Code: "app.unknown", Weight: Polish, Rank: 740,
	Title:    "The manifest has members that no standard knows",
	Reason:   "They do nothing; most are slips of the pen.",
	Mend:     "remove them or mend the name",
	Standard: "Web App Manifest",
	Example:  "\"nmae\", or members of a browser extension's manifest.",
})

// install judges what decides about installing. It gives the absolute start URL, or "" when there is none.
func (a *auditor) install() (start string) {
	if !a.Trusted && !trustworthy(a.origin) {
		a.find(siteInsecure, Where{URL: a.origin}, a.origin, "")
	}
	entry := a.absolute(a.Project.Audit.Entry)
	look := useragent.NewInstaller(a.ctx, append([]site.Host{a.Host}, a.Others...), useragent.Options{Reader: a.reader},
		a.Visits(), entry)
	defer look.Close()
	a.strained = look.Strained()
	view := look.Page()
	doc := look.Document()
	switch {
	case view.Failed || view.Stuck:
		a.find(siteEntry, Where{URL: a.local(entry)}, view.Reason.String(), "")
		return ""
	case view.Status >= 400 && (doc == nil || doc.ManifestURL() == ""):
		a.find(siteEntry, Where{URL: a.local(entry)}, fmt.Sprintf("status %d", view.Status), "")
		return ""
	case doc == nil:
		a.find(siteEntry, Where{URL: a.local(entry)}, "it is no page: its media type is "+
			view.Response.Actual().Get("content-type"), "let the host send it as text/html")
		return ""
	}
	final := view.FinalURL
	a.documents[entry] = doc
	murl := doc.ManifestURL()
	if murl == "" {
		a.checkLinked(doc, entry)
		return ""
	}
	tag, _ := doc.Link("manifest")
	linkAt := a.place(entry, tag.Line, tag.Column)
	credentials := strings.EqualFold(strings.TrimSpace(tag.Attr["crossorigin"]), "use-credentials")
	came := look.Manifest(murl, credentials)
	if came.Status < 200 || came.Status > 299 {
		evidence, mend := murl+": "+came.Why.String(), ""
		if came.Status != 0 {
			evidence = fmt.Sprintf("%s answers with status %d", a.local(murl), came.Status)
		}
		if again := look.Manifest(murl, true); !credentials && again.Status == 200 {
			mend = `add crossorigin="use-credentials" to the link: without it browsers ask for the manifest without cookies`
		}
		a.find(appUnreachable, linkAt, evidence, mend)
		return ""
	}
	mfinal := came.URL
	body, err := bodyBytes(came.Body)
	if err != nil {
		a.find(appUnreachable, linkAt, err.Error(), "")
		return ""
	}
	p, issues := manifest.Process(body, mfinal, final, manifest.Chromium)
	a.report.Manifest = &ManifestReport{URL: a.local(murl), Processed: p}
	for _, i := range issues {
		code := appIgnored
		switch i.Code {
		case "discarded":
			a.findOn(chromium, appUnreadable, a.place(murl, i.Line, i.Column), i.What, i.Mend)
			// The others take what they can.
			p, _ = manifest.Process(body, mfinal, final, manifest.Standard)
			a.report.Manifest.Processed = p
			continue
		case "syntax":
			code = appUnreadable
		case "unknown-member", "duplicate-member":
			code = appUnknown
		}
		a.find(code, a.place(murl, i.Line, i.Column), i.What, i.Mend)
	}
	if p.Fatal {
		return ""
	}
	member := func(name string) Where {
		at := p.Places[name]
		return a.place(murl, at[0], at[1])
	}
	if p.Name == "" && p.ShortName == "" {
		a.find(appNameless, member("name"), "neither name nor short_name says anything", "")
	}
	if !p.StartURLValid {
		a.find(appStart, member("start_url"), "no usable start_url", "")
	}
	a.checkDisplay(p, member)
	if p.PreferRelatedApplications != nil && *p.PreferRelatedApplications && len(p.RelatedApplications) > 0 {
		a.find(appRelated, member("prefer_related_applications"), "prefer_related_applications is true", "")
	}
	a.checkIcons(look, p, murl, member("icons"))
	a.checkMembers(p, murl, doc, member)
	a.checkColours(p, doc, member)
	return p.StartURL
}

// checkDisplay judges how the app would open: Chromium goes by the first display mode of display_override that it
// knows, the others read checkDisplay alone, and iOS knows no minimal-ui.
func (a *auditor) checkDisplay(p *manifest.Processed, member func(string) Where) {
	if p.ShownDisplay == "browser" {
		what := "display is missing"
		if len(p.DisplayOverride) > 0 {
			what = "display_override begins with browser"
		} else if p.Places["display"] != [2]int{} {
			what = "display comes out as browser"
		}
		targets := chromium
		if p.Display == "browser" && len(p.DisplayOverride) == 0 {
			targets = append(slices.Clone(chromium), target.FirefoxAndroid, target.SafariIOS) // one cause, one finding
		}
		a.findOn(targets, appDisplay, member("display"), what, "")
	}
	if p.Display == "browser" && len(p.DisplayOverride) > 0 {
		a.findOn([]string{target.FirefoxAndroid, target.SafariIOS}, appDisplay, member("display"),
			"without display_override, which only Chromium reads, display comes out as browser", "")
	}
	if p.Display == "minimal-ui" {
		a.findOn([]string{target.SafariIOS}, appDisplay, member("display"),
			"iOS knows no minimal-ui, and opens the page in the browser",
			`write "display": "standalone", and "display_override": ["minimal-ui"] where you want the bar`)
	}
}

func bodyBytes(b site.Body) ([]byte, error) {
	if b == nil {
		return nil, nil
	}
	return b.Bytes()
}

func (a *auditor) checkLinked(doc *page.Document, entry string) {
	for _, t := range doc.LinkTags {
		if t.Rel("manifest") {
			what, mend := "the link has no usable address", ""
			if !t.InHead {
				what, mend = "the link stands in the body, where browsers do not look for it",
					"move the link into the head; text or a <div> before it ends the head early"
			}
			a.find(appUnlinked, a.place(entry, t.Line, t.Column), what, mend)
			return
		}
	}
	a.find(appUnlinked, a.place(entry, 0, 0), "there is no <link rel=\"manifest\"> in the head of "+a.local(entry), "")
}

// trustworthy follows Secure Contexts, 3.1, for origins.
func trustworthy(origin string) bool {
	u, err := whatwg.Parse(origin)
	if err != nil {
		return false
	}
	return weburl.Trustworthy(u)
}

// Limits of icons that one family of browsers installs with, in pixels; measured, see docs/conformance.md.
const (
	leastIcon = 144
	mostIcon  = 1024
)

// brief shortens an address that is its own content.
func brief(url string) string {
	if strings.HasPrefix(url, "data:") && len(url) > 40 {
		return url[:40] + "…"
	}
	return url
}

// claim says why an icon's declaration alone makes it unfit for installing, "" when it does not.
func claim(img manifest.Image) string {
	if !shownType(img) {
		return fmt.Sprintf("is declared as %q", img.Type)
	}
	if !img.HasPurpose("any") {
		return "serves only " + strings.Join(img.Purpose, " and ")
	}
	if len(img.Sizes) == 0 {
		return "declares no size"
	}
	for _, size := range img.Sizes {
		if w, h, isAny := declared(size); isAny || min(w, h) >= leastIcon && max(w, h) <= mostIcon {
			return ""
		}
	}
	return fmt.Sprintf("is declared as %s, not between %d and %d pixels", strings.Join(img.Sizes, " "), leastIcon,
		mostIcon)
}

// HostsOf opens the other origins of a project.
func HostsOf(p *project.Project, dir func(string) string) ([]site.Host, error) {
	var list []site.Host
	for _, o := range p.Others {
		if o.Folder == "" {
			continue
		}
		f, err := site.OpenFolder(dir(o.Folder), o.Origin, "/", o.Host)
		if err != nil {
			return nil, err
		}
		list = append(list, f)
	}
	return list, nil
}
