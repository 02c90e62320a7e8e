package cli

import (
	"net/http"
	"net/http/httptest"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/project"
	"tachyform/internal/testsite"
)

const boardApp = `const root = document.getElementById('root'), at = location.pathname;
root.innerHTML = '<header><a href="/">Board</a> <a href="/berth/7">Berth 7</a></header><main>…</main>';
const main = root.querySelector('main');
if (at === '/') fetch('/data/berths.json').then((r) => r.json()).then((list) => { main.textContent = list.join(', '); });
else import('./berth.js').then((m) => m.draw(main, at));
`

// boardSite is an app that one page draws, as a build leaves it.
var boardSite = map[string]string{
	"dist/index.html":       "<!doctype html>\n<html lang=\"en\">\n<head>\n<title>Berth board</title>\n<link rel=\"stylesheet\" href=\"/assets/app.css\">\n</head>\n<body><div id=\"root\"></div><script type=\"module\" src=\"/assets/app.js\"></script></body>\n</html>\n",
	"dist/assets/app.js":    boardApp,
	"dist/assets/berth.js":  "export const draw = (to, at) => { to.textContent = 'Berth ' + at.slice(7); };\n",
	"dist/assets/app.css":   "body { background: #f4f9fb } header { background: #0b4f6c }\n",
	"dist/data/berths.json": "[\"7\", \"9\"]",
}

// What init writes for an app is short, needs no hand, and holds when it is audited; what it inferred is said.
func TestInitOfAnApp(t *testing.T) {
	dir := write(t, boardSite)
	r := run(t, dir, "init", "dist", "--name", "Berth board")
	require.Equal(t, 0, r.status, r.err)
	for _, part := range []string{"shell      / draws every page", "data       /data/*", "#0b4f6c, #f4f9fb", "hosting.single_page: /index.html"} {
		assert.Contains(t, r.out, part)
	}
	text := read(t, dir, "tachyform.yaml")
	assert.Less(t, strings.Count(text, "\n"), 60)
	for _, part := range []string{"single_page: /index.html", "page: make", "at_install: all", "theme_color: \"#0b4f6c\"", "id: /"} {
		assert.Contains(t, text, part)
	}
	p, err := project.Load(filepath.Join(dir, project.FileName))
	require.NoError(t, err)
	assert.Equal(t, "/", p.Worker.Shell.Page)
	require.Equal(t, 0, run(t, dir, "fit").status)
	assert.FileExists(t, filepath.Join(dir, "stand-in.html"))
	r = run(t, dir, "audit", "--format", "json")
	assert.Contains(t, r.out, `"url": "/berth/7"`)
	assert.NotContains(t, r.out, `"partial"`)
	assert.NotContains(t, r.out, `"weight": "risk"`)
}

// A site that fetches from a server of its own is not called ready until somebody says what that answers, and init leaves
// the lines for it.
func TestInitWithAServerBehind(t *testing.T) {
	files := map[string]string{}
	for name, text := range boardSite {
		files[name] = strings.ReplaceAll(text, "/data/berths.json", "/api/berths")
	}
	delete(files, "dist/data/berths.json")
	files["answers/berths.json"] = "[\"7\"]"
	files["mark.png"] = pictureOf(512, 512)
	dir := write(t, files)
	r := run(t, dir, "init", "dist", "--name", "Berth board", "--master", "mark.png")
	require.Equal(t, 0, r.status, r.err)
	assert.Contains(t, r.out, "answered by no file")
	assert.Contains(t, read(t, dir, "tachyform.yaml"), "#   - {match: /api/berths, file: answers/sample.json}")
	require.Equal(t, 0, run(t, dir, "fit").status)
	r = run(t, dir, "audit")
	assert.NotContains(t, r.out, "  READY", "of what nobody knows")
	assert.Contains(t, strings.Join(strings.Fields(r.out), " "), "a server may answer it")
	edit(t, filepath.Join(dir, "tachyform.yaml"), "  # answers:\n  #   - {match: /api/berths, file: answers/sample.json}\n",
		"  answers:\n    - {match: /api/berths, file: answers/berths.json}\n")
	require.Equal(t, 0, run(t, dir, "fit").status)
	r = run(t, dir, "audit")
	assert.NotContains(t, r.out, "RISKS", r.out)
}

