package conformance

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"maps"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/driver"
	"tachyform/internal/driver/firefox"
	"tachyform/internal/driver/webkit"
	"tachyform/internal/site"
	"tachyform/internal/target"
	"tachyform/internal/useragent"
)

// tripsDir holds what the pages of trips run, and what came of the trips in real browsers.
const tripsDir = "testdata/backforward"

// trip is a page that is left for another one, with what its scripts do before, and those of the other page.
type trip struct {
	feature, away string
	// worker has a service worker control it, outside leaves it for a page that this does not control.
	worker, outside bool
	status          int
	noStore         bool
}

var trips = map[string]trip{
	"plain":                     {},
	"an unload listener":        {feature: "addEventListener('unload', () => {})"},
	"an unload handler":         {feature: "window.onunload = () => {}"},
	"a beforeunload listener":   {feature: "addEventListener('beforeunload', () => note('beforeunload'))"},
	"a frame that hears unload": {feature: "document.write('<iframe src=inner></iframe>')"},
	"a timer":                   {feature: "setTimeout(() => note('timer'), 600)"},
	"an interval":               {feature: "let n = 0; setInterval(() => { if (n++ < 3) note('round') }, 300)", away: "pause(2000)"},
	"a request under way":       {feature: "fetch('slow').then((r) => note(r.status), (e) => note(e.name))"},
	"a dedicated worker":        {feature: "new Worker('data:text/javascript,')"},
	"a lock that is held":       {feature: "navigator.locks.request('tide', () => new Promise(() => {}))"},
	"a lock that was held":      {feature: "navigator.locks.request('tide', () => {})"},
	"a lock that is wanted": {feature: "navigator.locks.request('tide', () => new Promise(() => {}))",
		away: "navigator.locks.request('tide', () => 'had')"},
	"a message to a channel": {feature: "new BroadcastChannel('tide').onmessage = () => note('heard')",
		away: "new BroadcastChannel('tide').postMessage(1)"},
	"a database":                  {feature: "indexedDB.open('tide').onsuccess = (e) => { window.held = e.target.result }"},
	"a database that must change": {feature: "indexedDB.open('tide2', 1).onsuccess = (e) => { window.held = e.target.result }", away: "new Promise((done) => { const r = indexedDB.open('tide2', 2 + Math.floor(performance.now())); r.onsuccess = () => { r.result.close(); done('opened') } })"},
	"a stored item":               {feature: "addEventListener('storage', (e) => note('storage'))", away: "localStorage.setItem('tide', performance.now())"},
	"a page without success":      {status: 404},
	"a page that may not be kept": {noStore: true},
	"a state of its own":          {feature: "history.replaceState(1, '', '?place')"},
	"a worker":                    {worker: true},
	"a worker that looks":         {worker: true, away: "told('look')"},
	"a worker that claims":        {worker: true, away: "told('claim')"},
	"a worker with a message":     {worker: true, feature: "container.controller.postMessage('keep')", away: "told('late')"},
	"a next worker that waits":    {worker: true, away: "update('next')"},
	"a next worker that skips":    {worker: true, away: "update('skip')"},
	"a next worker that claims":   {worker: true, away: "update('skip-claim')"},
	"a worker that is gone":       {worker: true, away: "container.getRegistration().then((r) => r.unregister())"},
	"a next worker, and no other page": {worker: true, outside: true,
		away: "container.getRegistration('/N/').then((r) => container.register('/N/w.js?next', { scope: '/N/' })).then(() => pause(700))"},
	"a first worker that claims": {away: "update('skip-claim')"},
	"a first worker":             {away: "update('first')"},
}

// tripFolder gives every trip a folder of its own.
func tripFolder(name string) string {
	return strings.NewReplacer(" ", "-", ",", "").Replace(name)
}

// tripHost serves the pages of all trips.
type tripHost struct{}

func (tripHost) Origin() string { return "http://127.0.0.1:8098" }

