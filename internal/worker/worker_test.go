package worker_test

import (
	"bytes"
	"compress/gzip"
	"context"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/condition"
	"tachyform/internal/project"
	"tachyform/internal/rehearsal"
	"tachyform/internal/site"
	"tachyform/internal/useragent"
	"tachyform/internal/useragent/document"
	"tachyform/internal/useragent/fetch"
	"tachyform/internal/worker"
)

const origin = "https://line.example"

// deploy makes a site with a generated worker: the project file's worker section is given as YAML.
func deploy(t *testing.T, settings string, files map[string]string) *site.Folder {
	t.Helper()
	dir := t.TempDir()
	for name, text := range files {
		path := filepath.Join(dir, name)
		require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o755))
		require.NoError(t, os.WriteFile(path, []byte(text), 0o644))
	}
	p, err := project.Parse("tachyform.yaml", []byte("worker: "+settings))
	require.NoError(t, err)
	f, err := site.OpenFolder(dir, origin, "/", p.Host)
	require.NoError(t, err)
	f = f.With(map[string][]byte{"register.js": []byte("navigator.serviceWorker.register('/worker.js')")})
	plan, err := worker.NewPlan(context.Background(), p, f, nil)
	require.NoError(t, err)
	code, err := worker.Generate(plan, worker.Options{})
	require.NoError(t, err)
	return f.With(map[string][]byte{"worker.js": code})
}

func htmlPage(title, body string) string {
	return fmt.Sprintf("<!doctype html><title>%s</title><script src=/register.js></script>%s", title, body)
}

// What each approach gives under each condition, with and without a kept copy; the answers follow from the rules'
// words.
func TestApproaches(t *testing.T) {
	const network, kept, none = "network", "kept", "nothing"
	for _, c := range []struct {
		rule, condition, stored, fresh string
	}{
		{"answer: network-first", "online", network, network},
		{"answer: network-first", "offline", kept, none},
		{"answer: network-first", "stalled", none, none},
		{"answer: network-first, patience: 2s", "online", network, network},
		{"answer: network-first, patience: 2s", "offline", kept, none},
		{"answer: network-first, patience: 2s", "stalled", kept, none},
		{"answer: cache-first", "online", kept, network},
		{"answer: cache-first", "offline", kept, none},
		{"answer: cache-first", "stalled", kept, none},
		{"answer: stale-while-revalidate", "online", kept, network},
		{"answer: stale-while-revalidate", "offline", kept, none},
		{"answer: stale-while-revalidate", "stalled", kept, none},
		{"answer: cache-only", "online", none, none},
		{"answer: cache-only", "offline", none, none},
		{"answer: network-only", "online", network, network},
		{"answer: network-only", "offline", none, none},
		{"answer: network-only", "stalled", none, none},
	} {
		f := deploy(t, `{pack: {include: [/, /bare.html]}, rules: [{match: "/data/*", `+c.rule+`}]}`, map[string]string{
			"index.html": htmlPage("Pier", `<script>fetch('/data/now.json')</script>`), "bare.html": htmlPage("Bare",
				""), "data/now.json": "{}"})
		for visit, want := range map[string]string{"/": c.stored, "/bare.html": c.fresh} {
			b := useragent.New(context.Background(), []site.Host{f}, useragent.Options{})
			var tab *document.Tab
			for range 2 { // the first visit installs, the second goes through the worker
				tab = b.Open(origin+visit, tab)
				b.Settle()
			}
			b.CloseTab(tab)
			b.StopWorkers()
			under, _ := condition.Named(c.condition)
			b.SetCondition(under)
			got := none
			for _, l := range b.Open(origin+"/", nil).Loads {
				if strings.HasSuffix(l.URL, "now.json") && l.Done && !l.Missing {
					got = l.Source.String()
					if l.Source.Kind == fetch.CacheSource {
						got = kept
					}
				}
			}
			b.Close()
			assert.Equal(t, want, got, "%s, %s, after visiting %s", c.rule, c.condition, visit)
		}
	}
}

