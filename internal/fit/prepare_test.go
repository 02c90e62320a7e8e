package fit

import (
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/tools/txtar"

	"tachyform/internal/page"
	"tachyform/internal/problem"
	"tachyform/internal/project"
	"tachyform/internal/site"
	"tachyform/internal/survey"
	"tachyform/internal/testsite"
)

const mark = `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 512 512"><rect width="512" height="512" fill="#0b4f6c"/><circle cx="256" cy="256" r="90" fill="#fff"/></svg>`

const htmlPage = "<!doctype html>\n<html lang=en>\n<head>\n<meta " +
	"charset=utf-8>\n<title>Tides</title>\n</head>\n<p>low</p>\n</html>\n"

// prepared lays out a project: what stands in an archive, tachyform.yaml and brand/mark.svg beside the folder site.
type prepared struct {
	dir string
	p   *project.Project
}

func prepare(t *testing.T, archive string) *prepared {
	t.Helper()
	files := map[string]string{"brand/mark.svg": mark, "site/index.html": htmlPage}
	for _, f := range txtar.Parse([]byte(archive)).Files {
		files[f.Name] = string(f.Data)
	}
	dir := testsite.Write(t, files)
	p, err := project.Load(filepath.Join(dir, project.FileName))
	require.NoError(t, err)
	return &prepared{dir, p}
}

func (c *prepared) plan(t *testing.T) (*Plan, error) {
	t.Helper()
	f, err := site.OpenFolder(filepath.Join(c.dir, "site"), "https://line.example", c.p.Addr, c.p.Host)
	require.NoError(t, err)
	reader := &page.Reader{}
	g, err := survey.BuildGraph(context.Background(), f, reader)
	require.NoError(t, err)
	require.NoError(t, g.Visit(context.Background(), reader, survey.Visits{}))
	return Prepare(context.Background(), c.p, f, g)
}

