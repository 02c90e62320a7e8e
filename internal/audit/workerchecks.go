package audit

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"tachyform/internal/condition"
	"tachyform/internal/rehearsal"
	"tachyform/internal/request"
	"tachyform/internal/site"
	"tachyform/internal/target"
	"tachyform/internal/useragent"
	"tachyform/internal/weburl"
	"tachyform/internal/worker"
)

// What is judged here.
var workerForgets = newCheck(Check{
	Code: "worker.forgets", Weight: Risk, Rank: 280,
	Title:    "The worker keeps its state in variables",
	Reason:   "Browsers stop an idle worker after half a minute; what stood in its variables is gone, and pages with it.",
	Mend:     "read what is needed from a cache or IndexedDB in the event itself",
	Standard: "Service Workers, 2.1",
	Example:  "let ready = false, set to true when the installation has ended.",
})

var workerRenamed = newCheck(Check{
	Code: "worker.renamed", Weight: Risk, Rank: 330,
	Title:    "The worker's file is named after its content",
	Reason:   "A page kept from an earlier release registers the old name for ever, and updates never arrive.",
	Mend:     "serve the worker at one address that stays, such as /worker.js",
	Standard: "Service Workers, 4.4",
	Example:  "/worker.3f9c2b71.js: the next release calls it /worker.88d01c4e.js.",
})

var linkMixed = newCheck(Check{
	Code: "link.mixed", Weight: Risk, Rank: 420,
	Title:    "Pages ask for files over plain http",
	Reason:   "Browsers block scripts, styles and data that are not secure on a secure page.",
	Mend:     "write the address with https",
	Standard: "Mixed Content, 5",
	Example:  "<script src=http://charts.example/draw.js> on an https page.",
})

var pageViewport = newCheck(Check{
	Code: "page.viewport", Weight: Risk, Rank: 430,
	Title:     "Pages do not fit phones",
	Reason:    "Without a viewport tag phones lay the page out a thousand pixels wide and shrink it.",
	Mend:      "tachyform fit adds the tag",
	Standard:  "CSS Viewport, 2",
	Example:   "no <meta name=\"viewport\">.",
	Otherwise: map[string]string{target.ChromiumDesktop: "", target.SafariMacOS: ""},
	FitMends:  true,
})

var sitePlain = newCheck(Check{
	Code: "site.plain", Weight: Polish, Rank: 620,
	Title:    "The host sends text uncompressed",
	Reason:   "Pages and their styles and scripts take several times as long to arrive.",
	Mend:     "switch on gzip or brotli for text at the host",
	Standard: "RFC 9110, 8.4",
	Example:  "a style sheet of 120 kB that would be 20 kB.",
})

var workerDelayed = newCheck(Check{
	Code: "worker.delayed", Weight: Polish, Rank: 640,
	Title:    "Caches may hold the worker's script back",
	Reason:   "A release reaches people later than it could; a proxy or an old browser may keep the old script for a day.",
	Mend:     "send the script with Cache-Control: no-cache",
	Standard: "Service Workers, 4.4",
	Example:  "all .js files are sent with max-age=31536000, the worker among them.",
})

var appStale = newCheck(Check{
	Code: "app.stale", Weight: Polish, Rank: 660,
	Title:    "The manifest may come from the HTTP cache for days",
	Reason:   "A new name or icon reaches people who have the app late.",
	Mend:     "send the manifest with Cache-Control: no-cache",
	Standard: "RFC 9111, 4.2",
	Example:  "Cache-Control: max-age=604800 on .webmanifest files.",
})

var pageStale = newCheck(Check{
	Code: "page.stale", Weight: Polish, Rank: 670,
	Title:    "Pages may come from the HTTP cache for days",
	Reason:   "Who has a page keeps the old one, and a mend reaches them late.",
	Mend:     "send pages with Cache-Control: no-cache; long times are for files whose names carry a hash",
	Standard: "RFC 9111, 4.2",
	Example:  "Cache-Control: max-age=604800 on .html files.",
})

