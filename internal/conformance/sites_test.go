package conformance

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"sort"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/tools/txtar"

	"tachyform/internal/condition"
	"tachyform/internal/driver/chromium"
	"tachyform/internal/project"
	"tachyform/internal/rehearsal"
	"tachyform/internal/serve"
	"tachyform/internal/site"
	"tachyform/internal/useragent"
)

// Each file of testdata/sites is a small site with a mechanism of its own; beside it stands what a real Chromium did
// with it. TACHYFORM_RECORD=1 go test ./internal/cli -run TestSites records all of them anew.

// siteRecord is what came of a site, with addresses on its own origin as paths.
type siteRecord struct {
	// Worker is the active worker's script, "" when there is none.
	Worker  string              `json:"worker"`
	Caches  map[string][]string `json:"caches"`
	Offline []pageRecord        `json:"offline"`
	// Steps are what the next release comes to: a reload, another one, and a new visit after all tabs were closed.
	Steps []stepRecord `json:"steps,omitempty"`
}

type pageRecord struct {
	URL     string   `json:"url"`
	Opened  bool     `json:"opened"`
	Status  int      `json:"status"`
	Title   string   `json:"title"`
	Missing []string `json:"missing"`
}

type stepRecord struct {
	Step       string              `json:"step"`
	Title      string              `json:"title"`
	Controlled bool                `json:"controlled"`
	Worker     string              `json:"worker"`
	Waiting    bool                `json:"waiting"`
	Caches     map[string][]string `json:"caches"`
}

// smallSite is one of them, unpacked.
type smallSite struct {
	project  *project.Project
	archive  *txtar.Archive
	releases []string // folders: site, next
	dir      string
}

var releaseSteps = []string{"reload", "reload again", "closed and opened"}

// unpackSite writes a site's files with the origins filled in.
func unpackSite(t *testing.T, path, origin, other string) *smallSite {
	t.Helper()
	a, err := txtar.ParseFile(path)
	require.NoError(t, err)
	s := &smallSite{archive: a, dir: t.TempDir()}
	fill := strings.NewReplacer("__ORIGIN__", origin, "__OTHER__", other, "http://other", other)
	for _, f := range a.Files {
		text := fill.Replace(string(f.Data))
		if f.Name == "case.yaml" {
			s.project, err = project.Parse(path, []byte(text))
			require.NoError(t, err)
			continue
		}
		file := filepath.Join(s.dir, filepath.FromSlash(f.Name))
		require.NoError(t, os.MkdirAll(filepath.Dir(file), 0o755))
		require.NoError(t, os.WriteFile(file, []byte(text), 0o644))
	}
	s.releases = []string{filepath.Join(s.dir, "site")}
	if next := filepath.Join(s.dir, "next"); exists(next) {
		s.releases = append(s.releases, next)
	}
	return s
}

func exists(path string) bool {
	_, err := os.Stat(path)
	return err == nil
}

func (s *smallSite) open(t *testing.T, release int, origin string) *site.Folder {
	f, err := site.OpenFolder(s.releases[release], origin, s.project.Addr, s.project.Host)
	require.NoError(t, err)
	return f
}

// others opens what lies on other origins.
func (s *smallSite) others(t *testing.T) (hosts []site.Host) {
	for _, o := range s.project.Others {
		f, err := site.OpenFolder(filepath.Join(s.dir, o.Folder), o.Origin, "/", o.Host)
		require.NoError(t, err)
		hosts = append(hosts, f)
	}
	return hosts
}