// What a fit changes, by file.
func TestPrepare(t *testing.T) {
	for _, c := range []struct {
		name, archive string
		changes       string
		holds         map[string]string
	}{
		{"a manifest and head tags", "-- tachyform.yaml --\napp: {name: Line, theme_color: '#0b4f6c'}\n",
			"index.html page, site.webmanifest manifest",
			map[string]string{"index.html": `<link rel="manifest" href="/site.webmanifest">`,
				"site.webmanifest": `"scope": "/"`}},
		{"below an address", "-- tachyform.yaml --\naddress: /app/\napp: {name: Line}\n",
			"index.html page, site.webmanifest manifest",
			map[string]string{"index.html": `href="/app/site.webmanifest"`, "site.webmanifest": `"start_url": "/app/"`}},
		{"icons", "-- tachyform.yaml --\napp: {name: Line}\nicons: {master: brand/mark.svg, folder: /pictures}\naudit: " +
			"{targets: [chromium-desktop]}\n", "icons icon, index.html page, site.webmanifest manifest",
			map[string]string{"site.webmanifest": `"src": "/pictures/`, "index.html": `rel="icon"`}},
		{"the manifest that is linked is changed where it lies", "-- tachyform.yaml --\napp: {name: Line}\n-- " +
			"site/index.html --\n<!doctype html><head><link rel=manifest href=m/app.json></head>\n-- site/m/app.json " +
			"--\n{\"name\": \"Old\", \"x-own\": 1}\n",
			"index.html page, m/app.json manifest", map[string]string{"m/app.json": `{"name": "Line", "x-own": 1`}},
		{"one of another origin is not ours to change", "-- tachyform.yaml --\napp: {name: Line}\n-- site/index.html " +
			"--\n<!doctype html><head><link rel=manifest href=https://cdn.example/m.json></head>\n",
			"index.html page, site.webmanifest manifest", map[string]string{"index.html": "/site.webmanifest"}},
		{"nor one that is not there", "-- tachyform.yaml --\napp: {name: Line}\n-- site/index.html --\n<!doctype " +
			"html><head><link rel=manifest href=/gone.json></head>\n",
			"index.html page, site.webmanifest manifest", map[string]string{"index.html": "/site.webmanifest"}},
		{"pages that are chosen", "-- tachyform.yaml --\napp: {name: Line}\nhead: {pages: ['/', '/guide/*'], leave_out: " +
			"['/guide/print/*']}\n-- site/guide/a.html --\n<!doctype html><title>a</title>\n-- site/guide/print/a.html " +
			"--\n<!doctype html><title>a</title>\n-- site/b.html --\n<!doctype html><title>b</title>\n",
			"guide/a.html page, index.html page, site.webmanifest manifest", nil},
		{"pieces of pages stay", "-- tachyform.yaml --\napp: {name: Line}\n-- site/piece.html --\n<li>low</li>\n-- " +
			"site/google1234.html --\ngoogle-site-verification: google1234.html\n", "index.html page, site.webmanifest manifest",
			nil},
		{"an older encoding that is declared", "-- tachyform.yaml --\napp: {name: Line}\n-- site/old.html --\n<!doctype " +
			"html><meta charset=iso-8859-1><title>F\xe4hre</title>\n",
			"index.html page, old.html page, site.webmanifest manifest", map[string]string{"old.html": "F\xe4hre"}},
		{"a worker", "-- tachyform.yaml --\napp: {name: Line}\nworker: {pack: {include: ['/']}}\n",
			"index.html page, register.js script, site.webmanifest manifest, worker.js worker",
			map[string]string{"index.html": `src="/register.js"`, "worker.js": "skipWaiting"}},
		{"a worker in the place of another", "-- tachyform.yaml --\napp: {name: Line}\nworker: {present: {file: " +
			"/old-sw.js}, replace: yes, pack: {include: ['/']}}\n-- site/old-sw.js --\naddEventListener('fetch', () => " +
			"{});\n-- site/index.html --\n<!doctype " +
			"html><head><script>navigator.serviceWorker.register('/old-sw.js')</script></head>\n",
			"index.html page, old-sw.js worker, register.js script, site.webmanifest manifest",
			map[string]string{"old-sw.js": "caches"}},
		{"a site with a worker of its own keeps it", "-- tachyform.yaml --\napp: {name: Line}\nworker: {present: {file: " +
			"/sw.js}}\n-- site/sw.js --\n\n-- site/index.html --\n<!doctype " +
			"html><head><script>navigator.serviceWorker.register('/sw.js')</script></head>\n",
			"index.html page, site.webmanifest manifest", nil},
		{"a manifest behind a sign-in is asked for with cookies", "-- tachyform.yaml --\napp: {name: Line}\nhosting: " +
			"{redirects: [{match: '/*', to: /sign-in, unless_cookie: member}]}\n", "index.html page, site.webmanifest manifest",
			map[string]string{"index.html": `crossorigin="use-credentials"`}},
		{"icons of shortcuts", "-- tachyform.yaml --\napp: {name: Line, shortcuts: [{name: Tides, url: /tides}]}\nicons: " +
			"{master: brand/mark.svg, shortcuts: {Tides: brand/mark.svg}}\naudit: {targets: [chromium-desktop]}\n",
			"icons icon, index.html page, site.webmanifest manifest",
			map[string]string{"site.webmanifest": `"url": "/tides",`}},
	} {
		t.Run(c.name, func(t *testing.T) {
			one := prepare(t, c.archive)
			before := testsite.Read(t, one.dir)
			p, err := one.plan(t)
			require.NoError(t, err)
			assert.Equal(t, before, testsite.Read(t, one.dir), "nothing is written yet")
			seen := map[string]bool{}
			content := map[string]string{}
			for _, change := range p.Changes {
				content[change.Path] = string(change.New)
				name := change.Path + " " + change.What
				if change.What == "icon" {
					name = "icons icon"
				}
				seen[name] = true
			}
			for _, want := range strings.Split(c.changes, ", ") {
				assert.True(t, seen[want], "%s is not among %v", want, seen)
				delete(seen, want)
			}
			assert.Empty(t, seen)
			for path, text := range c.holds {
				assert.Contains(t, content[path], text, path)
			}
			s := state(t, p)
			require.NoError(t, s.Apply(context.Background(), p))
			again, err := one.plan(t)
			require.NoError(t, err)
			assert.Empty(t, again.Changes, "a second fit has nothing to do")
			_, err = s.Undo(p.Site)
			require.NoError(t, err)
			after := testsite.Read(t, filepath.Join(one.dir, "site"))
			for path, text := range before {
				if rest, ours := strings.CutPrefix(path, "site/"); ours {
					assert.Equal(t, text, after[rest], path)
					delete(after, rest)
				}
			}
			assert.Empty(t, after, "undo leaves nothing behind")
		})
	}
}

