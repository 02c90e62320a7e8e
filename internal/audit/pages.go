package audit

import (
	"strings"

	"tachyform/internal/icon"
	"tachyform/internal/page"
	"tachyform/internal/request"
	"tachyform/internal/target"
)

// What is judged here.
var workerFailed = newCheck(Check{
	Code: "worker.failed", Weight: Blocker, Rank: 110,
	Title:    "The service worker can't be installed",
	Reason:   "Nothing is kept, and nothing works offline.",
	Mend:     "mend what the evidence names; one missing file fails the whole installation",
	Standard: "Service Workers, 4.4",
	Example:  "one of the files that the installation waits for was renamed and answers 404.",
	FitMends: true,
})

var workerNone = newCheck(Check{
	Code: "worker.none", Weight: Risk, Rank: 160,
	Title:    "No page registers a service worker",
	Reason:   "Without one nothing opens offline.",
	Mend:     "describe pack and rules under worker: and run tachyform fit",
	Standard: "Service Workers, 3.1",
	Example:  "the script that registers it stands in a file that no page loads.",
	FitMends: true,
})

var workerScope = newCheck(Check{
	Code: "worker.scope", Weight: Risk, Rank: 170,
	Title:    "Pages lie outside the service worker's scope",
	Reason:   "The worker never hears of these pages, so they do not open offline.",
	Mend:     "put the worker's file into the folder that holds all pages",
	Standard: "Service Workers, 2.2",
	Example:  "/js/worker.js cannot reach /; /worker.js can.",
})

var pageRegister = newCheck(Check{
	Code: "page.register", Weight: Risk, Rank: 190,
	Title:    "Pages do not register the service worker",
	Reason:   "Who arrives on such a page keeps nothing for offline use.",
	Mend:     "tachyform fit adds the script",
	Standard: "Service Workers, 3.1",
	Example:  "only the first page has the script; a visitor arriving from a search lands on another.",
	FitMends: true,
})

var iconMissing = newCheck(Check{
	Code: "icon.missing", Weight: Risk, Rank: 480,
	Title:    "An icon can't be fetched",
	Reason:   "Where this icon was meant, a letter or a screenshot is shown.",
	Mend:     "tachyform fit makes the icons anew",
	Standard: "Web App Manifest, 1.15",
	Example:  "icons/192.png in the manifest lies beside the page; from the manifest's folder it is another path.",
	FitMends: true,
})

var pageManifest = newCheck(Check{
	Code: "page.manifest", Weight: Risk, Rank: 550,
	Title:    "Pages lack the manifest link that others have",
	Reason:   "Who arrives on such a page is not offered to install.",
	Mend:     "tachyform fit adds the link",
	Standard: "HTML, 4.6.8.9",
	Example:  "pages made by hand lack what the template has.",
	FitMends: true,
})

var iconBlack = newCheck(Check{
	Code: "icon.black", Weight: Risk, Rank: 580,
	Title:     "The Apple touch icon is transparent",
	Reason:    "iPhones lay black under it.",
	Mend:      "give it a ground: tachyform fit makes one with icons.backdrop",
	Example:   "a dark blue mark on nothing becomes dark blue on black.",
	Otherwise: only(Risk, target.SafariIOS),
	FitMends:  true,
})

var pageInvalid = newCheck(Check{
	Code: "page.invalid", Weight: Risk, Rank: 590,
	Title:   "Pages are damaged",
	Reason:  "The text breaks off or is not in the encoding it claims.",
	Mend:    "build the page again and save it as UTF-8",
	Example: "saved in a western encoding and served as UTF-8.",
})

var pageTheme = newCheck(Check{
	Code: "page.theme", Weight: Polish, Rank: 870,
	Title:     "Pages set no theme colour",
	Reason:    "The bar around the page keeps the system's colour.",
	Mend:      "tachyform fit adds the tag",
	Standard:  "HTML, 4.2.5.1",
	Example:   "no <meta name=\"theme-color\">.",
	Otherwise: map[string]string{target.FirefoxAndroid: ""},
	FitMends:  true,
})

var pageIcon = newCheck(Check{
	Code: "page.icon", Weight: Polish, Rank: 880,
	Title:    "Pages link to no icon",
	Reason:   "The tab shows a blank sheet.",
	Mend:     "tachyform fit adds the link",
	Standard: "HTML, 4.6.8.8",
	Example:  "no <link rel=\"icon\">.",
	FitMends: true,
})

