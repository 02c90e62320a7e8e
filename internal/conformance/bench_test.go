package conformance

import (
	"context"
	"fmt"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/tools/txtar"

	"tachyform/internal/audit"
	"tachyform/internal/condition"
	"tachyform/internal/fit"
	"tachyform/internal/page"
	"tachyform/internal/project"
	"tachyform/internal/rehearsal"
	"tachyform/internal/serve"
	"tachyform/internal/site"
	"tachyform/internal/testsite/demo"
	"tachyform/internal/worker"
)

// BenchmarkRehearseDemo is the default rehearsal of the fitted example.
func BenchmarkRehearseDemo(b *testing.B) {
	_, p := demo.Fitted(b)
	f := demo.Open(b, p)
	for b.Loop() {
		_, err := audit.Rehearse(context.Background(), audit.Input{Project: p, Name: "site", Host: f, Folder: f})
		require.NoError(b, err)
	}
}

// BenchmarkAuditDemo is one audit of the fitted example: two conditions, every page.
func BenchmarkAuditDemo(b *testing.B) {
	_, p := demo.Fitted(b)
	for b.Loop() {
		f := demo.Open(b, p)
		_, err := audit.Run(context.Background(), audit.Input{Project: p, Name: "site", Host: f, Folder: f})
		require.NoError(b, err)
	}
}

// forBench skips measurements in ordinary test runs.
func forBench(t *testing.T) {
	if os.Getenv("TACHYFORM_BENCH") == "" {
		t.Skip("a measurement; make bench runs it")
	}
}

// TestBenchAgainstChromium opens the same fitted pages offline in one warm Chromium and in the embedded user agent,
// which here starts the worker anew for every page. The visits online, and the installation of the worker by them,
// count for neither.
func TestBenchAgainstChromium(t *testing.T) {
	forBench(t)
	_, example := demo.Fitted(t)
	for name, p := range map[string]*project.Project{"the example, a dozen requests a page": example,
		"an app with Vue and its router": appSite(t, "vue"), "an app with Preact and a router": appSite(t, "preact"),
		"300 pages of text with a style sheet, a script and a picture": textSite(t, 300)} {
		c := startChromium(t)
		server := httptest.NewUnstartedServer(nil)
		server.Start()
		server.Config.Handler = serve.Handler(p.SiteDir(), server.URL, p)
		p.Origin = server.URL
		var visits, pages []string
		for _, v := range p.Audit.Visit {
			visits = append(visits, server.URL+v)
		}
		require.NoError(t, c.Visit(visits, "navigator.serviceWorker.ready"))
		server.CloseClientConnections()
		server.Close()
		f := demo.Open(t, p)
		in := audit.Input{Project: p, Name: "site", Host: f, Folder: f}
		r, err := audit.Rehearse(context.Background(), in)
		require.NoError(t, err)
		r.Pages = slices.DeleteFunc(r.Pages, func(p *audit.PageReport) bool { return strings.HasSuffix(p.URL, "/gauge/east") }) // its data was never looked at
		plan := &rehearsal.Rehearsal{Hosts: []site.Host{f}, Reader: &page.Reader{},
			Conditions: []condition.Condition{condition.Offline, condition.Stalled}, Visit: visits}
		median := func(all bool) time.Duration {
			plan.Pages = nil
			for _, page := range r.Pages {
				if all {
					plan.Pages = append(plan.Pages, p.Origin+page.URL)
				}
			}
			var times []time.Duration
			for range 7 {
				start := time.Now()
				_, err := plan.Run(context.Background())
				require.NoError(t, err)
				times = append(times, time.Since(start))
			}
			slices.Sort(times)
			return times[3]
		}
		median(true)                                                           // warm, as the browser is
		ours := (median(true) - median(false)) / time.Duration(2*len(r.Pages)) // two conditions
		for _, page := range r.Pages[:min(len(r.Pages), 60)] {
			require.Contains(t, []rehearsal.Outcome{rehearsal.Whole, rehearsal.StandIn}, page.Under["offline"].Outcome, page.URL)
			pages = append(pages, server.URL+page.URL)
		}
		theirs, err := c.LoadTime(pages)
		require.NoError(t, err)
		t.Logf("%s: a page in Chromium %v, here %v, ratio %.0f", name, theirs.Round(time.Microsecond*100),
			ours.Round(time.Microsecond*10), float64(theirs)/float64(ours))
	}
}

