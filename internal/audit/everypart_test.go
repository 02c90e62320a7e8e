package audit_test

import (
	"context"
	"encoding/json"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/audit"
	"tachyform/internal/fit"
	"tachyform/internal/project"
	"tachyform/internal/site"
	"tachyform/internal/testsite"
	"tachyform/internal/testsite/demo"
)

// fingerprint is what a person would notice of an audit: outcomes, verdicts and findings.
func fingerprint(t *testing.T, p *project.Project, f *site.Folder) (string, *audit.Report) {
	r, err := audit.Run(context.Background(), audit.Input{Project: p, Name: "site", Host: f, Folder: f})
	require.NoError(t, err)
	for _, page := range r.Pages {
		for _, u := range page.Under {
			u.MS = 0
		}
	}
	type seen struct {
		Pages    []*audit.PageReport
		Findings []*audit.Finding
		Targets  map[string]*audit.TargetVerdict
	}
	text, err := json.Marshal(seen{r.Pages, r.Findings, r.Targets})
	require.NoError(t, err)
	return string(text), r
}

// Every part of the fitted example is there for a reason: taking any one away changes an outcome or brings a finding.
func TestEveryPartMatters(t *testing.T) {
	_, p := demo.Fitted(t)
	whole := demo.Open(t, p)
	before, report := fingerprint(t, p, whole)
	require.Equal(t, "ready", report.Summary.Verdict)

	for _, file := range whole.Files() {
		t.Run("file "+file.Path, func(t *testing.T) {
			after, _ := fingerprint(t, p, whole.With(map[string][]byte{file.Path: nil}))
			assert.False(t, before == after, "nothing changed")
		})
	}
	for _, name := range []string{"index.html", "islands/skerra.html", "crew/rota.html"} {
		page, err := whole.File(name).Bytes()
		require.NoError(t, err)
		tags := 0
		for _, line := range strings.Split(string(page), "\n") {
			if !strings.Contains(line, "manifest") && !strings.Contains(line, "theme-color") &&
				!strings.Contains(line, `rel="icon"`) && !strings.Contains(line, "apple-touch") &&
				!strings.Contains(line, "register.js") {
				continue
			}
			tags++
			t.Run(name+line, func(t *testing.T) {
				after, _ := fingerprint(t, p, whole.With(map[string][]byte{name: []byte(strings.Replace(string(page), line+
					"\n", "", 1))}))
				assert.False(t, before == after, "nothing changed")
			})
		}
		require.Equal(t, 5, tags, name)
	}
	text, err := whole.File("site.webmanifest").Bytes()
	require.NoError(t, err)
	for _, member := range []string{"name", "start_url", "display", "icons"} {
		t.Run("member "+member, func(t *testing.T) {
			var m map[string]any
			require.NoError(t, json.Unmarshal(text, &m))
			delete(m, member)
			if member == "name" {
				delete(m, "short_name") // either of the two is enough
			}
			changed, err := json.Marshal(m)
			require.NoError(t, err)
			_, r := fingerprint(t, p, whole.With(map[string][]byte{"site.webmanifest": changed}))
			assert.Positive(t, r.Summary.Blockers)
		})
	}
}

// refit fits the example anew after a change to its project file, and judges it.
func refit(t *testing.T, change func(*project.Project)) (string, *audit.Report) {
	t.Helper()
	dir := demo.Unpack(t)
	p, err := project.Load(filepath.Join(dir, project.FileName))
	require.NoError(t, err)
	change(p)
	f := demo.Open(t, p)
	plan, err := fit.Prepare(context.Background(), p, f, nil)
	require.NoError(t, err)
	return fingerprint(t, p, plan.View)
}

func TestEveryRuleMatters(t *testing.T) {
	before, r := refit(t, func(*project.Project) {})
	require.Equal(t, "ready", r.Summary.Verdict)
	for i := range 5 {
		var match string
		after, changed := refit(t, func(p *project.Project) {
			require.Len(t, p.Worker.Rules, 5)
			match = p.Worker.Rules[i].Match
			p.Worker.Rules = append(p.Worker.Rules[:i:i], p.Worker.Rules[i+1:]...)
		})
		// Without its rule a file that pages need goes into the pack, where it stays as it was at the release.
		assert.False(t, before == after &&
			len(changed.Worker.Caches["tachyform / pack"]) == len(r.Worker.Caches["tachyform / pack"]), "nothing changed: "+
			match)
	}
	for name, change := range map[string]func(*project.Project){
		"page stand-in":  func(p *project.Project) { p.Worker.StandIns.Page = "" },
		"image stand-in": func(p *project.Project) { p.Worker.StandIns.Image = "" },
	} {
		after, _ := refit(t, change)
		if name == "page stand-in" {
			assert.False(t, before == after, "nothing changed: "+name)
		}
	}
}

// Without patience a network that never answers leaves the visitor with nothing.
func TestPatience(t *testing.T) {
	outcome := func(change func(*project.Project)) string {
		_, r := refit(t, change)
		for _, page := range r.Pages {
			if page.URL == "/crew/rota.html" {
				return string(page.Under["stalled"].Outcome)
			}
		}
		return ""
	}
	assert.Equal(t, "stand-in", outcome(func(*project.Project) {}))
	assert.Equal(t, "stuck", outcome(func(p *project.Project) {
		for i := range p.Worker.Rules {
			p.Worker.Rules[i].Patience = 0
		}
	}))
}

// Undo gives back every byte, and a second fit changes none.
func TestFitTwiceAndUndo(t *testing.T) {
	dir, p := demo.Fitted(t)
	f := demo.Open(t, p)
	again, err := fit.Prepare(context.Background(), p, f, nil)
	require.NoError(t, err)
	assert.Empty(t, again.Changes)

	state, err := fit.OpenState(context.Background(), fit.StateDir(p, p.SiteDir()), "test")
	require.NoError(t, err)
	defer state.Close()
	_, err = state.Undo(p.SiteDir())
	require.NoError(t, err)
	fresh := demo.Unpack(t)
	assert.Equal(t, testsite.Tree(t, filepath.Join(fresh, "site")), testsite.Tree(t, filepath.Join(dir, "site")))
}

// tree reads all files below a folder.
