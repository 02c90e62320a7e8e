package handover

import (
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/project"
	"tachyform/internal/site"
	"tachyform/internal/testsite"
	"tachyform/internal/useragent"
	"tachyform/internal/worker"
)

const origin = "https://line.example"

// pier is a release of a small site: two pages, a style sheet, a script, and one that an open page asks for later.
func pier(n int) map[string]string {
	page := `<!doctype html><html lang="en"><title>Pier %[1]d</title><link rel="stylesheet" href="/s.css"><script src="/register.js" defer></script>` +
		`<script src="/s.js"></script><body><h1>Pier %[1]d</h1><p></p><a href="/%[2]s">on</a></body></html>`
	return map[string]string{
		"index.html": fmt.Sprintf(page, n, "far.html"), "far.html": fmt.Sprintf(page, n, ""),
		"s.css": fmt.Sprintf("body { --v: %d }", n),
		"s.js": fmt.Sprintf("setTimeout(() => { const s = document.createElement('script'); s.src = '/late.js'; document.head.append(s); }, 7200000); "+
			"addEventListener('DOMContentLoaded', () => { document.querySelector('p').textContent = 'script %d'; });", n),
		"late.js":  fmt.Sprintf("document.querySelector('p').textContent += ', late %d';", n),
		"same.svg": `<svg xmlns="http://www.w3.org/2000/svg"></svg>`,
	}
}

// released fits a release with the generated worker, which change may alter.
func released(t *testing.T, takeover string, files map[string]string, change func(code string) string) Release {
	t.Helper()
	p, err := project.Parse("tachyform.yaml", []byte("worker: {pack: {include: ['/*']}, takeover: "+takeover+"}"))
	require.NoError(t, err)
	f, err := site.OpenFolder(testsite.Write(t, files), origin, "/", p.Host)
	require.NoError(t, err)
	register := func(f *site.Folder) []byte {
		plan, err := worker.NewPlan(context.Background(), p, f, nil)
		require.NoError(t, err)
		code, err := worker.RegisterScript(plan, worker.OptionsOf(p))
		require.NoError(t, err)
		return code
	}
	f = f.With(map[string][]byte{"register.js": register(f)})
	plan, err := worker.NewPlan(context.Background(), p, f, nil)
	require.NoError(t, err)
	code, err := worker.Generate(plan, worker.OptionsOf(p))
	require.NoError(t, err)
	text := string(code)
	if change != nil {
		text = change(text)
	}
	return Release{Host: f.With(map[string][]byte{"worker.js": []byte(text)})}
}

func play(t *testing.T, releases []Release, only ...string) *Result {
	t.Helper()
	retiring, err := worker.Retiring(worker.Options{})
	require.NoError(t, err)
	in := Input{Releases: releases, Visit: []string{origin + "/far.html", origin + "/"}, Retiring: retiring, Options: useragent.Options{}}
	if len(only) > 0 {
		in.Only = only
	}
	r, err := Run(context.Background(), in)
	require.NoError(t, err)
	return r
}

// With the generated worker no document ever gets files of two releases from it, nothing is lost that was kept, and the
// new release arrives; each scenario has the steps that its description names, and comes out alike each time.
func TestGeneratedWorker(t *testing.T) {
	for takeover, arrives := range map[string]string{"when-closed": "reopen", "ask": "reopen", "at-once": "reload-1"} {
		t.Run(takeover, func(t *testing.T) {
			releases := []Release{released(t, takeover, pier(1), nil), released(t, takeover, pier(2), nil), released(t, takeover, pier(3), nil)}
			r := play(t, releases)
			require.Len(t, r.Scenarios, len(definitions))
			for i, s := range r.Scenarios {
				var names []string
				for _, step := range s.Steps {
					names = append(names, step.Name)
				}
				assert.Equal(t, definitions[i].steps, names, s.Name)
				for _, m := range s.Mixtures {
					assert.True(t, m.ByHost, "%s %+v", s.Name, m)
				}
				assert.Empty(t, s.Lost, s.Name)
				assert.Empty(t, s.Loops, s.Name)
				if s.Name != "earlier-worker" { // whose cache nobody knows
					assert.Empty(t, s.Left, s.Name)
				}
				if !slices.Contains([]string{"tab-left-open", "never-closed"}, s.Name) {
					assert.True(t, s.Arrival.Arrives, "%s %+v", s.Name, s.Arrival)
				}
				if s.Name == Returning {
					assert.Equal(t, arrives, s.Arrival.Step)
					assert.Less(t, s.Bytes, r.WholeBytes*3, "what is as before is not fetched again")
				}
			}
			again, err := json.Marshal(play(t, releases))
			require.NoError(t, err)
			first, err := json.Marshal(r)
			require.NoError(t, err)
			assert.JSONEq(t, string(first), string(again), "it comes out alike")
		})
	}
}

// outcome is all of what the scenarios came to that a person would notice.
func outcome(r *Result) string {
	var b strings.Builder
	for _, s := range r.Scenarios {
		fmt.Fprintf(&b, "%s %+v %v %v %v %v %d\n", s.Name, s.Arrival, s.Mixtures, s.Loops, s.Lost, s.Left, s.Stored)
		for _, step := range s.Steps {
			fmt.Fprintf(&b, "  %s %s %s %s %v %v %d\n", step.Name, step.Document, step.Outcome, step.Failed, slices.Sorted(maps.Keys(step.Files)),
				step.Controlled, step.Stored)
		}
	}
	return b.String()
}