func (tripHost) Answer(_ context.Context, r *site.Request) (*site.Response, error) {
	return tripAnswer(r.URL.Pathname(), r.URL.Query()), nil
}

func tripAnswer(path, query string) *site.Response {
	folder, file, _ := strings.Cut(strings.TrimPrefix(path, "/"), "/")
	var t trip
	for name, other := range trips {
		if tripFolder(name) == folder {
			t = other
		}
	}
	page := func(script string) string {
		return "<!doctype html><meta charset=utf-8><title>" + file + "</title><script src=/trip.js></script><p><script>" + script + "</script>"
	}
	resp := &site.Response{Status: 200, Header: http.Header{"Content-Type": {"text/html"}, "Cache-Control": {"no-cache"}}}
	body := ""
	switch file {
	case "":
		script, err := os.ReadFile(filepath.Join(tripsDir, "trip.js"))
		if path != "/trip.js" || err != nil {
			resp.Status = 404
		}
		resp.Header.Set("Content-Type", "text/javascript")
		body = string(script)
	case "start":
		body = page("start()")
	case "a":
		resp.Status = max(t.status, 200)
		if t.noStore {
			resp.Header.Set("Cache-Control", "no-store")
		}
		to := "b"
		if t.outside {
			to = "/outside/" + folder
		}
		// What is loaded once more was not kept.
		body = page("if (remembered('left')) finish(); else leave(() => { " + t.feature + " }, '" + to + "')")
	case "b":
		body = page("away(async () => " + cmp.Or(t.away, "''") + ")")
	case "w.js":
		resp.Header.Set("Content-Type", "text/javascript")
		body = `const how = '` + query + `';
			oninstall = () => { if (how.includes('skip')) skipWaiting(); };
			onactivate = (e) => { if (how.includes('claim')) e.waitUntil(clients.claim()); };
			onfetch = () => {};
			onmessage = async (e) => {
				if (e.data === 'keep') { self.first = e.source; return; }
				if (e.data === 'claim') await clients.claim();
				if (e.data === 'late') first.postMessage('late');
				e.source.postMessage((await clients.matchAll()).length);
			};`
	case "inner":
		body = "<script>addEventListener('unload', () => {})</script>"
	case "slow":
		resp.Delay = time.Second
	default:
		if folder != "outside" {
			resp.Status = 404
			break
		}
		for name, other := range trips {
			if tripFolder(name) == file {
				body = page("away(async () => " + strings.ReplaceAll(other.away, "/N/", "/"+file+"/") + ")")
			}
		}
	}
	resp.StatusText, resp.Body = http.StatusText(resp.Status), site.Bytes(body)
	return resp
}

// tripStart is where a trip begins.
func tripStart(name string) string {
	if trips[name].worker {
		return "/" + tripFolder(name) + "/start"
	}
	return "/" + tripFolder(name) + "/a"
}

// tripResult is what a page tells that was come back to: the events that it has seen, none if it was loaded anew, the
// version of the worker that controls it, nil for none, and what the other page did.
type tripResult struct {
	Trip   string  `json:"trip,omitempty"`
	Seen   string  `json:"seen"`
	Worker *string `json:"worker"`
	Away   string  `json:"away"`
}

// tripResultOf reads the title of a page, "" as long as it is on its way.
func tripResultOf(t *testing.T, name, title string) (r tripResult) {
	if text, back := strings.CutPrefix(title, "back "); back {
		require.NoError(t, json.Unmarshal([]byte(text), &r))
		require.Equal(t, tripFolder(name), r.Trip)
		r.Trip = ""
	}
	return r
}

// tripResults are by browser and trip.
type tripResults map[string]map[string]tripResult

// tripDifferences are those between browsers and our user agent, with the cause.
var tripDifferences = map[string]string{
	"webkit: a request under way": "it fails before the page is left; here its scripts hear of that when they go on",
}