// What must not be kept is not: errors, answers that say so, and redirected pages as they are.
func TestKeeping(t *testing.T) {
	dir := t.TempDir()
	for name, text := range map[string]string{"index.html": htmlPage("Pier",
		`<script>fetch('/d/gone.json');fetch('/d/secret.json');fetch('/d/good.json')</script><img src=/d/moved.png>`),
		"d/secret.json": "{}", "d/good.json": "{}", "d/there.png": "x"} {
		require.NoError(t, os.MkdirAll(filepath.Dir(filepath.Join(dir, name)), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644))
	}
	p, err := project.Parse("tachyform.yaml", []byte(`
worker: {pack: {include: [/]}, rules: [{match: "/d/*", answer: cache-first}]}
hosting:
  headers: [{match: /d/secret.json, set: {Cache-Control: no-store}}]
  redirects: [{match: /d/moved.png, to: /d/there.png}]
  statuses: [{match: /d/gone.json, status: 410}]
`))
	require.NoError(t, err)
	f, err := site.OpenFolder(dir, origin, "/", p.Host)
	require.NoError(t, err)
	f = f.With(map[string][]byte{"register.js": []byte("navigator.serviceWorker.register('/worker.js')")})
	plan, err := worker.NewPlan(context.Background(), p, f, nil)
	require.NoError(t, err)
	code, err := worker.Generate(plan, worker.Options{Minify: true})
	require.NoError(t, err)
	r := rehearsal.Rehearsal{Hosts: []site.Host{f.With(map[string][]byte{"worker.js": code})},
		Visit: []string{origin + "/", origin + "/"}}
	got, err := r.Run(context.Background())
	require.NoError(t, err)
	var urls []string
	for _, c := range got.Caches {
		if strings.Contains(c.Name, "kept") {
			for _, e := range c.Entries {
				urls = append(urls, strings.TrimPrefix(e.URL, origin))
				assert.False(t, e.Redirect, e.URL)
			}
		}
	}
	assert.Equal(t, []string{"/d/good.json", "/d/moved.png"}, urls)
}

// Bounds hold over restarts of the worker, and what the browser threw away comes from the network and is kept again.
func TestBounds(t *testing.T) {
	f := deploy(t,
		`{pack: {include: [/, /p.css]}, rules: [{match: /few/*, answer: cache-first, keep: {at_most: 2}}, {match: /short/*, answer: cache-first, keep: {for: 1m}}]}`, map[string]string{
			"index.html": htmlPage("Pier", `<link rel=stylesheet href=p.css><img src=few/a.png><img src=few/b.png>`),
			"p.css":      "p{}", "more/index.html": htmlPage("More", `<img src=/few/c.png><img src=/short/d.png>`),
			"few/a.png": "a", "few/b.png": "b", "few/c.png": "c", "short/d.png": "d"})
	b := rehearsal.NewSession(rehearsal.NewEmbedded(context.Background(), []site.Host{f}, useragent.Options{}), origin)
	steps := []rehearsal.Step{{Open: origin + "/"}, {Open: origin + "/"}, {StopWorker: true}, {Open: origin + "/more/"},
		{Expect: &rehearsal.Expectation{Kept: []string{"/few/b.png", "/few/c.png", "/short/d.png"},
			NotKept: []string{"/few/a.png"}}},
		{StopWorker: true}, {Open: origin +
			"/more/"}, {Expect: &rehearsal.Expectation{NotAsked: []string{"/few/c.png", "/short/d.png"}}},
		{Wait: 61 * time.Second}, {Open: origin + "/more/"}, {Expect: &rehearsal.Expectation{Asked: []string{"/short/d.png"},
			NotAsked: []string{"/few/c.png"}}},
		{Evict: "caches"}, {StopWorker: true}, {Open: origin +
			"/"}, {Expect: &rehearsal.Expectation{Asked: []string{"/", "/p.css"}, NoneMissing: true, Missing: []string{}}},
		{Condition: &condition.Offline}, {Open: origin + "/"}, {Expect: &rehearsal.Expectation{Outcome: "whole"}}}
	for i, step := range steps {
		r := b.Step(step)
		assert.Empty(t, r.Wrong, "step %d", i)
	}
}

