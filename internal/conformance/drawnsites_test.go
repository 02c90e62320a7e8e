package conformance

import (
	"context"
	"encoding/json"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/condition"
	"tachyform/internal/driver/chromium"
	"tachyform/internal/rehearsal"
	"tachyform/internal/serve"
	"tachyform/internal/site"
	"tachyform/internal/useragent/document"
)

// Each file of testdata/drawnsites is a small site whose scripts decide what is drawn, each of testdata/drawnapps an app
// that a framework drives, built for production; beside it stands what a real Chromium drew, online and then offline, in one profile. TACHYFORM_RECORD=1 records all of them anew.

// drawnPage is what a page showed once it had come to rest.
type drawnPage struct {
	URL    string   `json:"url"`
	Opened bool     `json:"opened"`
	Title  string   `json:"title"`
	Text   string   `json:"text"`
	Links  []string `json:"links"`
}

// drawnPages are those that were visited, and those that were opened offline.
type drawnPages struct {
	Online  []drawnPage `json:"online"`
	Offline []drawnPage `json:"offline"`
}

// squeezed takes out what layout alone decides: white space, and capitals that a style asks for.
func squeezed(text string) string { return strings.ToLower(strings.Join(strings.Fields(text), "")) }

// shown is what the page that a tab shows has to tell.
const shown = `JSON.stringify({ opened: true, title: document.title, text: document.body?.innerText ?? '',
  links: [...new Set([...document.querySelectorAll('a[href]')].map((a) => new URL(a.href)).filter((u) => u.origin === location.origin)
    .map((u) => u.pathname))].sort() })`

// lookAt opens a URL in a tab of a real browser and reads what it shows.
func lookAt(t *testing.T, tab *chromium.Tab, origin, path string, worker bool) drawnPage {
	v, err := tab.Go(origin + path)
	require.NoError(t, err)
	if !v.Opened {
		return drawnPage{URL: path, Links: []string{}}
	}
	if worker {
		rest(t, tab)
	}
	out := look(t, tab)
	out.URL = path
	return out
}

// look reads what a tab of a real browser shows once it has come to rest.
func look(t *testing.T, tab *chromium.Tab) drawnPage {
	began := time.Now()
	out := drawnPage{Links: []string{}}
	text, err := tab.Evaluate(shown)
	require.NoError(t, err)
	// On a busy machine a page may still draw: what counts is what stays for a while.
	for same := 0; same < 4; {
		time.Sleep(100 * time.Millisecond)
		now, err := tab.Evaluate(shown)
		require.NoError(t, err)
		if same++; now != text {
			text, same = now, 0
		}
		if time.Since(began) > 20*time.Second { // it never comes to rest
			break
		}
	}
	require.NoError(t, json.Unmarshal([]byte(text), &out))
	out.Text = squeezed(out.Text)
	return out
}

// recordDrawn goes through a site with a real browser.
func recordDrawn(t *testing.T, path string) (out drawnPages) {
	c := startChromium(t)
	defer c.Close()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	origin := "http://" + l.Addr().String()
	s := unpackSite(t, path, origin, "http://other")
	server := &httptest.Server{Listener: l, Config: &http.Server{Handler: http.HandlerFunc(func(w http.ResponseWriter,
		r *http.Request) {
		serve.Handler(s.releases[0], origin, s.project).ServeHTTP(w, r)
	})}}
	server.Start()
	tab, err := c.OpenTab()
	require.NoError(t, err)
	for _, p := range s.project.Audit.Visit {
		out.Online = append(out.Online, lookAt(t, tab, origin, p, true))
	}
	tab.Close()
	server.CloseClientConnections()
	server.Close()
	require.NoError(t, c.StopWorkers())
	for _, p := range s.project.Audit.Pages {
		tab, err := c.OpenTab()
		require.NoError(t, err)
		out.Offline = append(out.Offline, lookAt(t, tab, origin, p, false))
		tab.Close()
	}
	return out
}

// predictDrawn goes through it with the embedded user agent.
func predictDrawn(t *testing.T, path string) (out drawnPages) {
	const origin = "http://origin"
	s := unpackSite(t, path, origin, "http://other")
	r := &rehearsal.Rehearsal{Hosts: []site.Host{s.open(t, 0, origin)}, HTTPCache: true, OneProfile: true,
		Conditions: []condition.Condition{condition.Offline}}
	for _, p := range s.project.Audit.Visit {
		r.Visit = append(r.Visit, origin+p)
	}
	for _, p := range s.project.Audit.Pages {
		r.Pages = append(r.Pages, origin+p)
	}
	got, err := r.Run(context.Background())
	require.NoError(t, err)
	page := func(url string, v *document.View, opened bool) drawnPage {
		p := drawnPage{URL: strings.TrimPrefix(url, origin), Opened: opened, Links: []string{}}
		if v != nil && opened {
			p.Title, p.Text = v.Title, squeezed(v.Text())
			p.Links = append(p.Links, v.Links()...)
		}
		return p
	}
	for i, v := range got.Visits {
		out.Online = append(out.Online, page(r.Visit[i], v, true))
	}
	for _, p := range got.Pages {
		o := p.Under["offline"]
		require.Nil(t, o.Doubt, "%s is not known offline", p.URL)
		out.Offline = append(out.Offline, page(p.URL, o.View, o.Outcome != rehearsal.Lost && o.Outcome != rehearsal.Stuck))
	}
	return out
}

// TestDrawnSites compares what is drawn here with what a real browser drew.
func TestDrawnSites(t *testing.T) {
	paths, err := filepath.Glob("testdata/drawnsites/*.txtar")
	require.NoError(t, err)
	require.GreaterOrEqual(t, len(paths), 30)
	apps, err := filepath.Glob("testdata/drawnapps/*.txtar")
	require.NoError(t, err)
	require.GreaterOrEqual(t, len(apps), 10)
	paths = append(paths, apps...)
	for _, path := range paths {
		t.Run(strings.TrimSuffix(filepath.Base(path), ".txtar"), func(t *testing.T) {
			kept := strings.TrimSuffix(path, ".txtar") + ".json"
			if os.Getenv("TACHYFORM_RECORD") != "" {
				text, err := json.MarshalIndent(recordDrawn(t, path), "", " ")
				require.NoError(t, err)
				require.NoError(t, os.WriteFile(kept, append(text, '\n'), 0o644))
			}
			var want drawnPages
			text, err := os.ReadFile(kept)
			require.NoError(t, err, "TACHYFORM_RECORD=1 records it")
			require.NoError(t, json.Unmarshal(text, &want))
			assert.Equal(t, want, predictDrawn(t, path))
		})
	}
}