func recordedTrips(t *testing.T) (results tripResults) {
	text, err := os.ReadFile(filepath.Join(tripsDir, "results.json"))
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal(text, &results))
	return results
}

// Going back shows documents as they were left, or loads them anew, as three real browsers do.
func TestTripsBack(t *testing.T) {
	recorded := recordedTrips(t)
	// The engines of targets, of which those of phones keep documents that listen for unload.
	for engine, kind := range map[string]string{"chromium": target.ChromiumDesktop, "firefox": target.FirefoxAndroid,
		"webkit": target.SafariMacOS} {
		k := *useragent.Kinds[kind]
		k.BackForward.DespiteUnload = engine == "webkit"
		for name := range trips {
			t.Run(engine+": "+name, func(t *testing.T) {
				t.Parallel()
				b := useragent.New(t.Context(), []site.Host{tripHost{}}, useragent.Options{Kind: &k, KeepsDocuments: true})
				defer b.Close()
				tab := b.Open(tripHost{}.Origin()+tripStart(name), nil)
				b.Pass(15 * time.Second)
				tab.Take()
				got := tripResultOf(t, name, tab.Title)
				if tripDifferences[engine+": "+name] != "" {
					assert.NotEqual(t, recorded[engine][name], got, "no difference any more")
					return
				}
				assert.Equal(t, recorded[engine][name], got)
			})
		}
	}
}

// The results are those of real browsers. With TACHYFORM_RECORD=1 those that are here make all trips anew, else a Chromium a
// part of them.
func TestTripsBackInBrowsers(t *testing.T) {
	record := os.Getenv("TACHYFORM_RECORD") != ""
	recorded := tripResults{}
	if !record {
		recorded = recordedTrips(t)
	}
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		answer := tripAnswer(r.URL.Path, r.URL.RawQuery)
		time.Sleep(answer.Delay)
		for name := range answer.Header {
			w.Header().Set(name, answer.Header.Get(name))
		}
		w.WriteHeader(answer.Status)
		text, _ := answer.Body.Bytes()
		w.Write(text)
	}))
	defer server.Close()
	start := map[string]func() (driver.Browser, error){
		"chromium": func() (driver.Browser, error) { return startChromium(t), nil },
	}
	if record {
		start["firefox"] = func() (driver.Browser, error) { return firefox.Start() }
		start["webkit"] = func() (driver.Browser, error) { return webkit.Start() }
	}
	for engine, start := range start {
		b, err := start()
		if errors.Is(err, driver.ErrNotHere) {
			continue
		}
		require.NoError(t, err)
		results := map[string]tripResult{}
		at := 0
		for _, name := range slices.Sorted(maps.Keys(trips)) {
			if at++; !record && at%5 != time.Now().YearDay()%5 {
				continue
			}
			// A busy machine changes when things happen: what differs is tried again.
			for try := 0; try == 0 || !record && try < 3 && !assert.ObjectsAreEqual(recorded[engine][name], results[name]); try++ {
				results[name] = makeTrip(t, b, name, server.URL+tripStart(name))
			}
			if !record {
				assert.Equal(t, recorded[engine][name], results[name], name)
			}
		}
		if record {
			b.Close()
			recorded[engine] = results
		}
	}
	if record {
		text, err := json.MarshalIndent(recorded, "", " ")
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(filepath.Join(tripsDir, "results.json"), append(text, '\n'), 0o644))
	}
}

// makeTrip makes a trip in a real browser and gives what the page tells.
func makeTrip(t *testing.T, b driver.Browser, name, url string) tripResult {
	tab, err := b.NewTab()
	require.NoError(t, err)
	defer tab.Close()
	require.NoError(t, tab.Load(url))
	for end := time.Now().Add(8 * time.Second); time.Now().Before(end); time.Sleep(50 * time.Millisecond) {
		if title, err := tab.Evaluate("document.title"); err == nil && strings.HasPrefix(title, "back ") {
			return tripResultOf(t, name, title)
		}
	}
	return tripResult{}
}
