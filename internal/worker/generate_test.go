package worker_test

import (
	"bytes"
	"context"
	"errors"
	"path/filepath"
	"strings"
	"testing"

	"github.com/evanw/esbuild/pkg/api"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/condition"
	"tachyform/internal/project"
	"tachyform/internal/rehearsal"
	"tachyform/internal/site"
	"tachyform/internal/testsite"
	"tachyform/internal/useragent"
	"tachyform/internal/worker"
)

// settingsOf are worker sections that between them use every feature of the generated code.
var settingsOf = map[string]string{
	"pack":  "{pack: {pages: [/, /pier/]}}",
	"rules": `{pack: {include: [/]}, rules: [{match: "/d/*", answer: stale-while-revalidate, tell: yes, keep: {for: 1d, at_most: 5}, statuses: [200, 404]}, {match: "/a/*", answer: cache-first, keep: {at_most: 3}}, {match: "/api/*", answer: network-first, patience: 3s, method: GET}, {match: "https://tiles.example/*", answer: cache-first, opaque: yes, keep: {at_most: 30}}]}`,
	"shell": "{pack: {include: [/]}, shell: {page: /}, stand_ins: {page: /offline.html, image: /a/o.png, data: " +
		"{body: '{}', status: 503}}}",
	"asks": "{pack: {include: [/]}, takeover: ask, register: {hosts: ['*.line.example'], off_on: ['localhost'], " +
		"check: 1h}}",
	"at once": "{pack: {include: [/]}, takeover: at-once, stand_ins: {page: /offline.html}}",
	"closed":  "{pack: {include: [/]}, takeover: when-closed}",
}

// planOf makes a plan for the harbour with a worker section; false where the section holds a key that is not known.
func planOf(t *testing.T, settings string) *worker.Plan {
	t.Helper()
	dir := testsite.Write(t, harbour)
	p, err := project.Parse("tachyform.yaml", []byte("worker: "+settings))
	require.NoError(t, err)
	f, err := site.OpenFolder(dir, origin, "/", p.Host)
	require.NoError(t, err)
	w, err := worker.NewPlan(context.Background(), p, f.With(map[string][]byte{"register.js": []byte("")}), nil)
	require.NoError(t, err)
	return w
}

// The generated scripts hold no syntax beyond their target, nothing of the generator's own marks and nothing of this
// machine; the same plan gives the same bytes.
func TestGeneratedForms(t *testing.T) {
	lowered := func(code []byte, target api.Target) string {
		r := api.Transform(string(code), api.TransformOptions{Target: target, LegalComments: api.LegalCommentsNone})
		require.Empty(t, r.Errors)
		return string(r.Code)
	}
	for name, settings := range settingsOf {
		p := planOf(t, settings)
		for target, version := range worker.Targets {
			sizes := map[string][2]int{}
			for form, minify := range []bool{false, true} {
				o := worker.Options{Minify: minify, Target: target}
				for script, make := range map[string]func() ([]byte,
					error){"worker": func() ([]byte, error) { return worker.Generate(p, o) }, "register": func() ([]byte,
					error) {
					return worker.RegisterScript(p, o)
				}, "retire": func() ([]byte, error) { return worker.Retiring(o) }} {
					code, err := make()
					require.NoError(t, err, name)
					again, err := make()
					require.NoError(t, err)
					assert.True(t, bytes.Equal(code, again), "%s %s %v", name, script, o)
					assert.True(t, lowered(code, api.ESNext) == lowered(code, version), "%s of %s uses what %s has not", script, name,
						target)
					for _, mark := range []string{"//?", "//!", "import ", "export ", "runtime:", "/tmp/", "sourceMapping"} {
						assert.NotContains(t, string(code), mark, "%s %s %s", name, script, target)
					}
					s := sizes[script]
					s[form] = len(code)
					sizes[script] = s
				}
			}
			for script, s := range sizes {
				assert.Less(t, s[1]*2, s[0], "%s of %s hardly becomes smaller", script, name)
			}
		}
	}
}