// A line that is taken out of the worker shows in some scenario.
func TestMutations(t *testing.T) {
	lines := map[string][]string{
		"ask": {
			"if (held) return",
			"throw Object.assign(new Error(`${path} of the pack answered with other bytes",
			"await Promise.all([next(), next(), next(), next(), next(), next()]);",
			"for (const request of await store.keys()) if (!wanted.has(request.url)) await store.delete(request);",
			"event.waitUntil(assignReleases().then(clean));",
			"if (copy) return copy;",
			"if (event.data === \"tachyform:take-over\") self.skipWaiting();",
		},
		"at-once": {"self.skipWaiting()", "self.clients.claim()"},
	}
	asks := func(files map[string]string) map[string]string {
		files["s.js"] += "document.addEventListener('tachyform:release-waiting', () => setTimeout(() => tachyform.takeOver(), 2000));" +
			"document.addEventListener('tachyform:taken-over', (e) => e.preventDefault());" // as one with unsaved input does
		return files
	}
	for takeover, list := range lines {
		plain := outcome(play(t, []Release{released(t, takeover, asks(pier(1)), nil), released(t, takeover, asks(pier(2)), nil)}))
		for _, line := range list {
			found := false
			without := func(code string) string {
				out := strings.Split(code, "\n")
				for i, l := range out {
					if at := strings.Index(l, line); at >= 0 {
						found = true
						if strings.HasSuffix(line, "()") { // part of a line
							out[i] = strings.Replace(l, line, "0", 1)
						} else {
							out[i] = ""
						}
						break
					}
				}
				return strings.Join(out, "\n")
			}
			changed := outcome(play(t, []Release{released(t, takeover, asks(pier(1)), without), released(t, takeover, asks(pier(2)), without)}))
			assert.True(t, found, "the worker has no line %q any more", line)
			assert.NotEqual(t, plain, changed, "nothing shows that %q is missing", line)
		}
	}
}

// What goes wrong with workers that people write is told with its reason.
func TestArrival(t *testing.T) {
	page := func(n int) string {
		return fmt.Sprintf(`<!doctype html><title>Pier %d</title><script>navigator.serviceWorker.register('/w.js')</script><script src="/s.js"></script><h1>Pier %d</h1>`, n, n)
	}
	release := func(n int, code string, more map[string]string) Release {
		files := map[string]string{"index.html": page(n), "far.html": page(n), "s.js": fmt.Sprintf("window.n = %d", n), "w.js": code}
		maps.Copy(files, more)
		f, err := site.OpenFolder(testsite.Write(t, files), origin, "/", project.Default(".").Host)
		require.NoError(t, err)
		return Release{Host: f}
	}
	first := "caches.open('%s').then((c) => c.addAll(['/', '/far.html', '/s.js'%s]))"
	install := func(name, more, then string) string {
		return "oninstall = (e) => e.waitUntil(" + fmt.Sprintf(first, name, more) + then + "); onfetch = (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request)));"
	}
	for name, c := range map[string]struct {
		old, next string
		want      Why
		check     func(*testing.T, *Scenario)
	}{
		"a worker that never changes": {install("kept", "", ""), install("kept", "", ""), Frozen, nil},
		"an installation that fails": {install("v1", "", ""), install("v2", ", '/gone.js'", ""), Fails, func(t *testing.T, s *Scenario) {
			assert.Contains(t, s.Failed[0].Text, "/gone.js")
		}},
		"caches that stay": {install("v1", "", ""), strings.Replace(install("v2", "", ""), "caches.match(", "caches.open('v2').then((c) => c.match(", 1) + ")", Waits,
			nil},
	} {
		t.Run(name, func(t *testing.T) {
			code := c.next
			if name == "caches that stay" {
				code = "oninstall = (e) => e.waitUntil(" + fmt.Sprintf(first, "v2", "") + "); onfetch = (e) => e.respondWith(caches.open('v2').then((c) => c.match(e.request)).then((r) => r || fetch(e.request)));"
			}
			s := play(t, []Release{release(1, c.old, nil), release(2, code, nil)}, Returning).Scenarios[0]
			assert.Equal(t, c.want, s.Arrival.Why, "%+v", s.Arrival)
			if name == "caches that stay" {
				assert.True(t, s.Arrival.Arrives)
				assert.Equal(t, []string{"v1"}, s.Left)
			} else {
				assert.False(t, s.Arrival.Arrives)
			}
			if c.check != nil {
				c.check(t, s)
			}
		})
	}
}

// A page that was visited and stays the old one keeps the release from being there wholly.
func TestPageBehind(t *testing.T) {
	release := func(n int) Release {
		files := pier(n)
		files["register.js"] = "navigator.serviceWorker.register('/w.js')"
		files["w.js"] = fmt.Sprintf("/* %d */ oninstall = (e) => { skipWaiting(); e.waitUntil(caches.open('far').then((c) => c.match('/far.html').then((r) => r || c.add('/far.html')))) }; ", n) +
			"onfetch = (e) => { if (e.request.url.endsWith('/far.html')) e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request))) };"
		f, err := site.OpenFolder(testsite.Write(t, files), origin, "/", project.Default(".").Host)
		require.NoError(t, err)
		return Release{Host: f}
	}
	s := play(t, []Release{release(1), release(2)}, Returning).Scenarios[0]
	assert.Equal(t, Arrival{Why: Mixes}, s.Arrival)
	require.NotNil(t, s.Behind(New))
	assert.Equal(t, "/far.html", s.Behind(New).URL)
	assert.Equal(t, New, s.Steps[3].Document, "the entry page is the new one")
}
