package survey

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/page"
	"tachyform/internal/project"
	"tachyform/internal/site"
	"tachyform/internal/testsite"
)

// lookAt lays out an archive and looks at it, as nobody has said how its host answers.
func lookAt(t *testing.T, archive string) (*Graph, []Inference, *Summary) {
	t.Helper()
	dir := testsite.Archive(t, archive)
	p := project.Default(dir)
	g, told, err := Look(context.Background(), p, false, func() (*site.Folder, error) {
		return site.OpenFolder(dir, "https://line.example", p.Addr, p.Host)
	}, &page.Reader{}, Visits{})
	require.NoError(t, err)
	return g, told, g.Summarize()
}

// router is a small app that draws what its address says, with data that it asks for.
const router = `const views = { '/': '<a href=BASE>Home</a> <a href=BASEpiers/north>North</a> <a href=BASEabout>About</a>' };
const at = location.pathname.replace('BASE', '/');
document.title = at;
root.innerHTML = views[at] ?? '<h1>' + at + '</h1><a href=BASE>Home</a>';
if (at.startsWith('/piers/')) fetch('BASEdata/' + at.slice(7) + '.json').then((r) => r.json()).then((d) => { root.append(d.name); const i = new Image(); i.src = 'BASE' + d.picture; root.append(i); });
else if (at === '/about') import('BASEassets/late.js');
`

func routed(base string) string { return strings.ReplaceAll(router, "BASE", base) }

// What a site is, how its host answers and what it needs is told from its files and from what its pages do.
func TestLook(t *testing.T) {
	shell := "<!doctype html><html lang=en><title>Piers</title><div id=root></div><script type=module src=BASEassets/app.js></script>"
	data := "-- data/north.json --\n{\"name\": \"North\", \"picture\": \"img/north.png\"}\n-- data/south.json --\n{}\n-- img/north.png --\nx\n-- img/never.png --\nx\n"
	app := func(base, more string) string {
		return "-- index.html --\n" + strings.ReplaceAll(shell, "BASE", base) + "\n-- assets/app.js --\n" + routed(base) +
			"\n-- assets/late.js --\nroot.append('late')\n" + data + more
	}
	words := "<!doctype html><html lang=en><title>Tides</title><p>The tide tables of the harbour, day by day.</p>"
	for name, c := range map[string]struct {
		archive, told, kind, routes string
		shell, data, unanswered     string
		unasked                     string
		needs                       string // of the page at the address
	}{
		"pages as files": {archive: "-- index.html --\n" + words + "<a href=far/>far</a>\n-- far/index.html --\n" + words, kind: "files"},
		"scripts take files over": {archive: "-- index.html --\n" + words + "<script>document.body.append('now'); fetch('/now.json')</script>\n-- now.json --\n{}",
			kind: "taken-over", data: "/now.json", needs: "/now.json"},
		"loading, and then drawn": {archive: "-- index.html --\n<title>Tides</title><main>Loading the tables of the tides, please wait</main><script>document.querySelector('main').textContent = 'Low at six, high at noon. '.repeat(9)</script>",
			kind: "single-page"},
		"words that scripts add to": {archive: "-- index.html --\n<title>Tides</title><main>Loading the tables of the tides, please wait</main><script>document.querySelector('main').append('Low at six')</script>",
			kind: "taken-over"},
		"each file is drawn": {archive: "-- index.html --\n<title>Low</title><main></main><script src=d.js></script>\n-- far.html --\n<title>High</title><main></main><script src=d.js></script>\n-- d.js --\n" +
			"document.querySelector('main').textContent = 'Low at six, high at noon'", kind: "drawn"},
		"an app at the root": {archive: app("/", ""), told: "hosting.single_page=/index.html", kind: "single-page",
			routes: "/about /piers/north", shell: "/", data: "/data/*", unasked: "/data/south.json /img/never.png",
			needs: "/assets/app.js /assets/late.js /data/north.json /img/north.png"},
		"an app below a folder": {archive: app("/moss/", ""), told: "address=/moss/ hosting.single_page=/moss/index.html",
			kind: "single-page", routes: "/moss/about /moss/piers/north", shell: "/moss/", data: "/moss/data/*",
			unasked: "/moss/data/south.json /moss/img/never.png",
			needs:   "/moss/assets/app.js /moss/assets/late.js /moss/data/north.json /moss/img/north.png"},
		"a page for what has no file": {archive: app("/", "-- 200.html --\n"+strings.ReplaceAll(shell, "BASE", "/")), told: "hosting.single_page=/200.html",
			kind: "single-page", routes: "/about /piers/north", shell: "/200.html", data: "/data/*",
			unasked: "/data/south.json /img/never.png", needs: "/assets/app.js /assets/late.js"},
		"addresses without an ending": {archive: "-- index.html --\n" + words + "<a href=/about>about</a>\n-- about.html --\n" + words +
			"\n-- 404.html --\n" + words, told: "hosting.extensionless=answer hosting.not_found=/404.html", kind: "files"},
		"fragments": {archive: "-- index.html --\n<!doctype html><title>Tides</title><div id=root></div><script>root.innerHTML = '<a href=\"#/far\">Far</a> ' + location.hash</script>",
			kind: "fragments", routes: "/#/far"},
		"a server behind it": {archive: "-- index.html --\n" + words + "<script>fetch('/api/berths?day=1').then((r) => r.json()).then((b) => document.body.append(b.n))</script>",
			kind: "files", data: "/api/*", unanswered: "/api/berths"},
		"a broken link of a page of files": {archive: "-- index.html --\n" + words + "<a href=/gone>gone</a><script>document.body.append('x')</script>",
			kind: "taken-over"},
	} {
		t.Run(name, func(t *testing.T) {
			g, told, s := lookAt(t, c.archive)
			var inferred, patterns []string
			for _, i := range told {
				inferred = append(inferred, i.Key+"="+i.Value)
			}
			for _, d := range s.Keep.Data {
				patterns = append(patterns, d.Match)
			}
			assert.Equal(t, c.told, strings.Join(inferred, " "))
			assert.Equal(t, c.kind, string(s.Kind))
			assert.Equal(t, c.routes, strings.Join(s.Routes, " "))
			assert.Equal(t, c.shell, s.Keep.Shell)
			assert.Equal(t, c.data, strings.Join(patterns, " "))
			assert.Equal(t, c.unanswered, strings.Join(s.Keep.Unanswered, " "))
			assert.Equal(t, c.unasked, strings.Join(s.Unasked, " "))
			if c.needs != "" {
				assert.Equal(t, c.needs, strings.Join(g.Needs(g.Folder.Address()), " "))
			}
		})
	}
}

