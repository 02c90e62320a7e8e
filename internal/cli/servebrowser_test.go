package cli

import (
	"encoding/json"
	"io"
	"net/http"
	"os"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/driver/chromium"
	"tachyform/internal/serve"
	"tachyform/internal/testsite"
)

// browserState gives what the control page shows of the browser and its messages, once there is a worker.
func (s *served) browserState(until func(state *serve.Inspection, messages []string) bool) (state *serve.Inspection, messages []string) {
	base, token, _ := strings.Cut(s.control, "/#")
	for end := time.Now().Add(30 * time.Second); time.Now().Before(end); time.Sleep(200 * time.Millisecond) {
		r, err := http.NewRequest("GET", base+"/state", nil)
		require.NoError(s.t, err)
		r.Header.Set("X-Tachyform-Token", token)
		resp, err := http.DefaultClient.Do(r)
		require.NoError(s.t, err)
		text, err := io.ReadAll(resp.Body)
		resp.Body.Close()
		require.NoError(s.t, err)
		var got struct {
			Browser  *serve.Inspection
			Messages []string
		}
		require.NoError(s.t, json.Unmarshal(text, &got))
		if got.Browser != nil && until(got.Browser, got.Messages) {
			return got.Browser, got.Messages
		}
	}
	require.Fail(s.t, "the state did not come")
	return nil, nil
}

// deliver has an event delivered and gives what happened.
func (s *served) deliver(event, text string) string {
	base, token, _ := strings.Cut(s.control, "/#")
	body, _ := json.Marshal(map[string]string{"event": event, "text": text})
	r, err := http.NewRequest("POST", base+"/deliver", strings.NewReader(string(body)))
	require.NoError(s.t, err)
	for name, value := range map[string]string{"X-Tachyform-Token": token, "Origin": base, "Content-Type": "application/json"} {
		r.Header.Set(name, value)
	}
	resp, err := http.DefaultClient.Do(r)
	require.NoError(s.t, err)
	defer resp.Body.Close()
	answer, err := io.ReadAll(resp.Body)
	require.NoError(s.t, err)
	return string(answer)
}

// listeningSite has a worker that caches a page and writes what it gets into a cache.
var listeningSite = map[string]string{"tachyform.yaml": "site: dist\n",
	"dist/index.html": "<!doctype html><title>Pier</title><script>navigator.serviceWorker.register('/sw.js')</script>",
	"dist/sw.js": `addEventListener('install', (e) => { skipWaiting(); e.waitUntil(caches.open('pier').then((c) => c.add('/'))); });
for (const type of ['push', 'sync', 'message']) addEventListener(type, (e) => {
	const text = type === 'push' ? e.data.text() : type === 'sync' ? e.tag : e.data.tide;
	console.log('heard ' + text);
	e.waitUntil(caches.open('heard ' + type + ' ' + text).then((c) => c.put('/heard', new Response('x'))));
});`}

// The control page shows the state of the embedded user agent, whose worker gets events in a copy of that state.
func TestInspectedByServe(t *testing.T) {
	s := startServe(t, testsite.Write(t, listeningSite))
	state, _ := s.browserState(func(*serve.Inspection, []string) bool { return true })
	assert.True(t, state.Embedded)
	assert.Equal(t, []serve.WorkerState{{Script: "/sw.js", Scope: "/", State: "activated"}}, state.Workers)
	require.Len(t, state.Caches, 1)
	assert.Equal(t, serve.CacheState{Name: "pier", Count: 1, Bytes: int64(len(listeningSite["dist/index.html"])),
		Entries: []serve.EntryState{{URL: "/", Bytes: int64(len(listeningSite["dist/index.html"])), Age: -1}}}, state.Caches[0])
	for event, text := range map[string]string{"push": "tide", "sync": "tide", "message": `{\"tide\": \"tide\"}`} {
		assert.Contains(t, s.deliver(event, strings.ReplaceAll(text, `\"`, `"`)), "heard tide", event)
	}
	assert.Contains(t, s.deliver("notificationclick", ""), "cannot be delivered")
	state, _ = s.browserState(func(*serve.Inspection, []string) bool { return true })
	assert.Len(t, state.Caches, 1, "events change nothing")
	s.end()
}

// With --browser the state is that of the browser, and after clearing the difference is shown.
func TestServeInBrowser(t *testing.T) {
	if _, err := chromium.Find(); err != nil {
		t.Skip("SKIPPED, NOT PROVEN IN THIS BROWSER: " + err.Error())
	}
	t.Setenv("DISPLAY", "")
	t.Setenv("WAYLAND_DISPLAY", "")
	s := startServe(t, testsite.Write(t, listeningSite), "--browser", "chromium")
	state, _ := s.browserState(func(i *serve.Inspection, _ []string) bool {
		return len(i.Workers) == 1 && i.Workers[0].State == "activated"
	})
	assert.Regexp(t, `^chromium \d+$`, state.Source)
	require.Len(t, state.Caches, 1)
	assert.Equal(t, "/", state.Caches[0].Entries[0].URL)
	assert.Zero(t, state.Caches[0].Entries[0].Age)
	for _, event := range []string{"push", "sync", "message"} {
		assert.Contains(t, s.deliver(event, map[string]string{"push": "p", "sync": "s", "message": `{"tide": "m"}`}[event]), "Sent.", event)
	}
	s.browserState(func(i *serve.Inspection, _ []string) bool {
		return len(i.Caches) == 4 && slices.Contains(i.Console, "log: heard p") && slices.Contains(i.Console, "log: heard m")
	})
	base, token, _ := strings.Cut(s.control, "/#")
	r, err := http.NewRequest("POST", base+"/afresh", strings.NewReader("{}"))
	require.NoError(t, err)
	for name, value := range map[string]string{"X-Tachyform-Token": token, "Origin": base, "Content-Type": "application/json"} {
		r.Header.Set(name, value)
	}
	resp, err := http.DefaultClient.Do(r)
	require.NoError(t, err)
	var made struct{ Address string }
	require.NoError(t, json.NewDecoder(resp.Body).Decode(&made))
	resp.Body.Close()
	resp, err = http.Post(made.Address, "", nil) // this is not the browser, so nothing is cleared there
	require.NoError(t, err)
	resp.Body.Close()
	_, messages := s.browserState(func(_ *serve.Inspection, m []string) bool { return len(m) > 0 })
	assert.Regexp(t, `In chromium \d+: before 1 worker, 4 caches with 4 entries; now 1 worker, 4 caches with 4 entries\.`, messages[0])
	require.NoError(t, s.command.Process.Signal(os.Interrupt))
	assert.NoError(t, s.command.Wait())
}
