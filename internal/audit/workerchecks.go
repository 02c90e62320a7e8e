package audit

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"tachyform/internal/condition"
	"tachyform/internal/rehearsal"
	"tachyform/internal/site"
	"tachyform/internal/useragent"
	"tachyform/internal/worker"
)

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
		a.find("worker.delayed", at, "Cache-Control: "+resp.Header.Get("Cache-Control"), "")
	}
	for _, u := range w.Imports {
		if resp, _ := a.follow(u); resp != nil && fresh(resp) >= time.Hour {
			a.find("worker.delayed", a.place(u, 0, 0), "the worker imports "+a.local(u)+", which is sent with Cache-Control: "+resp.Header.Get("Cache-Control"),
				"send it with Cache-Control: no-cache, or register the worker with updateViaCache: 'none'")
			break
		}
	}
	if path, _, _ := strings.Cut(w.Script, "?"); worker.HashedName(path) {
		a.find("worker.renamed", at, "its name carries a hash: "+a.local(path), "")
	}
	var stale []string
	control := ""
	for _, u := range a.documentsInOrder() {
		if resp, _ := a.follow(u); resp != nil && resp.Status == 200 && fresh(resp) >= 24*time.Hour {
			stale, control = append(stale, u), resp.Header.Get("Cache-Control")
		}
	}
	a.findPages("page.stale", stale, 0, 0, "Cache-Control: "+control)
	if m := a.report.Manifest; m != nil {
		url := a.absolute(m.URL)
		if resp, _ := a.follow(url); resp != nil && fresh(resp) >= 24*time.Hour {
			a.find("app.stale", a.place(url, 0, 0), "Cache-Control: "+resp.Header.Get("Cache-Control"), "")
		}
	}
}

// checkStoppedWorker tries the pages that fail offline once more with the worker that was not stopped.
func (a *auditor) checkStoppedWorker(at Where) error {
	var failing []string
	for _, p := range a.ran.Pages {
		if o := p.Under[condition.Offline.Name]; p.Status > 0 && p.Status < 400 && (o.Outcome == rehearsal.Lost || o.Outcome == rehearsal.Stuck || o.Outcome == rehearsal.Partial) && len(failing) < 10 {
			failing = append(failing, p.URL)
		}
	}
	if len(failing) == 0 {
		return nil
	}
	plan := *a.plan
	plan.Probes, plan.Series = nil, nil
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
		a.find("worker.forgets", at, fmt.Sprintf("%s opens offline while the worker runs, and no more after the browser stopped it", a.local(forgotten[0])), "")
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
		case strings.HasPrefix(kind, "text/"), strings.HasSuffix(kind, "javascript"), strings.HasSuffix(kind, "json"), strings.HasSuffix(kind, "+xml"):
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
		a.find("site.plain", Where{URL: plain[0]}, fmt.Sprintf("%s without Content-Encoding, %.0f kB: %s", map[bool]string{true: "one file", false: fmt.Sprintf("%d files", len(plain))}[len(plain) == 1], float64(bytes)/1e3, strings.Join(plain[:min(3, len(plain))], ", ")), "")
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
				if strings.HasPrefix(ref.URL, "http:") && ref.Destination != "image" && ref.Destination != "video" && ref.Destination != "audio" && !ref.Background {
					mixed, insecure = append(mixed, u), ref.URL
					break
				}
			}
		}
	}
	a.findPages("page.language", noLanguage, 0, 0, "no lang on <html>")
	a.findPages("page.title", noTitle, 0, 0, "no <title>")
	a.findPages("page.viewport", noViewport, 0, 0, `no <meta name="viewport">`)
	a.findPages("link.mixed", mixed, 0, 0, insecure)
	if p := a.report.Manifest; p != nil && p.Processed != nil && !p.Processed.Fatal && p.Processed.Description == "" && len(p.Processed.Screenshots) == 0 {
		a.find("app.bare", Where{File: a.file(a.absolute(p.URL)), URL: p.URL}, "neither description nor screenshots", "")
	}
}