// Of many pages with the same scripts a sample is opened, and what all of it asks for counts for the rest; where pages
// ask for things of their own all are opened.
func TestSampledVisits(t *testing.T) {
	archive := func(script string) string {
		text := "-- all.json --\n{}\n-- s.js --\n" + script + "\n"
		for i := range 14 {
			text += fmt.Sprintf("-- p%02d.html --\n<!doctype html><title>P</title><p>A page of words.</p><script src=/s.js></script>\n-- p%02d.json --\n{}\n",
				i, i)
		}
		return text
	}
	g, _, s := lookAt(t, archive("fetch('/all.json')"))
	assert.Equal(t, 14-sampleOfSet, g.Seen.Unvisited)
	assert.Equal(t, []string{"/all.json", "/s.js"}, g.Needs("/p13.html"))
	assert.Equal(t, 14, strings.Count(strings.Join(s.Unasked, " "), "/p"))
	g, _, s = lookAt(t, archive("fetch(location.pathname.replace('html', 'json'))"))
	assert.Zero(t, g.Seen.Unvisited)
	assert.Equal(t, []string{"/p13.json", "/s.js"}, g.Needs("/p13.html"))
	assert.Equal(t, []string{"/all.json"}, s.Unasked)
}

// Colours are those of the page as it is drawn; what cannot be told is left open.
func TestColours(t *testing.T) {
	for style, want := range map[string]Looks{
		"body { background: #f4f9fb } header { background: teal }":                                                           {"#f4f9fb", "#008080"},
		":root { --brand-colour: #0b4f6c; --ground: #123456 } html { background: var(--ground) }":                            {"#123456", "#0b4f6c"},
		"body { background: linear-gradient(red, blue) } .topbar { background: rgb(1, 2, 3) }":                               {"", "#010203"},
		":root { --deep: #0b4f6c } header { background: var(--deep) url(w.svg) repeat-x bottom } body { background: white }": {"#ffffff", "#0b4f6c"},
		"body { background: transparent } nav { background: rgba(1, 2, 3, .5) }":                                             {"", ""},
	} {
		g, _, _ := lookAt(t, "-- index.html --\n<!doctype html><title>T</title><link rel=stylesheet href=/s.css><body><script>"+
			"document.body.innerHTML = '<header>H</header><div class=\"topbar wide\">T</div><nav>N</nav>'</script>\n-- s.css --\n"+style)
		assert.Equal(t, want, g.Colours("/"), style)
	}
}