func predict(t *testing.T, path string) *siteRecord {
	const origin, other = "http://origin", "http://other"
	s := unpackSite(t, path, origin, other)
	hosts := append([]site.Host{s.open(t, 0, origin)}, s.others(t)...)
	out := &siteRecord{Caches: map[string][]string{}}
	local := func(u string) string { return strings.Replace(u, origin+"/", "/", 1) }
	caches := func(list []useragent.CacheContent) map[string][]string {
		m := map[string][]string{}
		for _, c := range list {
			m[c.Name] = []string{}
			for _, e := range c.Entries {
				m[c.Name] = append(m[c.Name], local(e.URL))
			}
			sort.Strings(m[c.Name])
		}
		return m
	}
	r := &rehearsal.Rehearsal{Hosts: hosts, Conditions: []condition.Condition{condition.Offline}, HTTPCache: true}
	for _, v := range s.project.Audit.Visit {
		r.Visit = append(r.Visit, origin+v)
	}
	for _, p := range s.project.Audit.Pages {
		r.Pages = append(r.Pages, origin+p)
	}
	got, err := r.Run(context.Background())
	require.NoError(t, err)
	out.Caches = caches(got.Caches)
	if got.Worker != nil && (got.Worker.State == "activated" || got.Worker.State == "activating") {
		out.Worker = local(got.Worker.Script)
	}
	for _, p := range got.Pages {
		o := p.Under["offline"]
		rec := pageRecord{URL: local(p.URL), Opened: o.Outcome != rehearsal.Lost && o.Outcome != rehearsal.Stuck,
			Missing: []string{}}
		if rec.Opened {
			rec.Status, rec.Title = o.Status, o.Title
			for _, l := range o.Missing {
				rec.Missing = append(rec.Missing, local(l.URL))
			}
			sort.Strings(rec.Missing)
			rec.Missing = slices.Compact(rec.Missing)
		}
		out.Offline = append(out.Offline, rec)
	}
	if len(s.releases) < 2 {
		return out
	}
	stage := rehearsal.NewSession(rehearsal.NewEmbedded(context.Background(), hosts, useragent.Options{HTTPCache: true}),
		hosts[0].Origin())
	defer stage.Close()
	for _, v := range r.Visit {
		stage.Step(rehearsal.Step{Open: v})
	}
	stage.Step(rehearsal.Step{Deploy: []site.Host{s.open(t, 1, origin)}})
	for _, name := range releaseSteps {
		step := rehearsal.Step{Reload: "normal"}
		if name == releaseSteps[2] {
			stage.Step(rehearsal.Step{Close: "tab"})
			step = rehearsal.Step{Open: r.Visit[len(r.Visit)-1]}
		}
		stage.Step(step)
		v := stage.View("")
		active, waiting, _ := stage.Worker()
		rec := stepRecord{Step: name, Title: v.Title, Controlled: v.Controlled, Waiting: waiting != nil,
			Caches: caches(stage.Caches())}
		if active != nil {
			rec.Worker = local(active.Script)
		}
		out.Steps = append(out.Steps, rec)
	}
	return out
}

// atRest waits on a page until no worker is being installed, through the check for updates after a navigation.
const atRest = `(async () => {
  for (let calm = 0, n = 0; calm < 26 && n < 80; n++) {
    const all = 'serviceWorker' in navigator ? await navigator.serviceWorker.getRegistrations() : [];
    calm = all.some((r) => r.installing || (r.active && r.active.state === 'activating')) ? 0 : calm + 1;
    await new Promise((ok) => setTimeout(ok, 100));
  }
  const all = await navigator.serviceWorker.getRegistrations();
  const caches_ = {};
  for (const name of await caches.keys()) caches_[name] = (await (await caches.open(name)).keys()).map((r) => r.url).sort();
  return JSON.stringify({ worker: all[0]?.active?.scriptURL ?? '', waiting: Boolean(all[0]?.waiting), caches: caches_, controlled: Boolean(navigator.serviceWorker.controller), title: document.title });
})()`

type restState struct {
	Worker     string              `json:"worker"`
	Waiting    bool                `json:"waiting"`
	Caches     map[string][]string `json:"caches"`
	Controlled bool                `json:"controlled"`
	Title      string              `json:"title"`
}

// rest waits on the page that a tab shows. A worker may send the page away meanwhile; then it is looked at again.
func rest(t *testing.T, tab *chromium.Tab) (state restState) {
	for try := 0; ; try++ {
		text, err := tab.Evaluate(atRest)
		if err != nil && try < 5 {
			time.Sleep(500 * time.Millisecond)
			continue
		}
		require.NoError(t, err)
		require.NoError(t, json.Unmarshal([]byte(text), &state))
		return state
	}
}