// What can't be fitted is told with its place and its mend, and nothing is written.
func TestPrepareRefuses(t *testing.T) {
	const own = "-- site/index.html --\n<!doctype " +
		"html><head>\n<script>navigator.serviceWorker.register('/own.js')</script></head>\n-- site/own.js --\n\n"
	for _, c := range []struct{ name, archive, where, what, mend string }{
		{"no name", "-- tachyform.yaml --\napp: {short_name: L}\n", "tachyform.yaml", "app.name is missing",
			"name: Skerry Line"},
		{"a manifest that is no JSON", "-- tachyform.yaml --\napp: {name: Line}\n-- site/index.html --\n<!doctype " +
			"html><head><link rel=manifest href=/m.json></head>\n-- site/m.json --\n{\n \"name\": 'x'\n}\n", "/m.json:2",
			"cannot be changed", "mend it, or take it away"},
		{"a manifest that is a list", "-- tachyform.yaml --\napp: {name: Line}\n-- site/index.html --\n<!doctype " +
			"html><head><link rel=manifest href=/m.json></head>\n-- site/m.json --\n[]\n", "/m.json:1", "an object in braces",
			"mend it"},
		{"icons beside the address", "-- tachyform.yaml --\naddress: /app/\napp: {name: Line}\nicons: {master: " +
			"brand/mark.svg, folder: /icons/}\n", "tachyform.yaml", "lies outside the site's address /app/",
			"include the address"},
		{"icons outside of the folder", "-- tachyform.yaml --\napp: {name: Line}\nicons: {master: brand/mark.svg, " +
			"folder: /../up/}\n", "tachyform.yaml", "", ""},
		{"no such picture", "-- tachyform.yaml --\napp: {name: Line}\nicons: {master: brand/none.svg}\n", "none.svg", "", ""},
		{"UTF-16", "-- tachyform.yaml --\napp: {name: Line}\n-- site/a.html --\n\xff\xfe<\x00h\x00t\x00m\x00l\x00>\x00\n",
			"a.html", "UTF-16", "save the page as UTF-8"},
		{"no UTF-8", "-- tachyform.yaml --\napp: {name: Line}\n-- site/a.html --\n<!doctype html>\n<title>F\xe4hre</title>\n",
			"a.html", "byte 0xe4 in line 2", "save the page as UTF-8"},
		{"cut off", "-- tachyform.yaml --\napp: {name: Line}\n-- site/a.html --\n<!doctype html><head><script>let a = '\n",
			"a.html", "", "build it again"},
		{"a pattern of pages", "-- tachyform.yaml --\napp: {name: Line}\nhead: {pages: ['/a((']}\n", "tachyform.yaml:2:16",
			"is not a pattern", "/guide/*"},
		{"a pattern of pages left out", "-- tachyform.yaml --\napp: {name: Line}\nhead: {leave_out: ['/', '/:1']}\n",
			"tachyform.yaml:2", "is not a pattern", "/guide/*"},
		{"a second worker", "-- tachyform.yaml --\napp: {name: Line}\nworker: {pack: {include: ['/']}}\n" + own,
			"index.html:2", "registers a worker of its own, /own.js", "present: {file: /its-address.js}"},
		{"a worker that can't be read", "-- tachyform.yaml --\napp: {name: Line}\nworker: {pack: {include: ['/']}}\n-- " +
			"site/index.html --\n<!doctype html><head><script>navigator.serviceWorker.register(decide())</script></head>\n",
			"index.html:1", "the script could not be run to its end", "present"},
		{"a policy that forbids our script", "-- tachyform.yaml --\napp: {name: Line}\nworker: {pack: {include: ['/']}}\n-- site/index.html --\n" +
			"<!doctype html><head><meta http-equiv=Content-Security-Policy content=\"default-src 'none'; style-src 'self'\"></head>\n",
			"index.html", "forbids the script that registers the worker, /register.js", "script-src 'self'"},
		{"a policy of the host that forbids the manifest", "-- tachyform.yaml --\napp: {name: Line}\nhosting: {headers: [{match: /*, set: " +
			"{Content-Security-Policy: \"manifest-src 'none'\"}}]}\n", "index.html", "forbids the manifest, /site.webmanifest", "head.leave_out"},
		{"a policy that forbids the worker alone", "-- tachyform.yaml --\napp: {name: Line}\nworker: {pack: {include: ['/']}}\nhosting: {headers: " +
			"[{match: /*, set: {Content-Security-Policy: \"script-src 'self'; worker-src https://elsewhere.example\"}}]}\n", "index.html",
			"forbids the worker, /worker.js", "worker-src 'self'"},
		{"in place of a module", "-- tachyform.yaml --\napp: {name: Line}\nworker: {present: {file: /own.js, type: " +
			"module}, replace: yes, pack: {include: ['/']}}\n" +
			own, "tachyform.yaml:2", "registered as a module", "take the register call out"},
		{"in place of one of another scope", "-- tachyform.yaml --\napp: {name: Line}\nworker: {present: {file: " +
			"/js/own.js, scope: /}, replace: yes, pack: {include: ['/']}}\n" +
			own, "tachyform.yaml:2", "has the scope /", "take the register call out"},
		{"a shortcut nearly so called", "-- tachyform.yaml --\napp: {name: Line, shortcuts: [{name: Tides, url: " +
			"/}]}\nicons: {master: brand/mark.svg, shortcuts: {Tidse: brand/mark.svg}}\n", "tachyform.yaml:2",
			`no shortcut of the app is called "Tidse"`, `did you mean "Tides"?`},
		{"a shortcut of no name near", "-- tachyform.yaml --\napp: {name: Line, shortcuts: [{name: Tides, url: " +
			"/}]}\nicons: {master: brand/mark.svg, shortcuts: {Piers at night: brand/mark.svg}}\n", "tachyform.yaml:2",
			"Piers at night", "the names are those under app.shortcuts: Tides"},
		{"a shortcut where there are none", "-- tachyform.yaml --\napp: {name: Line}\nicons: {master: brand/mark.svg, " +
			"shortcuts: {Tides: brand/mark.svg}}\n", "tachyform.yaml:2", "Tides", "add it under app:"},
		{"the worker's own module", "-- tachyform.yaml --\napp: {name: Line}\nworker: {pack: {include: ['/']}, module: " +
			"own.js}\n-- own.js --\nexport default {\n", "own.js:", "module cannot be used", "nothing was written"},
	} {
		t.Run(c.name, func(t *testing.T) {
			one := prepare(t, c.archive)
			before := testsite.Read(t, one.dir)
			_, err := one.plan(t)
			var wrong *problem.Problem
			require.ErrorAs(t, err, &wrong)
			assert.Contains(t, wrong.Where, c.where)
			assert.Contains(t, wrong.What, c.what)
			assert.Contains(t, wrong.Mend, c.mend)
			assert.Equal(t, before, testsite.Read(t, one.dir))
		})
	}
}

