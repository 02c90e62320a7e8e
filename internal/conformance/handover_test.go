package conformance

import (
	"context"
	"fmt"
	"net/http"
	"net/http/httptest"
	"path/filepath"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/driver"
	"tachyform/internal/driver/chromium"
	"tachyform/internal/fit"
	"tachyform/internal/handover"
	"tachyform/internal/project"
	"tachyform/internal/recorded"
	"tachyform/internal/serve"
	"tachyform/internal/site"
	"tachyform/internal/testsite"
	"tachyform/internal/testsite/demo"
	"tachyform/internal/useragent"
)

// recordedRelease is a step of an update as a real browser recorded it.
type recordedRelease struct {
	Step      string
	Navigated bool
	HTML      *string
	Text      *string
	Worker    struct{ Waiting *string }
	Requests  *int
	Bytes     *int64
	Documents *int
}

// TestRecordedHandovers hands the recorded sites over to their next releases, as the recorded browser saw it.
func TestRecordedHandovers(t *testing.T) {
	cases, err := filepath.Glob(filepath.Join(sitesDir(t), "*", "next"))
	require.NoError(t, err)
	known := readDifferences(t, "handover")
	defer known.end(func(string) bool { return true })
	for _, path := range cases {
		folder := filepath.Dir(path)
		t.Run(filepath.Base(folder), func(t *testing.T) {
			var want struct {
				Update struct{ Steps []recordedRelease }
			}
			c, hosts, err := recorded.Load(folder, &want)
			require.NoError(t, err)
			var visit []string
			for _, v := range c.Visit {
				visit = append(visit, recorded.Origin+v)
			}
			got, err := handover.Run(context.Background(), handover.Input{Visit: visit, Only: []string{handover.Returning},
				Releases: []handover.Release{{Host: hosts[0], Others: hosts[1:]}, {Host: c.Next, Others: hosts[1:]}},
				Options:  useragent.Options{}})
			require.NoError(t, err)
			steps := got.Scenarios[0].Steps
			require.Len(t, steps, len(want.Update.Steps))
			for i, w := range want.Update.Steps {
				s := steps[i]
				require.Equal(t, w.Step, s.Name)
				assert.Equal(t, w.Navigated, s.Document != handover.Missing, w.Step)
				if w.HTML != nil {
					assert.Contains(t, map[string][]handover.Whose{"1": {handover.Old, handover.Same}, "2": {handover.New, handover.Same}}[*w.HTML],
						s.Document, w.Step)
				}
				if w.Text != nil && s.Text != nil {
					assert.Equal(t, strings.Join(strings.Fields(*w.Text), ""), strings.Join(strings.Fields(*s.Text), ""), w.Step)
				}
				assert.Equal(t, w.Worker.Waiting != nil, s.Waiting, w.Step)
				if w.Requests != nil && (*w.Requests != s.Requests || *w.Bytes != s.Bytes) {
					known.note(filepath.Base(folder) + " requests of " + w.Step)
				}
				if w.Documents != nil {
					assert.Equal(t, *w.Documents, s.Documents, w.Step)
				}
				t.Log(s.Name, s.Document, s.Files, s.Outcome, s.Requests, s.Bytes)
			}
			t.Logf("%+v", got.Scenarios[0].Arrival)
		})
	}
}

// served is two releases of a site behind one address, as a real browser meets them.
type served struct {
	*httptest.Server
	t         *testing.T
	releases  [2]*site.Folder
	handlers  [2]http.Handler
	now       atomic.Value // of hosting
	gone      atomic.Bool  // the network
	until     atomic.Int64 // requests that are still answered, where it is positive
	c         *chromium.Browser
	openTabs  map[string]driver.Tab
	stayAwake driver.Tab
}

// releasesServed fits two releases of a small site for the origin that serves them.
func releasesServed(t *testing.T, takeover string) *served {
	s := &served{t: t, openTabs: map[string]driver.Tab{}}
	s.Server = httptest.NewUnstartedServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if left := s.until.Add(-1); s.gone.Load() || left == 0 {
			s.gone.Store(true)
			if conn, _, err := w.(http.Hijacker).Hijack(); err == nil {
				conn.Close()
			}
			return
		}
		s.now.Load().(hosting).ServeHTTP(w, r)
	}))
	s.Start()
	t.Cleanup(s.Server.Close)
	for i := range s.releases {
		page := fmt.Sprintf(`<!doctype html><html lang="en"><head><title>%[1]d</title><link rel="stylesheet" href="/s.css"><script src="/s.js"></script></head><body><h1>Pier %[1]d</h1></body></html>`, i+1)
		dir := testsite.Write(t, map[string]string{"site/index.html": page, "site/s.css": fmt.Sprintf(":root { --v: %d }", i+1),
			"site/s.js":      fmt.Sprintf("document.documentElement.dataset.js = %d", i+1),
			"tachyform.yaml": "site: site\norigin: " + s.URL + "\napp: {name: Pier}\nworker: {takeover: " + takeover + ", pack: {include: [/*]}}\n"})
		p, err := project.Load(filepath.Join(dir, project.FileName))
		require.NoError(t, err)
		plan, err := fit.Prepare(context.Background(), p, demo.Open(t, p), nil)
		require.NoError(t, err)
		demo.Apply(t, plan)
		s.releases[i] = demo.Open(t, p)
		s.handlers[i] = serve.Handler(p.SiteDir(), s.URL, p)
	}
	s.now.Store(hosting{s.handlers[0]})
	s.c = startChromium(t)
	var err error
	s.stayAwake, err = s.c.NewTab()
	require.NoError(t, err)
	return s
}

