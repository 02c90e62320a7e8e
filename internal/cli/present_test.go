package cli

import (
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/testsite"
)

const ownWorker = `addEventListener('install', (e) => e.waitUntil(caches.open('harbour-1').then((c) => c.addAll(['/', '/far.html']))));
addEventListener('fetch', (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request))));
`

// A worker of the site's own is never joined by a second one: it is named, judged, and replaced only when that is
// asked for.
func TestOwnWorkerOfTheSite(t *testing.T) {
	own := strings.Replace(pierPage, "</head>", "<script>if ('serviceWorker' in navigator) "+
		"navigator.serviceWorker.register('/sw.js')</script></head>", 1)
	dir := write(t, map[string]string{"dist/index.html": own, "dist/far.html": own, "dist/sw.js": ownWorker})
	site := filepath.Join(dir, "dist")
	before := testsite.Tree(t, site)

	r := run(t, dir, "init", "dist")
	require.Equal(t, 0, r.status, r.err)
	assert.Contains(t, read(t, dir, "tachyform.yaml"), "file: /sw.js")
	require.Equal(t, 0, run(t, dir, "fit").status)
	assert.NoFileExists(t, filepath.Join(site, "worker.js"))
	assert.NotContains(t, read(t, site, "index.html"), "register.js")
	assert.Contains(t, run(t, dir, "rehearse").out, "/sw.js activated")
	require.Equal(t, 0, run(t, dir, "undo").status)
	require.Equal(t, before, testsite.Tree(t, site))

	edit(t, filepath.Join(dir, "tachyform.yaml"), "  present:\n    file: /sw.js\n", "  pack: {pages: [/*]}\n")
	r = run(t, dir, "fit")
	assert.Equal(t, 2, r.status)
	assert.Contains(t, r.err, "far.html:5:")
	assert.Contains(t, strings.Join(strings.Fields(r.err), " "), "add replace: yes")
	assert.Equal(t, before, testsite.Tree(t, site), "nothing was written")

	edit(t, filepath.Join(dir, "tachyform.yaml"), "  pack: {pages: [/*]}\n",
		"  present: {file: /sw.js}\n  replace: yes\n  takeover: at-once\n  pack: {pages: [/*]}\n")
	r = run(t, dir, "fit")
	require.Equal(t, 0, r.status, r.err)
	assert.NoFileExists(t, filepath.Join(site, "worker.js"))
	assert.Contains(t, read(t, site, "sw.js"), `["harbour-1"]`)
	assert.Contains(t, run(t, dir, "fit").out, "Nothing to do")
	require.Equal(t, 0, run(t, dir, "undo").status)
	assert.Equal(t, before, testsite.Tree(t, site))

	// What no page asks for registers nothing. A call in a script that could not be run to its end may register anything.
	assert.Equal(t, 0, run(t, write(t, map[string]string{"dist/index.html": pierPage, "dist/unused.js": "navigator.serviceWorker.register('/sw.js')",
		"tachyform.yaml": pierProject + "worker: {pack: {pages: [/*]}}\n"}), "fit").status)
	unfinished := strings.Replace(pierPage, "</head>", "<script type=module src=/assets/main.js></script></head>", 1)
	dir = write(t, map[string]string{"dist/index.html": unfinished,
		"dist/assets/main.js": "const u = import.meta.env;\nfor (const c of [navigator.serviceWorker]) c.register(u.base " +
			"+ 'sw.js');\n", "dist/sw.js": ownWorker,
		"tachyform.yaml": pierProject + "worker: {pack: {pages: [/*]}}\n"})
	r = run(t, dir, "fit")
	assert.Equal(t, 2, r.status)
	assert.Contains(t, r.err, "main.js:2:")
	r = run(t, dir, "init", "dist", "--replace")
	require.Equal(t, 0, r.status, r.err)
	assert.Contains(t, read(t, dir, "tachyform.yaml"), "file: /sw.js")
	assert.Contains(t, r.out, "cannot be read")
}