// A fit into another folder leaves the site as it is, and a folder that is not empty, too.
func TestInto(t *testing.T) {
	one := prepare(t, "-- tachyform.yaml --\napp: {name: Line}\n-- site/data/a.json --\n{}\n-- site/run.sh --\nx\n-- "+
		"full/a --\nx\n")
	require.NoError(t, os.Chmod(filepath.Join(one.dir, "site/run.sh"), 0o755))
	require.NoError(t, os.Symlink("data/a.json", filepath.Join(one.dir, "site/link.json")))
	require.NoError(t, os.Symlink(one.dir, filepath.Join(one.dir, "site/out")))
	require.NoError(t, os.Mkdir(filepath.Join(one.dir, "empty"), 0o755))
	p, err := one.plan(t)
	require.NoError(t, err)
	before := testsite.Read(t, one.dir)
	ctx := context.Background()
	for name, want := range map[string]string{"site": "in one another", "site/below": "in one another",
		".": "in one another", "full": "not empty", "brand/mark.svg": "cannot be read", "brand/mark.svg/x": "cannot be"} {
		err := p.CopyTo(ctx, filepath.Join(one.dir, name), []string{"out"})
		var wrong *problem.Problem
		if assert.ErrorAs(t, err, &wrong, name) {
			assert.Contains(t, wrong.What, want, name)
		}
		assert.Equal(t, before, testsite.Read(t, one.dir), name)
	}
	cancelled, cancel := context.WithCancel(ctx)
	cancel()
	require.ErrorIs(t, p.CopyTo(cancelled, filepath.Join(one.dir, "new"), []string{"out"}), context.Canceled)
	assert.Equal(t, before, testsite.Read(t, one.dir), "given up, nothing stays")

	for _, name := range []string{"new", "deep/er", "empty"} {
		to := filepath.Join(one.dir, name)
		require.NoError(t, p.CopyTo(ctx, to, []string{"out"}))
		got := testsite.Read(t, to)
		assert.Equal(t, "{}\n", got["link.json"], "a link within the site becomes what it leads to")
		assert.NotContains(t, got, "out")
		assert.Contains(t, got["index.html"], "site.webmanifest")
		assert.Len(t, got, 5)
		info, err := os.Stat(filepath.Join(to, "run.sh"))
		require.NoError(t, err)
		assert.EqualValues(t, 0o755, info.Mode().Perm())
	}
	after := testsite.Read(t, filepath.Join(one.dir, "site"))
	for path, text := range after {
		assert.Equal(t, before["site/"+path], text, path)
	}
}
