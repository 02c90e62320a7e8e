package conformance

import (
	"bytes"
	"encoding/json"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/audit"
	"tachyform/internal/cli"
	"tachyform/internal/project"
	"tachyform/internal/recorded"
	"tachyform/internal/serve"
)

// unfitted is an app without a worker of its own: where it lies, how its host answers, what is opened.
type unfitted struct {
	dir          string // with site/ and master.svg
	host         *project.Project
	visit, pages []string
}

const plainMark = `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 512 512"><rect width="512" height="512" fill="#0b4f6c"/><path d="M96 352h320L256 128z" fill="#fff"/></svg>`

// unfittedApps are the apps that are recorded without a worker, and our own with theirs taken out.
func unfittedApps(t *testing.T) map[string]func(t *testing.T) unfitted {
	list := map[string]func(t *testing.T) unfitted{}
	plain, err := filepath.Glob(filepath.Join(appsDir(), "*-plain"))
	require.NoError(t, err)
	for i, folder := range plain {
		if !sampled(i, 4) {
			continue
		}
		list[filepath.Base(folder)] = func(t *testing.T) unfitted {
			var ignored any
			c, _, err := recorded.Load(folder, &ignored)
			require.NoError(t, err)
			a := unfitted{dir: t.TempDir(), host: project.Default(""), visit: c.Visit, pages: c.Pages}
			require.NoError(t, os.CopyFS(filepath.Join(a.dir, "site"), os.DirFS(filepath.Join(folder, "site"))))
			mark, err := os.ReadFile(filepath.Join(folder, "master.svg"))
			require.NoError(t, err)
			require.NoError(t, os.WriteFile(filepath.Join(a.dir, "master.svg"), mark, 0o644))
			a.host.Addr, a.host.Host = c.Base, c.Hosts()
			return a
		}
	}
	own, err := filepath.Glob("testdata/drawnapps/*.txtar")
	require.NoError(t, err)
	for i, path := range own {
		if !sampled(i, 12) {
			continue
		}
		list[strings.TrimSuffix(filepath.Base(path), ".txtar")] = func(t *testing.T) unfitted {
			s := unpackSite(t, path, "http://origin", "http://other")
			require.NoError(t, os.Remove(filepath.Join(s.dir, "site/sw.js")))
			bundle := filepath.Join(s.dir, "site/app.js")
			text, err := os.ReadFile(bundle)
			require.NoError(t, err)
			without := bytes.ReplaceAll(text, []byte(`serviceWorker.register("/sw.js")`), []byte("serviceWorker.getRegistrations()"))
			require.NotEqual(t, string(text), string(without))
			require.NoError(t, os.WriteFile(bundle, without, 0o644))
			require.NoError(t, os.WriteFile(filepath.Join(s.dir, "master.svg"), []byte(plainMark), 0o644))
			return unfitted{s.dir, s.project, s.project.Audit.Visit, s.project.Audit.Pages}
		}
	}
	return list
}

// missingFile is the file that a finding says is missing.
var missingFile = regexp.MustCompile(`missing (/\S+)`)

// tachyform runs the program and gives what it prints.
func tachyform(t *testing.T, status int, args ...string) string {
	t.Helper()
	var out, errOut bytes.Buffer
	got := cli.Main(args, strings.NewReader(""), &out, &errOut)
	require.LessOrEqual(t, got, status, "%s\n%s", out.String(), errOut.String())
	return out.String()
}