// appSite lays out an app that a framework drives, with ten of its routes.
func appSite(t testing.TB, name string) *project.Project {
	dir := t.TempDir()
	a, err := txtar.ParseFile("testdata/drawnapps/" + name + ".txtar")
	require.NoError(t, err)
	for _, f := range a.Files {
		path := filepath.Join(dir, f.Name)
		require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o755))
		require.NoError(t, os.WriteFile(path, f.Data, 0o644))
	}
	text := "site: site\nhosting: {single_page: /index.html}\naudit: {visit: [/, /, /gauge/north, /gauge/south], pages: [/, /about, /gauge/north, " +
		"/gauge/south, /about?1, /about?2, /about?3, /gauge/north?1, /gauge/south?1, /?1]}\n"
	require.NoError(t, os.WriteFile(filepath.Join(dir, project.FileName), []byte(text), 0o644))
	p, err := project.Load(filepath.Join(dir, project.FileName))
	require.NoError(t, err)
	return p
}

// textSite makes a site of pages such as a documentation has, fitted with everything in the pack.
func textSite(t testing.TB, n int) *project.Project {
	dir := t.TempDir()
	put := func(name, text string) {
		require.NoError(t, os.MkdirAll(filepath.Dir(filepath.Join(dir, name)), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644))
	}
	for i := range n {
		put(fmt.Sprintf("site/p%d.html", i), fmt.Sprintf(`<!doctype html><html lang="en"><head><title>Pier %d</title><link rel="stylesheet" href="/s.css"><script defer src="/s.js"></script></head><body><img src="/pier.svg" alt=""><h1>Pier %d</h1>%s<a href="/p%d.html">next</a></body></html>`, i, i, strings.Repeat("<p>Low water comes twice a day.</p>", 100), (i+1)%n))
	}
	put("site/index.html",
		`<!doctype html><title>Piers</title><link rel="stylesheet" href="/s.css"><a href="/p0.html">first</a>`)
	put("site/s.css", "p { color: navy }")
	put("site/s.js", "document.documentElement.dataset.ready = '1'")
	put("site/pier.svg", `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><path d="M0 0h9v9z"/></svg>`)
	put("mark.svg", `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><path d="M0 0h9v9z"/></svg>`)
	put("tachyform.yaml", "site: site\napp: {name: Piers, short_name: Piers, start_url: /, display: "+
		"standalone}\nicons: {master: mark.svg, backdrop: \"#fff\"}\nworker:\n  pack: {include: [\"/*\"]}\naudit: "+
		"{visit: [/]}\n")
	p, err := project.Load(filepath.Join(dir, project.FileName))
	require.NoError(t, err)
	f := demo.Open(t, p)
	plan, err := fit.Prepare(context.Background(), p, f, nil)
	require.NoError(t, err)
	demo.Apply(t, plan)
	return p
}