// record does with a real browser what predict does without one.
func record(t *testing.T, path string) *siteRecord {
	c := startChromium(t)
	defer c.Close()
	listen := func() (net.Listener, string) {
		l, err := net.Listen("tcp", "127.0.0.1:0")
		require.NoError(t, err)
		return l, "http://" + l.Addr().String()
	}
	mainListener, origin := listen()
	otherListener, other := listen()
	s := unpackSite(t, path, origin, other)
	startAt := func(l net.Listener, h http.Handler) *httptest.Server {
		server := &httptest.Server{Listener: l, Config: &http.Server{Handler: h}}
		server.Start()
		return server
	}
	release := 0
	main := startAt(mainListener, http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		serve.Handler(s.releases[release], origin, s.project).ServeHTTP(w, r)
	}))
	elsewhere := startAt(otherListener, http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		for _, o := range s.project.Others {
			serve.Handler(filepath.Join(s.dir, o.Folder), other, &project.Project{Addr: "/", Host: o.Host}).ServeHTTP(w, r)
			return
		}
		http.NotFound(w, r)
	}))
	local := strings.NewReplacer(origin+"/", "/", other, "http://other")
	localAll := func(m map[string][]string) map[string][]string {
		for _, list := range m {
			for i := range list {
				list[i] = local.Replace(list[i])
			}
			sort.Strings(list)
		}
		return m
	}
	visit := func(tab *chromium.Tab) (state restState) {
		for _, v := range s.project.Audit.Visit {
			_, err := tab.Go(origin + v)
			require.NoError(t, err)
			state = rest(t, tab)
		}
		return state
	}
	tab, err := c.OpenTab()
	require.NoError(t, err)
	state := visit(tab)
	tab.Close()
	out := &siteRecord{Worker: local.Replace(state.Worker), Caches: localAll(state.Caches)}
	main.CloseClientConnections()
	elsewhere.CloseClientConnections()
	main.Close()
	elsewhere.Close()
	require.NoError(t, c.StopWorkers())
	for _, p := range s.project.Audit.Pages {
		v, err := c.Open(origin + p)
		require.NoError(t, err)
		rec := pageRecord{URL: p, Opened: v.Opened, Status: int(v.Status), Title: v.Title, Missing: []string{}}
		if strings.HasPrefix(origin, "http://"+strings.SplitN(v.Title, "/", 2)[0]) {
			rec.Title = "" // a page without a title shows its address
		}
		for _, m := range v.Missing {
			if m = local.Replace(m); m != "/favicon.ico" {
				rec.Missing = append(rec.Missing, m)
			}
		}
		out.Offline = append(out.Offline, rec)
	}
	if len(s.releases) < 2 {
		return out
	}
	// The releases are gone through in a browser of their own, at the same addresses.
	again := startChromium(t)
	defer again.Close()
	mainListener, err = net.Listen("tcp", strings.TrimPrefix(origin, "http://"))
	require.NoError(t, err)
	main = startAt(mainListener, main.Config.Handler)
	defer main.Close()
	tab, err = again.OpenTab()
	require.NoError(t, err)
	visit(tab)
	release = 1
	for _, name := range releaseSteps {
		if name == releaseSteps[2] {
			tab.Close()
			time.Sleep(500 * time.Millisecond)
			tab, err = again.OpenTab()
			require.NoError(t, err)
		}
		_, err := tab.Go(origin + s.project.Audit.Visit[len(s.project.Audit.Visit)-1])
		require.NoError(t, err)
		state = rest(t, tab)
		out.Steps = append(out.Steps, stepRecord{name, state.Title, state.Controlled, local.Replace(state.Worker),
			state.Waiting, localAll(state.Caches)})
	}
	tab.Close()
	return out
}

func readable(t *testing.T, r *siteRecord) string {
	var b bytes.Buffer
	enc := json.NewEncoder(&b)
	enc.SetEscapeHTML(false)
	enc.SetIndent("", " ")
	require.NoError(t, enc.Encode(r))
	// Lists of addresses stay on a line each.
	return regexp.MustCompile(`\[[^\[\]{}]*\]`).ReplaceAllStringFunc(b.String(),
		func(s string) string { return strings.Join(strings.Fields(s), " ") })
}

// TestSites compares what the embedded user agent makes of each site with what was recorded of a real browser.
func TestSites(t *testing.T) {
	paths, err := filepath.Glob("testdata/sites/*.txtar")
	require.NoError(t, err)
	require.GreaterOrEqual(t, len(paths), 40)
	for _, path := range paths {
		t.Run(strings.TrimSuffix(filepath.Base(path), ".txtar"), func(t *testing.T) {
			kept := strings.TrimSuffix(path, ".txtar") + ".json"
			if os.Getenv("TACHYFORM_RECORD") != "" {
				require.NoError(t, os.WriteFile(kept, []byte(readable(t, record(t, path))), 0o644))
			}
			want, err := os.ReadFile(kept)
			require.NoError(t, err, "TACHYFORM_RECORD=1 records it")
			assert.Equal(t, string(want), readable(t, predict(t, path)))
		})
	}
}

// TestSitesLive records a few sites anew, so that the records keep being those of a browser of today.
func TestSitesLive(t *testing.T) {
	t.Parallel()
	for i, name := range []string{"04-page-for-no-network", "13-module-worker", "26-style-chain",
		"42-takes-over-at-once"} {
		if !sampled(i, 3) {
			continue
		}
		path := fmt.Sprintf("testdata/sites/%s.txtar", name)
		want, err := os.ReadFile(strings.TrimSuffix(path, ".txtar") + ".json")
		require.NoError(t, err)
		assert.Equal(t, string(want), readable(t, record(t, path)), name)
	}
}