// Only what the plan uses is in the code.
func TestOnlyWhatIsUsed(t *testing.T) {
	words := map[string]string{
		"skipWaiting":     "rules, shell, asks, at once, pack",
		"'opaque'":        "rules",
		"setInterval":     "",
		"take-over":       "rules, shell, asks, pack",
		"clients.claim()": "at once",
	}
	for word, want := range words {
		var uses []string
		for _, name := range strings.Split("rules, shell, asks, at once, pack, closed", ", ") {
			code, err := worker.Generate(planOf(t, settingsOf[name]), worker.Options{})
			require.NoError(t, err)
			if strings.Contains(strings.ReplaceAll(string(code), `"`, "'"), word) {
				uses = append(uses, name)
			}
		}
		assert.Equal(t, want, strings.Join(uses, ", "), word)
	}
}

// A mistake in the worker's own module is told with its file and place, also one in what it imports; a module that is
// right is part of the worker, and its path on this machine is not.
func TestOwnModule(t *testing.T) {
	for name, c := range map[string]struct {
		files map[string]string
		at    string
	}{
		"right": {map[string]string{"own.js": "import { tide } from " +
			"'./tide.js';\naddEventListener('message', (e) => e.source.postMessage(tide));\n",
			"tide.js": "export const tide = 'high water at the outer pier';\n"}, ""},
		"breaks off":      {map[string]string{"own.js": "addEventListener('push', () => {\n"}, "own.js:2:1"},
		"no script":       {map[string]string{"own.js": "let tide = ;\n"}, "own.js:1:12"},
		"imports nothing": {map[string]string{"own.js": "\nimport './gone.js';\n"}, "own.js:2:8"},
		"imports no script": {map[string]string{"own.js": "import './tide.js';\n",
			"tide.js": "\n\nconst 1 = 2;\n"}, "tide.js:3:7"},
		"imports a name that is not there": {map[string]string{"own.js": "import { ebb } from './tide.js';\nebb();\n",
			"tide.js": "export const tide = 1;\n"}, "own.js:1:10"},
	} {
		t.Run(name, func(t *testing.T) {
			dir := testsite.Write(t, c.files)
			p := planOf(t, "{pack: {include: [/]}, module: "+filepath.Join(dir, "own.js")+"}")
			code, err := worker.Generate(p, worker.Options{})
			if c.at == "" {
				require.NoError(t, err)
				assert.Contains(t, string(code), "high water at the outer pier")
				assert.NotContains(t, string(code), dir)
				return
			}
			var wrong *worker.ModuleError
			require.True(t, errors.As(err, &wrong), "%v", err)
			assert.True(t, strings.HasPrefix(wrong.Error(), filepath.Join(dir, c.at)+": "), wrong.Error())
		})
	}
}

// What each kind of takeover does while a page of the old release is open, and once it is closed.
func TestTakeovers(t *testing.T) {
	for takeover, want := range map[string][2]string{"when-closed": {"old", "new"}, "at-once": {"new", "new"},
		"ask": {"old", "new"}} {
		settings := "{pack: {pages: [/]}, takeover: " + takeover + "}"
		old := deploy(t, settings, map[string]string{"index.html": htmlPage("old", "")})
		next := deploy(t, settings, map[string]string{"index.html": htmlPage("new", "")})
		s := rehearsal.NewSession(rehearsal.NewEmbedded(context.Background(), []site.Host{old}, useragent.Options{}), origin)
		for _, step := range []rehearsal.Step{{Open: origin + "/"}, {Deploy: []site.Host{next}}, {Reload: "normal"},
			{Reload: "normal"}} {
			s.Step(step)
		}
		open := s.View("").Title
		s.Step(rehearsal.Step{Close: "tab"})
		s.Step(rehearsal.Step{Condition: &condition.Offline})
		s.Step(rehearsal.Step{Open: origin + "/"})
		assert.Equal(t, want, [2]string{open, s.View("").Title}, takeover)
		s.Close()
	}
}