var pageLanguage = newCheck(Check{
	Code: "page.language", Weight: Polish, Rank: 680,
	Title:    "Pages name no language",
	Reason:   "Screen readers guess how to pronounce them, and browsers offer to translate.",
	Mend:     "add lang to <html>, such as <html lang=\"en\">",
	Standard: "HTML, 3.2.6.2",
	Example:  "<html> without lang.",
})

var pageTitle = newCheck(Check{
	Code: "page.title", Weight: Polish, Rank: 690,
	Title:    "Pages have no title",
	Reason:   "The task switcher and the history show an address.",
	Mend:     "add a <title>",
	Standard: "HTML, 4.2.2",
	Example:  "a template that never fills in its title.",
})

var appBare = newCheck(Check{
	Code: "app.bare", Weight: Polish, Rank: 700,
	Title:     "The install prompt has nothing to tell but the name",
	Reason:    "With a description and screenshots browsers show what people are about to install.",
	Mend:      "add description: and screenshots: under app:",
	Standard:  "Web App Manifest, application information",
	Example:   "a manifest with name and icons only.",
	Otherwise: only(Polish, chromium...),
})

func sortedKeys[V any](m map[string]V) (keys []string) {
	for k := range m {
		keys = append(keys, k)
	}
	slices.Sort(keys)
	return keys
}

// What a phone's owner would notice on a metered connection.
const (
	heavyInstall = 15_000_000
	manyFiles    = 1500
)

// checkScripts judges how worker and pages are sent.
func (a *auditor) checkScripts(w *useragent.WorkerState, at Where) {
	fresh := func(resp *site.Response) time.Duration { return site.Freshness(resp.Header, time.Now()) }
	if resp, _ := a.follow(w.Script); resp != nil && fresh(resp) >= time.Hour {
		a.find(workerDelayed, at, "Cache-Control: "+resp.Header.Get("Cache-Control"), a.sendWithoutDelay(w.Script))
	}
	for _, u := range w.Imports {
		if resp, _ := a.follow(u); resp != nil && fresh(resp) >= time.Hour {
			a.find(workerDelayed, a.place(u, 0, 0), "the worker imports "+a.local(u)+", which is sent with Cache-Control: "+
				resp.Header.Get("Cache-Control"),
				"send it with Cache-Control: no-cache, or register the worker with updateViaCache: 'none'")
			break
		}
	}
	if path, _, _ := strings.Cut(w.Script, "?"); worker.HashedName(path) {
		a.find(workerRenamed, at, "its name carries a hash: "+a.local(path), "")
	}
	var stale []string
	control := ""
	for _, u := range a.documentsInOrder() {
		if resp, _ := a.follow(u); resp != nil && resp.Status == 200 && fresh(resp) >= 24*time.Hour {
			stale, control = append(stale, u), resp.Header.Get("Cache-Control")
		}
	}
	a.findPages(pageStale, stale, 0, 0, "Cache-Control: "+control)
	if m := a.report.Manifest; m != nil {
		url := a.absolute(m.URL)
		if resp, _ := a.follow(url); resp != nil && fresh(resp) >= 24*time.Hour {
			a.find(appStale, a.place(url, 0, 0), "Cache-Control: "+resp.Header.Get("Cache-Control"), a.sendWithoutDelay(url))
		}
	}
}

// checkStoppedWorker tries the pages that fail offline once more with the worker that was not stopped.
func (a *auditor) checkStoppedWorker(at Where) error {
	var failing []string
	for _, p := range a.ran.Pages {
		if o := p.Under[condition.Offline.Name]; p.Status > 0 && p.Status < 400 &&
			(o.Outcome == rehearsal.Lost || o.Outcome == rehearsal.Stuck || o.Outcome == rehearsal.Partial) && o.IsUsual() &&
			len(failing) < 10 {
			failing = append(failing, p.URL)
		}
	}
	if len(failing) == 0 {
		return nil
	}
	plan := a.plainPlan()
	got, err := plan.Awake(a.ctx, failing)
	if err != nil {
		return err
	}
	var forgotten []string
	for _, u := range failing {
		if o := got[u]; o != nil && o.Outcome == rehearsal.Whole {
			forgotten = append(forgotten, u)
		}
	}
	if len(forgotten) > 0 {
		a.find(workerForgets, at, fmt.Sprintf("%s opens offline while the worker runs, and no more after the browser "+
			"stopped it", a.local(forgotten[0])), "")
	}
	return nil
}