// What pages fetch from elsewhere is kept where they cannot do without it; answers that scripts may not see into are told
// from others.
func TestElsewhere(t *testing.T) {
	_, _, s := lookAt(t, `-- index.html --
<!doctype html><title>T</title><p>Words enough to be a page.</p><link rel=preconnect href=https://hint.example>
<script src=https://code.example/a.js></script><img crossorigin src=https://tiles.example/1.png><iframe src=https://frame.example/></iframe>
<img src=https://badge.example/state.svg><a href="/{{page}}">of a template</a><img src=https://photos.example/1.png><img src=https://photos.example/2.png><img src=https://photos.example/3.png>
<script>fetch('https://data.example/x.json')</script>`)
	i := slices.IndexFunc(s.Keep.Elsewhere, func(e Elsewhere) bool { return e.Origin == "https://code.example" })
	require.GreaterOrEqual(t, i, 0)
	assert.Equal(t, []Elsewhere{{"https://code.example", true}, {"https://data.example", false}, {"https://photos.example", true}, {"https://tiles.example", false}},
		s.Keep.Elsewhere, "a badge is kept nowhere")
	assert.Empty(t, s.Broken, "what a template fills in is no link")
}

// Registered workers and the pictures of a manifest are asked for by browsers: they are not among what nobody asks for.
func TestUnaskedFiles(t *testing.T) {
	_, _, s := lookAt(t, `-- index.html --
<!doctype html><title>T</title><link rel=manifest href=/m.json><p>Words</p><script>navigator.serviceWorker.register('/sw.js')</script>
-- m.json --
{"name": "T", "icons": [{"src": "/i/a.png"}], "shortcuts": [{"name": "x", "url": "/", "icons": [{"src": "/i/b.png"}]}]}
-- sw.js --
onfetch = () => {};
-- i/a.png --
a
-- i/b.png --
b
-- i/c.png --
c
`)
	assert.Equal(t, []string{"/i/c.png"}, s.Unasked)
}

// The address that a site is mounted at is told by what stands in its files: by pages, by a manifest, or by several names in scripts; what is
// relative fits anywhere, and what is there as it stands speaks against it.
func TestAddressOfSites(t *testing.T) {
	for name, c := range map[string]struct{ files, want string }{
		"pages":                         {"-- index.html --\n<!doctype html><title>T</title><p>Tides</p><img src=/_/p.png>\n-- p.png --\np\n", "/_/"},
		"a manifest":                    {"-- index.html --\n<!doctype html><title>T</title><link rel=manifest href=m.json><p>Tides</p><script src=a.js></script>\n-- m.json --\n{\"icons\": [{\"src\": \"/_/images/a.png\"}]}\n-- images/a.png --\na\n-- a.js --\n1\n", "/_/"},
		"scripts":                       {"-- index.html --\n<!doctype html><title>T</title><p>Tides</p><script src=a.js></script>\n-- images/a.png --\na\n-- images/b.png --\nb\n-- a.js --\nconst list = ['/_/images/a.png', '/_/images/b.png'];\n", "/_/"},
		"one name in a script":          {"-- index.html --\n<!doctype html><title>T</title><p>Tides</p><script src=a.js></script>\n-- images/a.png --\na\n-- a.js --\nconst one = '/api/images/a.png';\n", "/"},
		"a manifest of the root":        {"-- index.html --\n<!doctype html><title>T</title><link rel=manifest href=m.json><p>Tides</p>\n-- m.json --\n{\"icons\": [{\"src\": \"/images/a.png\"}, {\"src\": \"/old/images/a.png\"}]}\n-- images/a.png --\na\n", "/"},
		"a page that asks for the root": {"-- index.html --\n<!doctype html><title>T</title><p>Tides</p><img src=\"/p.png\"><img src=/_/p.png>\n-- p.png --\np\n", "/"},
	} {
		g, _, _ := lookAt(t, c.files)
		assert.Equal(t, c.want, g.Folder.Address(), name)
	}
}

// A page that nothing leads to, and that draws what a link is for when it is opened there, is what the host answers with; one that draws the
// same anywhere is not. It is no page of the site.
func TestFallbackByAnotherName(t *testing.T) {
	files := "-- index.html --\n<!doctype html><title>T</title><p>Tides of today</p><a href=/piers/north>North</a><script src=/i.js></script>\n-- i.js --\n1\n" +
		"-- __fallback.html --\n<!doctype html><title>T</title><main></main><script src=/r.js></script>\n-- r.js --\n"
	router := "document.querySelector('main').textContent = location.pathname.startsWith('/piers/') ? 'The pier ' + location.pathname.slice(7) : 'There is nothing here';\n"
	g, told, s := lookAt(t, files+router)
	require.Len(t, told, 1)
	assert.Equal(t, Inference{"hosting.single_page", "/__fallback.html", Evidence{Kind: Opened, From: "/__fallback.html", To: "/piers/north"}}, told[0])
	assert.True(t, g.Folder.AnswersWith("/__fallback.html"))
	assert.Equal(t, "/__fallback.html", s.Keep.Shell)
	_, told, _ = lookAt(t, files+"document.querySelector('main').textContent = 'There is nothing here';\n")
	assert.Empty(t, told)
}