// A site that works offline by itself is told so, and nothing of it changes.
func TestInitOfWhatWorks(t *testing.T) {
	head := `<link rel="manifest" href="/m.json"><link rel="icon" href="/i.png"><link rel="apple-touch-icon" href="/i.png"><meta name="theme-color" content="#0b4f6c"><meta name="viewport" content="width=device-width">`
	dir := write(t, map[string]string{
		"dist/index.html": strings.Replace(pierPage, "</head>", head+"<script>navigator.serviceWorker.register('/sw.js')</script></head>", 1),
		"dist/m.json":     `{"name": "The Pier", "short_name": "Pier", "id": "/pier", "start_url": "/?home", "display": "fullscreen", "theme_color": "#0b4f6c", "background_color": "#ffffff", "icons": [{"src": "/i.png", "sizes": "512x512", "type": "image/png", "purpose": "any maskable"}]}`,
		"dist/i.png":      pictureOf(512, 512),
		"dist/sw.js": "addEventListener('install', (e) => e.waitUntil(caches.open('pier').then((c) => c.addAll(['/', '/i.png']))));\n" +
			"addEventListener('fetch', (e) => e.respondWith(caches.match(e.request, { ignoreSearch: true }).then((r) => r || fetch(e.request))));\n"})
	before := testsite.Tree(t, filepath.Join(dir, "dist"))
	r := run(t, dir, "init", "dist")
	require.Equal(t, 0, r.status, r.err)
	assert.Contains(t, strings.Join(strings.Fields(r.out), " "), "It installs and works offline as it is")
	assert.Equal(t, before, testsite.Tree(t, filepath.Join(dir, "dist")))
	text := read(t, dir, "tachyform.yaml")
	for _, part := range []string{"name: The Pier", "short_name: Pier", "id: /pier", "start_url: /?home", "display: fullscreen", "file: /sw.js"} {
		assert.Contains(t, text, part)
	}
}

// What a server answers to the pages is recorded beside the project file, with the lines that name it; what lies there
// is not overwritten.
func TestRecordAnswers(t *testing.T) {
	asked := []string{}
	berths := `["7"]`
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		asked = append(asked, r.Method+" "+r.URL.Path)
		if r.URL.Path != "/api/berths" {
			w.WriteHeader(http.StatusNotFound)
			return
		}
		w.Header().Set("Content-Type", "application/json")
		w.Write([]byte(berths))
	}))
	defer server.Close()
	dir := write(t, map[string]string{"site/index.html": "<!doctype html><title>Berths</title><p>Berths of the day</p><script>fetch('/api/berths?day=1').then((r) => r.json())" +
		".then((b) => document.body.append(b[0])); fetch('/api/none'); fetch('/api/berths', {method: 'POST'}).catch(() => {})</script>",
		"tachyform.yaml": "site: site\napp: {name: Berths}\nhosting: {backend: " + server.URL + "}\n"})
	r := run(t, dir, "rehearse", "--record-answers", "answers")
	require.Equal(t, 0, r.status, r.err)
	m := regexp.MustCompile(`- \{match: /api/berths, file: (answers/api-berths-[0-9a-f]{8}\.json)\}\n    - \{match: /api/none, status: 404\}\n`).FindStringSubmatch(r.out)
	require.NotNil(t, m, r.out)
	assert.Equal(t, berths, read(t, dir, m[1]))
	for _, method := range asked {
		assert.True(t, strings.HasPrefix(method, "GET "), method)
	}
	berths = `["9"]`
	r = run(t, dir, "rehearse", "--record-answers", "answers")
	assert.Equal(t, 3, r.status)
	assert.Contains(t, r.err, "was left as it is")
	assert.Equal(t, `["7"]`, read(t, dir, m[1]))
	r = run(t, dir, "rehearse", "site", "--project", "none.yaml", "--record-answers", "x")
	assert.Equal(t, 2, r.status)
}
