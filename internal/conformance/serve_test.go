package conformance

import (
	"fmt"
	"net/http"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/serve"
	"tachyform/internal/testsite/demo"
)

// A served site in a real browser: offline its pages send no requests, a script of the site cannot use the control page, and the
// control page clears the site's data.
func TestServedInChromium(t *testing.T) {
	t.Parallel()
	dir, p := demo.Fitted(t)
	afresh := &serve.Afresh{}
	s, err := serve.Start(http.NotFoundHandler())
	require.NoError(t, err)
	defer s.Close()
	s.Answer(serve.Named(nil, afresh.Handler(serve.Handler(filepath.Join(dir, "site"), s.Origin(), p))))
	control := serve.NewControl(s, afresh)
	panel, err := serve.Start(serve.Named(nil, control))
	require.NoError(t, err)
	defer panel.Close()

	c := startChromium(t)
	defer c.Close()
	tab, err := c.OpenTab()
	require.NoError(t, err)
	look := func(expression string) string {
		t.Helper()
		text, err := tab.Evaluate(expression)
		require.NoError(t, err)
		return text
	}
	const kept = "navigator.serviceWorker.getRegistrations().then(async (l) => `${l.length} workers, ${(await caches.keys()).length > 0 ? 'caches' : 'no caches'}`)"
	require.NoError(t, tab.Load(s.Origin()+"/"))
	look("navigator.serviceWorker.ready.then((r) => new Promise((done) => { const w = r.active; if (w.state === 'activated') done(''); else w.onstatechange = () => w.state === 'activated' && done('') }))")
	require.NoError(t, tab.Load(s.Origin()+"/"))
	assert.Equal(t, "1 workers, caches", look(kept))

	// A script of the site can neither use nor read the control page.
	tries := fmt.Sprintf(`(async () => {
		const panel = %q, out = [];
		for (const [path, init] of [['/state', {}], ['/condition', { method: 'POST', body: '{"condition": "offline"}', headers: { 'Content-Type': 'application/json' } }],
			['/condition', { method: 'POST', mode: 'no-cors', body: '{"condition": "offline"}' }], ['/condition?condition=offline', { mode: 'no-cors' }], ['/', {}]])
			out.push(await fetch(panel + path, { credentials: 'include', ...init }).then((r) => r.type, (e) => e.name));
		const frame = document.createElement('iframe');
		frame.src = panel + '/';
		document.body.append(frame);
		await new Promise((done) => { frame.onload = done; setTimeout(done, 500); });
		try { out.push(frame.contentWindow.location.hash); } catch (e) { out.push(e.name); }
		frame.remove();
		return out.join(' ');
	})()`, panel.Origin())
	assert.Equal(t, "TypeError TypeError TypeError TypeError TypeError SecurityError", look(tries))
	assert.False(t, s.Condition().Refuses)

	require.NoError(t, control.Choose("offline"))
	s.Log.Clear()
	require.NoError(t, tab.Load(s.Origin()+"/tides/skerra.html"))
	assert.Contains(t, look("document.title"), "Skerra")
	assert.Empty(t, s.Log.Last(10), "nothing reached the host")
	require.NoError(t, control.Choose("online"))

	panelTab, err := c.OpenTab()
	require.NoError(t, err)
	require.NoError(t, panelTab.Load(panel.Origin()+"/"+control.Fragment()))
	text, err := panelTab.Evaluate("new Promise((done) => { const b = document.getElementById('afresh'); b.click(); const look = () => b.textContent.startsWith('Cleared') ? done(b.textContent) : setTimeout(look, 50); look(); })")
	require.NoError(t, err)
	assert.Equal(t, "Cleared. Clear again", text)
	assert.Equal(t, "0 workers, no caches", look(kept))
}