// TestBenchGrowth audits made-up sites of growing size: the cost should grow with the number of pages.
func TestBenchGrowth(t *testing.T) {
	forBench(t)
	for _, n := range []int{100, 300, 1000} {
		dir := t.TempDir()
		for i := range n {
			var links strings.Builder
			for j := range 20 {
				fmt.Fprintf(&links, `<a href="/p%d.html">p</a>`, (i+j*7)%n)
			}
			text := fmt.Sprintf(`<!doctype html><html lang="en"><head><title>Page %d</title><link rel="stylesheet" href="/s.css"><script>navigator.serviceWorker.register('/w.js')</script></head><body>%s</body></html>`, i, links.String())
			require.NoError(t, os.WriteFile(filepath.Join(dir, fmt.Sprintf("p%d.html", i)), []byte(text), 0o644))
		}
		require.NoError(t, os.WriteFile(filepath.Join(dir, "index.html"),
			[]byte(`<script>navigator.serviceWorker.register('/w.js')</script>`), 0o644))
		require.NoError(t, os.WriteFile(filepath.Join(dir, "s.css"), []byte("p { color: red }"), 0o644))
		require.NoError(t, os.WriteFile(filepath.Join(dir, "w.js"),
			[]byte("onfetch = e => e.respondWith(caches.match(e.request).then(r => r || fetch(e.request)))"), 0o644))
		p := project.Default(dir)
		f := demo.Open(t, p)
		start := time.Now()
		_, err := audit.Run(context.Background(), audit.Input{Project: p, Name: "site", Host: f, Folder: f})
		require.NoError(t, err)
		took := time.Since(start)
		t.Logf("%5d pages: %v, %v a page", n, took.Round(time.Millisecond), (took / time.Duration(n)).Round(time.Microsecond))
	}
}

// TestBenchStamps compares the stamping of a tree of 10 000 files with sha256sum over the same tree, as many at a time
// as there are processors, and says what a plan of them costs beyond that.
func TestBenchStamps(t *testing.T) {
	forBench(t)
	dir := t.TempDir()
	site := filepath.Join(dir, "site")
	noise := rand.NewChaCha8([32]byte{7})
	for i := range 10_000 {
		name := filepath.Join(site, fmt.Sprintf("f%d/%d.bin", i/100, i))
		require.NoError(t, os.MkdirAll(filepath.Dir(name), 0o755))
		content := make([]byte, 4_000+(i%10)*6_000)
		noise.Read(content)
		require.NoError(t, os.WriteFile(name, content, 0o644))
	}
	require.NoError(t, os.WriteFile(filepath.Join(site, "index.html"), []byte("<!doctype html><title>x</title>"), 0o644))
	p, err := project.Parse(project.FileName, []byte("worker: {pack: {include: [/*]}}"))
	require.NoError(t, err)
	p.Dir, p.Site = dir, "site"
	median := func(f func() time.Duration) time.Duration {
		var list []time.Duration
		for range 5 {
			list = append(list, f())
		}
		slices.Sort(list)
		return list[2]
	}
	theirs := median(func() time.Duration {
		start := time.Now()
		out, err := exec.Command("sh", "-c", fmt.Sprintf("find %s -type f -print0 | xargs -0 -n 100 -P %d sha256sum "+
			">/dev/null", site, runtime.NumCPU())).CombinedOutput()
		require.NoError(t, err, string(out))
		return time.Since(start)
	})
	var both time.Duration
	hashing := median(func() time.Duration {
		f := demo.Open(t, p)
		start := time.Now()
		var wait sync.WaitGroup
		work := make(chan int)
		for range runtime.NumCPU() {
			wait.Add(1)
			go func() {
				defer wait.Done()
				for i := range work {
					_, err := f.Files()[i].Stamp()
					assert.NoError(t, err)
				}
			}()
		}
		for i := range f.Files() {
			work <- i
		}
		close(work)
		wait.Wait()
		return time.Since(start)
	})
	both = median(func() time.Duration {
		start := time.Now()
		f := demo.Open(t, p)
		plan, err := worker.NewPlan(context.Background(), p, f, nil)
		require.NoError(t, err)
		code, err := worker.Generate(plan, worker.Options{})
		require.NoError(t, err)
		require.NotEmpty(t, code)
		return time.Since(start)
	})
	t.Logf("10 000 files, 310 MB: stamps %v, sha256sum %v, ratio %.2f; listing, plan and worker %v, beyond hashing %v",
		hashing.Round(time.Millisecond), theirs.Round(time.Millisecond), float64(theirs)/float64(hashing),
		both.Round(time.Millisecond), (both - hashing).Round(time.Millisecond))
}