// settle waits for the browser's check for an update, some two seconds after a navigation, and what comes of it.
func (s *served) settle() { time.Sleep(3 * time.Second) }

func (s *served) open(tab string) {
	if s.openTabs[tab] == nil {
		opened, err := s.c.NewTab()
		require.NoError(s.t, err)
		s.openTabs[tab] = opened
	}
	require.NoError(s.t, s.openTabs[tab].Load(s.URL+"/"))
	s.settle()
}

func (s *served) quit() {
	for name, tab := range s.openTabs {
		tab.Close()
		delete(s.openTabs, name)
	}
	time.Sleep(300 * time.Millisecond)
	require.NoError(s.t, s.c.StopWorkers())
}

// shows gives the releases of document, script and style.
func (s *served) shows(tab string) string {
	var text string
	var err error
	for range 50 { // on a busy machine a document may only be coming
		text, err = s.openTabs[tab].Evaluate("document.title + (document.documentElement.dataset.js ?? '-') + " +
			"(getComputedStyle(document.documentElement).getPropertyValue('--v').trim() || '-')")
		if err == nil {
			break
		}
		time.Sleep(100 * time.Millisecond)
	}
	require.NoError(s.t, err)
	return text
}

// predicted is the same of a step here.
func predicted(s *handover.Step) (text string) {
	for _, w := range []handover.Whose{s.Document, s.Files["/s.js"], s.Files["/s.css"]} {
		text += map[handover.Whose]string{handover.Old: "1", handover.New: "2"}[w]
	}
	return text
}

// TestHandoversInChromium plays three more scenarios than the recorded ones in a real browser.
func TestHandoversInChromium(t *testing.T) {
	for i, c := range []struct {
		scenario, takeover string
		play               func(*served, func(tab string))
	}{
		{"two-tabs", "at-once", func(s *served, note func(string)) {
			s.open("b")
			s.now.Store(hosting{s.handlers[1]})
			s.open("")
			note("")
			note("b")
			s.open("")
			note("")
			s.openTabs["b"].Close()
			delete(s.openTabs, "b")
			s.open("")
			note("")
			s.quit()
			s.open("")
			note("")
		}},
		{"pages-first", "when-closed", func(s *served, note func(string)) {
			s.now.Store(hosting{http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
				s.handlers[map[bool]int{true: 1, false: 0}[r.URL.Path == "/" || r.URL.Path == "/index.html"]].ServeHTTP(w, r)
			})})
			s.open("")
			note("")
			s.open("")
			note("")
			s.now.Store(hosting{s.handlers[1]})
			s.open("")
			note("")
			s.quit()
			s.open("")
			note("")
			s.quit()
			s.gone.Store(true)
			s.open("")
			note("")
		}},
		{"cut-off", "ask", func(s *served, note func(string)) {
			s.now.Store(hosting{s.handlers[1]})
			s.until.Store(3) // the worker's script and a file
			s.open("")
			note("")
			s.quit()
			s.open("")
			note("")
			s.quit()
			s.gone.Store(false)
			s.open("")
			note("")
			s.quit()
			s.open("")
			note("")
		}},
	} {
		if !sampled(i, 3) {
			continue
		}
		t.Run(c.scenario, func(t *testing.T) {
			s := releasesServed(t, c.takeover)
			var there, here []string
			note := func(tab string) { there = append(there, s.shows(tab)) }
			s.open("")
			s.open("")
			c.play(s, note)
			r, err := handover.Run(context.Background(), handover.Input{Visit: []string{s.URL + "/"}, Only: []string{c.scenario},
				Releases: []handover.Release{{Host: s.releases[0]}, {Host: s.releases[1]}}})
			require.NoError(t, err)
			for _, step := range r.Scenarios[0].Steps {
				if step.Name != "old" {
					here = append(here, predicted(step))
				}
			}
			assert.Equal(t, there, here)
		})
	}
}