// What packed pages ask for is there after one visit where a rule says so, and what was kept beside it is fetched anew
// with a release.
func TestAtInstall(t *testing.T) {
	files := map[string]string{"index.html": htmlPage("Pier",
		"<script>fetch('/d/a.json');fetch('/d/secret.json')</script>"),
		"more.html": htmlPage("More", "<script>fetch('/d/b.json')</script>"), "d/a.json": "1", "d/b.json": "1",
		"d/secret.json": "1"}
	const settings = `{pack: {pages: [/]}, rules: [{match: /d/*, answer: network-first, at_install: yes}], takeover: at-once}
hosting: {headers: [{match: /d/secret.json, set: {Cache-Control: no-store}}]}`
	first := deploy(t, settings, files)
	files["d/a.json"], files["d/b.json"] = "2", "2"
	second := deploy(t, settings, files)
	s := rehearsal.NewSession(rehearsal.NewEmbedded(context.Background(), []site.Host{first}, useragent.Options{}), origin)
	defer s.Close()
	for i, step := range []rehearsal.Step{{Open: origin + "/"},
		{Expect: &rehearsal.Expectation{Kept: []string{"/d/a.json"},
			NotKept: []string{"/d/b.json", "/d/secret.json"}}}, {Open: origin +
			"/more.html"}, {Expect: &rehearsal.Expectation{Kept: []string{"/d/b.json"}}},
		{Deploy: []site.Host{second}}, {Open: origin + "/"}, {Open: origin +
			"/"}, {StopWorker: true}, {Condition: &condition.Offline}, {Open: origin +
			"/"}, {Expect: &rehearsal.Expectation{Missing: []string{"/d/secret.json"}}}} {
		assert.Empty(t, s.Step(step).Wrong, "step %d", i)
	}
	stores := map[string][]string{}
	for _, c := range s.Caches() {
		for _, e := range c.Entries {
			if strings.Contains(c.Name, " kept ") {
				stores[c.Name] = append(stores[c.Name], strings.TrimPrefix(e.URL, origin))
			}
		}
	}
	assert.Len(t, stores, 1)
	for _, urls := range stores {
		assert.Equal(t, []string{"/d/a.json", "/d/b.json"}, urls)
	}
}

// Where nothing can be kept, for want of room or of any storage at all, the network's answers come as they would
// without a worker.
func TestNothingKept(t *testing.T) {
	for name, code := range map[string]string{
		"no room":    "Cache.prototype.put = () => Promise.reject(new DOMException('', 'QuotaExceededError'))",
		"no storage": "caches.open = () => Promise.reject(new DOMException('', 'SecurityError'))",
	} {
		own := filepath.Join(t.TempDir(), "own.js")
		require.NoError(t, os.WriteFile(own, []byte("self.addEventListener('push', () => { "+code+" })"), 0o644))
		f := deploy(t, `{module: `+own+
			`, pack: {include: [/]}, rules: [{match: /d/*, answer: cache-first}, {match: /s/*, answer: stale-while-revalidate, keep: {for: 1d}}], stand_ins: {page: /}}`,
			map[string]string{"index.html": htmlPage("Pier", "<img src=d/a.png><img src=s/b.png>"), "d/a.png": "a",
				"s/b.png": "b"})
		b := rehearsal.NewSession(rehearsal.NewEmbedded(context.Background(), []site.Host{f}, useragent.Options{}), origin)
		for i, step := range []rehearsal.Step{{Open: origin + "/"}, {Push: "now", HasPush: true}, {Open: origin + "/"},
			{Open: origin + "/"},
			{Expect: &rehearsal.Expectation{Outcome: "whole", NoneMissing: true, Missing: []string{},
				Asked: []string{"/d/a.png", "/s/b.png"}, NotKept: []string{"/d/a.png", "/s/b.png"}}}} {
			assert.Empty(t, b.Step(step).Wrong, "%s, step %d", name, i)
		}
		b.Close()
	}
}

// Where a deployment has not arrived whole, or a cache on the way answers with old bytes, the release that is there
// stays.
func TestHalfDeployed(t *testing.T) {
	files := map[string]string{"index.html": htmlPage("One", "<img src=p.png>"), "p.png": "picture"}
	first := deploy(t, `{pack: {include: ["/*"]}, takeover: at-once}`, files)
	files["index.html"], files["p.png"] = htmlPage("Two", "<img src=p.png>"), "another"
	for verify, want := range map[string]string{"yes": "One", "no": "Two"} {
		second := deploy(t, `{pack: {include: ["/*"], verify: `+verify+`}, takeover: at-once}`, files)
		host := &switching{Folder: first, asked: map[string]int{}}
		b := useragent.New(context.Background(), []site.Host{host}, useragent.Options{})
		tab := b.Open(origin+"/", nil)
		b.Settle()
		host.Folder = second.With(map[string][]byte{"p.png": []byte("picture")})
		for range 2 {
			tab = b.Open(origin+"/", tab)
			b.Settle()
		}
		assert.Equal(t, want, tab.Title, "verify: %s", verify)
		b.Close()
	}
}