// An app that a framework built, and that has no worker, is described by init alone and fitted: a real browser, after the
// visits, draws every page without its host as it draws it online, finds the app installable, and the audit says the
// same of each page.
func TestFittedApps(t *testing.T) {
	t.Parallel()
	for name, lay := range unfittedApps(t) {
		t.Run(name, func(t *testing.T) {
			a := lay(t)
			dir := filepath.Join(a.dir, "site")
			s, err := serve.Start(http.NotFoundHandler())
			require.NoError(t, err)
			defer s.Offline()
			answer := func() { s.Answer(serve.Handler(dir, s.Origin(), a.host)) }
			answer()
			plain := startChromium(t)
			online := map[string]drawnPage{}
			for _, p := range a.pages {
				tab, err := plain.OpenTab()
				require.NoError(t, err)
				online[p] = lookAt(t, tab, s.Origin(), p, false)
				tab.Close()
			}
			clicked := map[string]string{} // what a click on the first page leads to, where there is a link
			for _, p := range a.pages {
				if text, there := clickIn(t, plain, s.Origin(), a.visit[0], p); there {
					clicked[p] = text
				}
			}
			plain.Close()

			tachyform(t, 0, "init", dir, "--name", "Fitted "+name, "--master", filepath.Join(a.dir, "master.svg"))
			file := filepath.Join(a.dir, project.FileName)
			tachyform(t, 0, "fit", "--project", file)
			answer()
			c := startChromium(t)
			defer c.Close()
			tab, err := c.OpenTab()
			require.NoError(t, err)
			for i, p := range a.visit {
				lookAt(t, tab, s.Origin(), p, i == 0 || i == len(a.visit)-1) // the worker is installed by the first
			}
			refusals, err := c.InstallErrors(s.Origin() + a.visit[0])
			require.NoError(t, err)
			assert.Empty(t, refusals, "installability")
			tab.Close()
			s.Offline()
			require.NoError(t, c.StopWorkers())

			settings, err := os.ReadFile(file)
			require.NoError(t, err)
			more, err := json.Marshal(a.pages)
			require.NoError(t, err)
			first, err := json.Marshal(a.visit)
			require.NoError(t, err)
			require.NoError(t, os.WriteFile(file, append(settings, "  visit: "+string(first)+"\n  pages: "+string(more)+"\n"...), 0o644))
			var report audit.Report
			require.NoError(t, json.Unmarshal([]byte(tachyform(t, 1, "audit", "--project", file, "--format", "json")), &report))
			said := map[string]*audit.PageResult{}
			for _, p := range report.Pages {
				said[p.URL] = p.Under["offline"]
			}
			for _, f := range report.Findings {
				lacking := missingFile.FindStringSubmatch(f.Evidence)
				if lacking != nil && !exists(filepath.Join(dir, lacking[1])) {
					continue // what the site lacks online, too
				}
				if !strings.Contains(online[f.Where.URL].Text, "failed:") && f.Code != "page.gone" {
					assert.Equal(t, audit.Polish, f.Weight, "%s %s %s", f.Code, f.Where.URL, f.Evidence)
				}
			}
			for _, p := range a.pages {
				tab, err := c.OpenTab()
				require.NoError(t, err)
				got := lookAt(t, tab, s.Origin(), p, false)
				tab.Close()
				if v := a.status(t, dir, p); v >= 400 {
					continue // the host itself does not have it
				}
				if strings.Contains(online[p].Text, "failed:") {
					continue // nor what the page asks for
				}
				assert.Equal(t, online[p], got, p)
				if assert.NotNil(t, said[p], p) && len(said[p].Missing) == 0 {
					assert.Equal(t, got.Opened && got.Text == online[p].Text, said[p].Outcome == "whole" && said[p].Known,
						"%s: the audit says %s %s", p, said[p].Outcome, said[p].Why)
				}
			}
			for _, p := range a.pages {
				if o, want := said[p], clicked[p]; want != "" && o != nil && o.Outcome == "whole" && o.Known {
					text, there := clickIn(t, c, s.Origin(), a.visit[0], p)
					assert.True(t, there, "%s: the link", p)
					assert.Equal(t, want, text, "%s after a click", p)
				}
			}
		})
	}
}

// status is what the host answers with at a path.
func (a unfitted) status(t *testing.T, dir, path string) int {
	w := httptest.NewRecorder()
	serve.Handler(dir, "http://origin", a.host).ServeHTTP(w, httptest.NewRequest(http.MethodGet, "http://origin"+path, nil))
	return w.Code
}