var pageApple = newCheck(Check{
	Code: "page.apple", Weight: Polish, Rank: 890,
	Title:     "Pages name no Apple touch icon",
	Reason:    "Added to an iPhone's home screen, the site shows a screenshot.",
	Mend:      "tachyform fit adds the link",
	Example:   "no <link rel=\"apple-touch-icon\">.",
	Otherwise: only(Polish, target.SafariIOS, target.SafariMacOS),
	FitMends:  true,
})

// documentsInOrder gives the pages whose text is known.
func (a *auditor) documentsInOrder() []string {
	var urls []string
	for _, u := range a.pages {
		if a.documents[u] != nil {
			urls = append(urls, u)
		}
	}
	return urls
}

// checkHeads compares what the heads of all pages hold.
func (a *auditor) checkHeads() {
	var noManifest, noTheme, noIcon, noApple, invalid, unregistered []string
	registers := a.registering()
	for _, u := range a.documentsInOrder() {
		d := a.documents[u]
		if !d.Valid {
			invalid = append(invalid, u)
		}
		if d.ManifestURL() == "" {
			noManifest = append(noManifest, u)
		}
		if _, ok := d.Meta("theme-color"); !ok {
			noTheme = append(noTheme, u)
		}
		if _, ok := d.Link("icon"); !ok {
			noIcon = append(noIcon, u)
		}
		if _, ok := d.Link("apple-touch-icon"); !ok {
			noApple = append(noApple, u)
		}
		if !registers[u] {
			unregistered = append(unregistered, u)
		}
	}
	a.findPages(pageInvalid, invalid, 0, 0, "")
	if a.report.Manifest != nil {
		a.findPages(pageManifest, noManifest, 0, 0, `no <link rel="manifest"> in the head`)
	}
	a.findPages(pageTheme, noTheme, 0, 0, `no <meta name="theme-color">`)
	a.findPages(pageIcon, noIcon, 0, 0, `no <link rel="icon">`)
	a.findPages(pageApple, noApple, 0, 0, `no <link rel="apple-touch-icon">`)
	if len(registers) > 0 {
		a.findPages(pageRegister, unregistered, 0, 0, "")
	}
	a.checkHeadIcons()
}

// registering tells which pages register a worker, in their own text or by a script of theirs.
func (a *auditor) registering() map[string]bool {
	out := map[string]bool{}
	for _, u := range a.documentsInOrder() {
		d := a.documents[u]
		if len(d.Registrations) > 0 {
			out[u] = true
			continue
		}
		for _, r := range d.References {
			if r.Destination != request.Script {
				continue
			}
			if a.graph != nil {
				if path, ok := a.graph.Local(r.URL); ok && a.graph.Scripts[path] != nil &&
					len(a.graph.Scripts[path].Registrations) > 0 {
					out[u] = true
				}
			}
		}
	}
	for _, p := range a.ran.Pages {
		if len(p.Seen.Registrations) > 0 {
			out[p.URL] = true
		}
	}
	for _, v := range a.ran.Visits {
		if len(v.Registrations) > 0 {
			out[v.URL] = true
		}
	}
	return out
}

// checkHeadIcons fetches the icons that heads link to.
func (a *auditor) checkHeadIcons() {
	seen := map[string]bool{}
	for _, u := range a.documentsInOrder() {
		for _, t := range a.documents[u].LinkTags {
			if !t.Rel("icon") && !t.Rel("apple-touch-icon") {
				continue
			}
			href, ok := page.Resolve(a.documents[u].Base, t.Attr["href"])
			if !ok || seen[href] {
				continue
			}
			seen[href] = true
			resp, _ := a.follow(href)
			if resp == nil && strings.HasPrefix(href, a.origin+"/") || resp != nil && resp.Status != 200 {
				a.find(iconMissing, a.place(u, t.Line, t.Column), a.local(href)+" is not there", a.mendOfIcon(href))
			}
			if resp == nil || resp.Status != 200 || resp.Body == nil || !t.Rel("apple-touch-icon") {
				continue
			}
			if data, err := resp.Body.Bytes(); err == nil {
				if facts, err := icon.Inspect(data); err == nil && !facts.Vector && !facts.Opaque {
					a.find(iconBlack, a.place(u, t.Line, t.Column), a.local(href)+" is transparent in places", a.mendOfGround(href))
				}
			}
		}
	}
}

func orDefault(s, otherwise string) string {
	if s == "" {
		return otherwise
	}
	return s
}