// Online, whatever the rules, a page gets what it would get without a worker.
func FuzzOnline(f *testing.F) {
	for seed := range uint64(40) {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, seed uint64) {
		r := rand.New(rand.NewPCG(seed, 1))
		pick := func(list ...string) string { return list[r.IntN(len(list))] }
		var rules []string
		for range r.IntN(5) {
			answer := pick("cache-first", "network-first", "stale-while-revalidate", "network-only")
			rule := "match: \"" + pick("/*", "/d/*", "/d/:x.json", "/p/*.png", "https://tiles.example/*", "/gone/*",
				"/moved/*") + "\", answer: " + answer
			if d := pick("", "", "image", "document", "data", "script", "video"); d != "" {
				rule += ", destination: " + d
			}
			if answer == "network-first" {
				rule += pick("", ", patience: 2s")
			}
			if answer != "network-only" {
				rule += pick("", ", keep: {at_most: 2}", ", keep: {for: 1s, bytes: 1 kB}", ", statuses: [200, 404]",
					", opaque: yes, keep: {at_most: 3}", ", ignore_query: [q]", ", even_private: yes", ", on_release: drop")
			}
			rules = append(rules, "{"+rule+"}")
		}
		settings := "{rules: [" + strings.Join(rules, ", ") + "], takeover: " + pick("ask", "at-once", "when-closed") +
			", pack: {include: [" + pick("/", "/, /d/*", "/, /p/a.png, /film.mp4") + "]" + pick("", ", ignore_query: [from]",
			", verify: no") + "}"
		settings += pick("", ", never: [/d/*]") + pick("", ", stand_ins: {page: /other.html, image: /p/a.png}",
			", stand_ins: {page: /other.html, status: 503, data: {body: x}}") + "}"
		body := `<img src=p/a.png><img src="p/b.png?q=1"><img src=p/none.png><img src=moved/a.png><img src=https://tiles.example/1.png><video src=film.mp4></video>
			<script src=d/x.js></script><link rel=stylesheet href=d/x.css><script>fetch('/d/a.json');fetch('/d/a.json?q=2');fetch('/gone/x');fetch('/d/secret.json')</script><iframe src=frame.html></iframe>`
		hosting := "\nhosting:\n  redirects: [{match: /moved/*, to: /p/a.png}, {match: /away, to: /other.html}]\n  " +
			"statuses: [{match: /gone/*, status: 410}]\n  headers: [{match: /d/secret.json, set: {Cache-Control: no-store}}]\n"
		files := map[string]string{"index.html": htmlPage("Pier", body), "other.html": htmlPage("Other", body),
			"frame.html": "<img src=p/a.png>", "p/a.png": "a", "p/b.png": "b", "film.mp4": "film",
			"d/x.js": "fetch('/d/a.json')", "d/x.css": "p{}", "d/a.json": "{}", "d/secret.json": "{}"}
		tiles, err := project.Parse("tachyform.yaml", nil)
		require.NoError(t, err)
		dir := t.TempDir()
		require.NoError(t, os.WriteFile(filepath.Join(dir, "1.png"), []byte("tile"), 0o644))
		other, err := site.OpenFolder(dir, "https://tiles.example", "/", tiles.Host)
		require.NoError(t, err)
		with := deploy(t, settings+hosting, files)
		visits := []string{"/", "/other.html", "/?q=3", "/away", "/nowhere", "/", "/other.html"}
		seen := func(host site.Host) (list []string) {
			b := useragent.New(context.Background(), []site.Host{host, other}, useragent.Options{})
			defer b.Close()
			var tab *document.Tab
			for _, v := range visits {
				tab = b.Open(origin+v, tab)
				b.Settle()
				list = append(list, fmt.Sprint(v, " ", tab.FinalURL, " ", tab.Status, " ", tab.Title))
				var loads []string
				for _, l := range tab.Loads {
					status := l.Status
					if status == 206 {
						status = 200 // a whole copy may answer where a part was asked for, and the other way round
					}
					loads = append(loads, fmt.Sprint("  ", l.URL, " ", status, " ", l.Bytes, " ", l.Missing, l.Done))
				}
				slices.Sort(loads)
				list = append(list, loads...)
			}
			return list
		}
		assert.Equal(t, seen(with.With(map[string][]byte{"worker.js": nil})), seen(with), settings)
	})
}