// compressible is from how many bytes on compression is worth its while.
const compressible = 20_000

// checkCompression judges how a live host sends text; of a folder nobody knows.
func (a *auditor) checkCompression() {
	if a.Folder != nil {
		return
	}
	var plain []string
	var bytes int64
	seen := map[string]bool{}
	look := func(url string) {
		if seen[url] || !strings.HasPrefix(url, a.origin+"/") {
			return
		}
		seen[url] = true
		resp := a.request(url)
		if resp == nil || resp.Status != 200 || resp.Body == nil || resp.Compressed || resp.Body.Len() < compressible {
			return
		}
		switch kind := site.Essence(resp.Header.Get("Content-Type")); {
		case strings.HasPrefix(kind, "text/"), strings.HasSuffix(kind, "javascript"), strings.HasSuffix(kind,
			"json"), strings.HasSuffix(kind, "+xml"):
			plain = append(plain, a.local(url))
			bytes += resp.Body.Len()
		}
	}
	for _, v := range a.ran.Visits {
		look(v.URL)
		for _, l := range v.Loads {
			look(l.URL)
		}
	}
	if len(plain) > 0 {
		a.find(sitePlain, Where{URL: plain[0]},
			fmt.Sprintf("%s without Content-Encoding, %.0f kB: %s",
				map[bool]string{true: "one file", false: fmt.Sprintf("%d files",
					len(plain))}[len(plain) == 1], float64(bytes)/1e3, strings.Join(plain[:min(3, len(plain))], ", ")), "")
	}
}

// checkContent judges what stands in the pages themselves.
func (a *auditor) checkContent() {
	var noLanguage, noTitle, noViewport, mixed []string
	insecure := ""
	for _, u := range a.documentsInOrder() {
		d := a.documents[u]
		if d.Lang == "" {
			noLanguage = append(noLanguage, u)
		}
		if strings.TrimSpace(d.Title) == "" {
			noTitle = append(noTitle, u)
		}
		if _, ok := d.Meta("viewport"); !ok {
			noViewport = append(noViewport, u)
		}
		if strings.HasPrefix(a.origin, "https:") {
			for _, ref := range d.References {
				if strings.HasPrefix(ref.URL, "http:") && ref.Destination != request.Image && ref.Destination != request.Video &&
					ref.Destination != request.Audio && !ref.Background {
					mixed, insecure = append(mixed, u), ref.URL
					break
				}
			}
		}
	}
	a.findPages(pageLanguage, noLanguage, 0, 0, "no lang on <html>")
	a.findPages(pageTitle, noTitle, 0, 0, "no <title>")
	a.findPages(pageViewport, noViewport, 0, 0, `no <meta name="viewport">`)
	a.findPages(linkMixed, mixed, 0, 0, insecure)
	if p := a.report.Manifest; p != nil && p.Processed != nil && !p.Processed.Fatal && p.Processed.Description == "" &&
		len(p.Processed.Screenshots) == 0 {
		a.find(appBare, Where{File: a.file(a.absolute(p.URL)), URL: p.URL}, "neither description nor screenshots", "")
	}
}

// sendWithoutDelay is how a host sends a file so that every change of it arrives.
func (a *auditor) sendWithoutDelay(url string) string {
	return "send it with Cache-Control: no-cache; in nginx: " +
		site.LineFor(site.WantedHeader{Path: weburl.WithoutQuery(a.local(url)), Name: "Cache-Control", Value: "no-cache"})
}
