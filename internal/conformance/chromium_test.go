package conformance

import (
	"context"
	"encoding/json"
	"net/http/httptest"
	"os"
	"slices"
	"sort"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/audit"
	"tachyform/internal/driver/chromium"
	"tachyform/internal/serve"
	"tachyform/internal/testsite/demo"
)

// startChromium starts a real browser, or skips the test loudly where there is none; with CI=true that is a failure.
// startChromium starts a Chromium with a profile for this test alone.
func startChromium(t *testing.T) *chromium.Browser {
	t.Helper()
	needChromium(t)
	c, err := chromium.Start(context.Background())
	require.NoError(t, err)
	t.Cleanup(c.Close)
	return c
}

func needChromium(t *testing.T) {
	t.Helper()
	if _, err := chromium.Find(); err != nil {
		if os.Getenv("CI") == "true" {
			t.Fatal(err)
		}
		t.Skip("SKIPPED, NOT PROVEN IN A REAL BROWSER: " + err.Error())
	}
}

// The generated worker in a real browser: visit, stop the server, open every page, and compare with what was predicted.
func TestWorkerInChromium(t *testing.T) {
	t.Parallel()
	_, p := demo.Fitted(t)
	c := sharedChromium(t)
	server := httptest.NewUnstartedServer(nil)
	server.Start()
	server.Config.Handler = serve.Handler(p.SiteDir(), server.URL, p)
	p.Origin = server.URL

	f := demo.Open(t, p)
	predicted, err := audit.Run(context.Background(), audit.Input{Project: p, Name: "site", Host: f, Folder: f})
	require.NoError(t, err)

	var visits []string
	for _, v := range p.Audit.Visit {
		visits = append(visits, server.URL+v)
	}
	require.NoError(t, c.Visit(visits, "navigator.serviceWorker.ready.then(r => new Promise(done => { const look = () "+
		"=> r.active && r.active.state === 'activated' ? done() : setTimeout(look, 50); look(); }))"))
	refusals, err := c.InstallErrors(server.URL + "/")
	require.NoError(t, err)
	assert.Equal(t, len(refusals) == 0, predicted.Targets["chromium-desktop"].Installable, "the browser says %v", refusals)

	text, err := c.Evaluate(server.URL+"/",
		`caches.keys().then(names => Promise.all(names.map(n => caches.open(n).then(c => c.keys()).then(k => [n, k.map(r => r.url.slice(location.origin.length)).sort()])))).then(l => JSON.stringify(Object.fromEntries(l)))`)
	require.NoError(t, err)
	var caches map[string][]string
	require.NoError(t, json.Unmarshal([]byte(text), &caches))
	for _, list := range predicted.Worker.Caches {
		sort.Strings(list)
	}
	assert.Equal(t, caches, predicted.Worker.Caches)

	server.CloseClientConnections()
	server.Close()
	require.NoError(t, c.StopWorkers())
	require.NotEmpty(t, predicted.Pages)
	for _, page := range predicted.Pages {
		seen, err := c.Open(server.URL + page.URL)
		require.NoError(t, err)
		want := page.Under["offline"]
		opens := want.Outcome != "lost" && want.Outcome != "stuck"
		assert.Equal(t, seen.Opened, opens, page.URL)
		if opens && seen.Opened {
			assert.Equal(t, seen.Title, want.Title, page.URL)
			assert.EqualValues(t, seen.Status, want.Status, page.URL)
			missing := []string{}
			for _, u := range seen.Missing {
				if u = strings.TrimPrefix(u, server.URL); !strings.HasPrefix(u, "/icons/") && u != "/favicon.ico" {
					missing = append(missing, u)
				}
			}
			slices.Sort(missing)
			assert.Equal(t, missing, want.Missing, page.URL)
		}
	}
}