// A new release fetches only what changed, keeps nothing of the old one, and leaves other caches alone.
func TestNextRelease(t *testing.T) {
	files := map[string]string{"index.html": htmlPage("One", "<img src=p.png>"), "p.png": "picture"}
	first := deploy(t, `{pack: {include: ["/*"]}, takeover: at-once}`, files)
	files["index.html"] = htmlPage("Two", "<img src=p.png>")
	second := deploy(t, `{pack: {include: ["/*"]}, takeover: at-once}`, files)
	host := &switching{Folder: first, asked: map[string]int{}}
	b := useragent.New(context.Background(), []site.Host{host}, useragent.Options{})
	defer b.Close()
	tab := b.Open(origin+"/", nil)
	b.Settle()
	host.Folder, host.asked = second, map[string]int{}
	tab = b.Open(origin+"/", tab)
	b.Settle()
	assert.Equal(t, "One", tab.Title, "the release that was there answers until the new one is installed")
	assert.Equal(t, 0, host.asked["/p.png"], "an unchanged file is not fetched again")
	assert.Equal(t, 1, host.asked["/"])
	tab = b.Open(origin+"/", tab)
	assert.Equal(t, "Two", tab.Title)
}

// switching is a host whose content is replaced, and that counts what it is asked for.
type switching struct {
	*site.Folder
	asked map[string]int
}

func (s *switching) Answer(ctx context.Context, r *site.Request) (*site.Response, error) {
	s.asked[r.URL.Pathname()]++
	return s.Folder.Answer(ctx, r)
}

func compressed(code []byte) int {
	var b bytes.Buffer
	z, _ := gzip.NewWriterLevel(&b, 9)
	z.Write(code)
	z.Close()
	return b.Len()
}

// The code is the same for the same input, small when little is asked of it, and holds no switch that was decided.
func TestCode(t *testing.T) {
	plan := func(settings string) *worker.Plan {
		p, err := project.Parse("tachyform.yaml", []byte("worker: "+settings))
		require.NoError(t, err)
		dir := t.TempDir()
		for _, name := range []string{"index.html", "film.mp4", "p.png", "f.woff2"} {
			require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(htmlPage("x", "")), 0o644))
		}
		f, err := site.OpenFolder(dir, origin, "/", p.Host)
		require.NoError(t, err)
		w, err := worker.NewPlan(context.Background(), p, f, nil)
		require.NoError(t, err)
		return w
	}
	small := plan(`{pack: {include: [/]}, stand_ins: {page: /}, takeover: when-closed}`)
	one, err := worker.Generate(small, worker.Options{Minify: true})
	require.NoError(t, err)
	two, err := worker.Generate(small, worker.Options{Minify: true})
	require.NoError(t, err)
	assert.Equal(t, string(one), string(two))
	assert.LessOrEqual(t, compressed(one), 1600, "bytes of the smallest useful worker, minified and compressed")
	every,
		err := worker.Generate(plan(`{pack: {include: [/, /film.mp4], ignore_query: [from]}, never: [/admin/*], shell: {page: /, except: [/old/*]}, takeover: ask,
  stand_ins: {page: /, status: 503, image: /p.png, font: /f.woff2, data: {body: "{}"}}, rules: [
  {match: /data/*, answer: network-first, patience: 2s, keep: {for: 1d, at_most: 10, bytes: 1 MB}, statuses: [200, 404], ignore_query: [t], tell: yes},
  {match: "https://tiles.example/*", answer: cache-first, opaque: yes, keep: {at_most: 10}}, {match: /x/*, answer: stale-while-revalidate, even_private: yes},
  {match: /y/*, answer: network-only, method: POST}, {match: /z/*, answer: cache-only}, {match: /*, destination: document, answer: network-first, on_release: refresh, at_install: yes}]}`), worker.Options{Minify: true})
	require.NoError(t, err)
	assert.LessOrEqual(t, compressed(every), 6000, "bytes of the worker with every feature")
	readable, err := worker.Generate(plan(`{pack: {include: [/]}, rules: [{match: /x, answer: cache-first}]}`),
		worker.Options{})
	require.NoError(t, err)
	for _, word := range []string{"networkFirst", "standIn", "//?", "if (true", "if (false", "eval", "//!", "runtime:"} {
		assert.NotContains(t, string(readable), word)
	}
}