// TestBenchWorkerCost measures in a real Chromium what the worker adds to requests, against the same page without one:
// medians of single fetches on loopback, and the first fetch after the worker was stopped.
func TestBenchWorkerCost(t *testing.T) {
	forBench(t)
	const times = `(async () => { const list = []; for (let i = 0; i < 400; i++) { const at = performance.now(); await (await fetch(%q + (i %% 50))).text(); list.push(performance.now() - at) } return list.sort((a, b) => a - b)[200] })()`
	for _, n := range []int{10, 10_000} {
		files := map[string]string{"index.html": "<!doctype html><title>One</title>",
			"bare.html": "<!doctype html><title>Bare</title>"}
		for i := range max(n, 50) {
			files[fmt.Sprintf("pack/%d", i)] = strings.Repeat("x", 2000)
			if i < 50 {
				files[fmt.Sprintf("free/%d", i)] = strings.Repeat("x", 2000)
			}
		}
		c := startChromium(t)
		with := newLine(t, "worker: {pack: {include: [/, /pack/*]}}\n", files)
		without := newLine(t, "head: {leave_out: [/*]}\n", files)
		// The server is to cost next to nothing.
		for _, l := range []*line{with, without} {
			slow := l.host.Load().(hosting)
			body := []byte(strings.Repeat("x", 2000))
			l.host.Store(hosting{http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
				if strings.HasPrefix(r.URL.Path, "/pack/") || strings.HasPrefix(r.URL.Path, "/free/") {
					w.Header().Set("Cache-Control", "no-cache")
					w.Header().Set("Content-Type", "text/plain")
					w.Write(body)
					return
				}
				slow.ServeHTTP(w, r)
			})})
		}
		page := tabs(t, c)()
		measure := func(l *line, what string) (ms float64) {
			_, err := fmt.Sscan(l.js(page, fmt.Sprintf(times, "/"+what+"/")), &ms)
			require.NoError(t, err)
			return ms
		}
		require.NoError(t, page.Load(with.Origin()+"/"))
		started := time.Now()
		for with.js(page, "navigator.serviceWorker.getRegistration().then(r => !!(r && r.active && r.active.state === "+
			"'activated'))") != "true" {
			require.Less(t, time.Since(started), 5*time.Minute)
			time.Sleep(100 * time.Millisecond)
		}
		installed := time.Since(started)
		// In turns, so that what else the machine does meets all alike.
		took := map[string][]float64{}
		for range 5 {
			require.NoError(t, page.Load(without.Origin()+"/"))
			took["plain"] = append(took["plain"], measure(without, "free"))
			require.NoError(t, page.Load(with.Origin()+"/"))
			took["free"] = append(took["free"], measure(with, "free"))
			took["pack"] = append(took["pack"], measure(with, "pack"))
		}
		for _, list := range took {
			slices.Sort(list)
		}
		var starts []float64
		for range 7 {
			require.NoError(t, c.StopWorkers())
			var ms float64
			_, err := fmt.Sscan(with.js(page, "(async () => { const at = performance.now(); await (await "+
				"fetch('/pack/7')).text(); return performance.now() - at })()"), &ms)
			require.NoError(t, err)
			starts = append(starts, ms)
		}
		slices.Sort(starts)
		t.Logf("%6d files packed in %v: a request without a worker %.2f ms, that nothing matches %.2f ms, from the pack "+
			"%.2f ms; the first after a stop %.1f ms", n, installed.Round(time.Millisecond), took["plain"][2], took["free"][2],
			took["pack"][2], starts[3])
		page.Close()
		c.Close()
	}
}
