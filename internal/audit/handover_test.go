package audit

import (
	"context"
	"fmt"
	"maps"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/handover"
	"tachyform/internal/project"
	"tachyform/internal/site"
	"tachyform/internal/testsite"
)

// Workers such as people write: what is kept in a cache, under the name of a release, answers first.
const (
	keeps = "const NAME = '%s'; oninstall = (e) => e.waitUntil(caches.open(NAME).then((c) => c.addAll(['/', '/s.js'%s]))); "
	// deletes has caches of earlier releases go.
	deletes = "onactivate = (e) => e.waitUntil(caches.keys().then((all) => Promise.all(all.filter((n) => %s).map((n) => caches.delete(n))))); "
	answers = "onfetch = (e) => e.respondWith(%s.then((r) => r || fetch(e.request)));"
	own     = "caches.open(NAME).then((c) => c.match(e.request))"
	anyOf   = "caches.match(e.request)"
)

func releasedBy(t *testing.T, n int, worker, head string, more map[string]string) *site.Folder {
	t.Helper()
	files := map[string]string{
		"index.html": fmt.Sprintf(`<!doctype html><title>Pier %d</title>%s<script>navigator.serviceWorker.register('/w.js')</script><script src="/s.js"></script><h1>Pier %d</h1>`, n, head, n),
		"s.js":       fmt.Sprintf("window.release = %d", n), "late.js": fmt.Sprintf("window.late = %d", n), "version.json": fmt.Sprint(n), "w.js": worker,
	}
	maps.Copy(files, more)
	f, err := site.OpenFolder(testsite.Write(t, files), "https://pier.example", "/", project.Default(".").Host)
	require.NoError(t, err)
	return f
}

// Each thing that can be wrong between two releases is found in a site that does just that, and in none that does it right.
func TestHandoverFindings(t *testing.T) {
	right := func(name, more string) string {
		return fmt.Sprintf(keeps, name, more) + fmt.Sprintf(deletes, "n !== NAME") + fmt.Sprintf(answers, own)
	}
	heavy := map[string]string{"film.js": "//" + strings.Repeat("film ", 40_000)}
	for name, c := range map[string]struct {
		old, next, head, code, evidence string
		more                            map[string]string
	}{
		"all right but for half a deployment": {old: right("v1", ""), next: right("v2", "")},
		"a worker that never changes": {old: right("kept", ""), next: right("kept", ""), code: "release.stuck",
			evidence: "still the old one"},
		"a list with a file that is gone": {old: right("v1", ""), next: right("v2", ", '/gone.js'"), code: "release.fails", evidence: "/gone.js"},
		"a page that reloads until it is new": {old: right("kept", ""), next: right("kept", ""), code: "release.loops", evidence: "reload-1",
			head: "<script>fetch('/version.json', { cache: 'no-store' }).then((r) => r.text()).then((v) => v !== String(window.release) && setTimeout(() => location.reload(), 100))</script>"},
		"a worker that takes over an open page": {old: right("v1", ", '/late.js'") + "skipWaiting(); onmessage = () => {};",
			next: right("v2", ", '/late.js'") + "skipWaiting(); addEventListener('activate', (e) => e.waitUntil(clients.claim()));", code: "release.mixed",
			evidence: "/late.js", head: "<script>setTimeout(() => { const s = document.createElement('script'); s.src = '/late.js'; document.head.append(s); }, 4000)</script>"},
		"caches of an earlier worker answer": {old: fmt.Sprintf(keeps, "v1", "") + fmt.Sprintf(deletes, "n[0] === 'v' && n !== NAME") + fmt.Sprintf(answers, anyOf),
			next: fmt.Sprintf(keeps, "v2", "") + fmt.Sprintf(deletes, "n[0] === 'v' && n !== NAME") + fmt.Sprintf(answers, anyOf), code: "release.stays",
			evidence: "earlier-worker"},
		"all caches are emptied": {old: right("v1", ""), next: fmt.Sprintf(keeps, "v2", "") + fmt.Sprintf(deletes, "true") + fmt.Sprintf(answers, own),
			code: "release.lost", evidence: "offline"},
		"old caches stay": {old: right("v1", ""), next: fmt.Sprintf(keeps, "v2", "") + fmt.Sprintf(answers, own), code: "release.left", evidence: "v1"},
		"all is fetched again": {old: right("v1", ", '/film.js'"), next: strings.Replace(right("v2", ", '/film.js'"), "'/film.js'",
			"new Request('/film.js', { cache: 'reload' })", 1), code: "release.heavy", evidence: "a new visitor", more: heavy},
	} {
		t.Run(name, func(t *testing.T) {
			old, next := releasedBy(t, 1, c.old, c.head, c.more), releasedBy(t, 2, c.next, c.head, c.more)
			p := project.Default(next.Dir)
			p.Origin = "https://pier.example"
			r, err := Handover(context.Background(), Input{Project: p, Name: "site", Host: next, Folder: next},
				[]handover.Release{{Name: "old", Host: old}}, nil)
			require.NoError(t, err)
			found := map[string]*Finding{}
			for _, f := range r.Findings {
				found[f.Code] = f
			}
			if c.code == "" {
				// Nothing but what half a deployment does to a worker that believes what it gets.
				for _, f := range r.Findings {
					assert.Regexp(t, "^files-first: [^;]*$", f.Evidence, f.Code)
				}
				return
			}
			require.Contains(t, found, c.code)
			assert.Contains(t, found[c.code].Evidence, c.evidence)
			assert.NotEmpty(t, found[c.code].Mend)
			assert.True(t, r.FailsOn(found[c.code].Weight))
		})
	}
}

// An audit tells of the handover only where an earlier release is given, and weighs it with all else.
func TestAuditWithHandover(t *testing.T) {
	frozen := fmt.Sprintf(keeps, "kept", "") + fmt.Sprintf(answers, own)
	old, next := releasedBy(t, 1, frozen, "", nil), releasedBy(t, 2, frozen, "", nil)
	p := project.Default(next.Dir)
	p.Origin = "https://pier.example"
	in := Input{Project: p, Name: "site", Host: next, Folder: next}
	r, err := Run(context.Background(), in)
	require.NoError(t, err)
	assert.Nil(t, r.Handover)
	blockers := r.Summary.Blockers
	in.Before = []handover.Release{{Name: "old", Host: old}}
	r, err = Run(context.Background(), in)
	require.NoError(t, err)
	require.NotNil(t, r.Handover)
	assert.Equal(t, blockers+1, r.Summary.Blockers)
	assert.Contains(t, codes(r), "release.stuck")
}
