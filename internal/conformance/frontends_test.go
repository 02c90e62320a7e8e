package conformance

import (
	"encoding/json"
	"fmt"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/audit"
	"tachyform/internal/driver/chromium"
	"tachyform/internal/project"
	"tachyform/internal/serve"
)

// frontEndPages is how many pages of a front end are compared, frontEndClicks how many links of its first page are clicked.
const (
	frontEndPages  = 12
	frontEndClicks = 8
)

// Published front ends, one in each folder of TACHYFORM_FRONTENDS, are described by init and fitted as a newcomer would: what the audit says of their
// pages offline, opened and clicked, is what a real browser shows. scripts/front-ends.sh fetches six of them.
func TestFrontEnds(t *testing.T) {
	root := os.Getenv("TACHYFORM_FRONTENDS")
	if root == "" {
		t.Skip("TACHYFORM_FRONTENDS names no folder; scripts/front-ends.sh makes one")
	}
	folders, err := os.ReadDir(root)
	require.NoError(t, err)
	for _, f := range folders {
		t.Run(f.Name(), func(t *testing.T) { compareFrontEnd(t, filepath.Join(root, f.Name())) })
	}
}

func compareFrontEnd(t *testing.T, folder string) {
	dir := t.TempDir()
	built := filepath.Join(dir, "site")
	require.NoError(t, os.CopyFS(built, os.DirFS(folder)))
	mark := filepath.Join(dir, "mark.svg")
	require.NoError(t, os.WriteFile(mark, []byte(plainMark), 0o644))
	tachyform(t, 0, "init", built, "--name", "Front end", "--master", mark)
	file := filepath.Join(dir, project.FileName)
	tachyform(t, 0, "fit", "--project", file)
	var report audit.Report
	require.NoError(t, json.Unmarshal([]byte(tachyform(t, 1, "audit", "--project", file, "--format", "json")), &report))
	p, err := project.Load(file)
	require.NoError(t, err)

	s, err := serve.Start(http.NotFoundHandler())
	require.NoError(t, err)
	defer s.Offline()
	s.Answer(serve.Handler(built, s.Origin(), p))
	pages, said := sampleOfPages(&report)
	plain := startChromium(t)
	defer plain.Close()
	online := func(path string) (text string, steady bool) {
		var texts [2]string
		for i := range texts {
			tab, err := plain.OpenTab()
			require.NoError(t, err)
			texts[i] = lookAt(t, tab, s.Origin(), path, false).Text
			tab.Close()
		}
		return texts[0], texts[0] == texts[1]
	}
	texts, steady := map[string]string{}, map[string]bool{}
	for _, path := range pages {
		texts[path], steady[path] = online(path)
	}
	clicked := map[string]string{} // what a click on the first page leads to
	for _, path := range pages {
		if claim := said[path]; path != report.Entry && len(clicked) < frontEndClicks && claim.Known && steady[path] && claim.Outcome == "whole" {
			if text, there := clickIn(t, plain, s.Origin(), report.Entry, path); there {
				clicked[path] = text
			}
		}
	}
	c := startChromium(t)
	defer c.Close()
	tab, err := c.OpenTab()
	require.NoError(t, err)
	for range 2 {
		lookAt(t, tab, s.Origin(), report.Entry, true)
	}
	tab.Close()
	s.Offline()
	require.NoError(t, c.StopWorkers())

	known, whole := 0, 0
	for _, path := range pages {
		claim := said[path]
		tab, err := c.OpenTab()
		require.NoError(t, err)
		got := lookAt(t, tab, s.Origin(), path, false)
		tab.Close()
		if !claim.Known || !steady[path] {
			t.Logf("%s: %s, unknown: %s", path, claim.Outcome, claim.Why)
			continue
		}
		known++
		switch claim.Outcome {
		case "whole":
			whole++
			assert.Equal(t, texts[path], got.Text, "%s is whole", path)
		case "lost", "stand-in":
			assert.NotEqual(t, texts[path], got.Text, "%s is %s", path, claim.Outcome)
		default:
			t.Logf("%s: %s, missing %v, not drawn %q", path, claim.Outcome, claim.Missing, claim.Lacks)
		}
	}
	for path, want := range clicked {
		text, _ := clickIn(t, c, s.Origin(), report.Entry, path)
		assert.Equal(t, want, text, "%s after a click on %s", path, report.Entry)
	}
	t.Logf("%s, start page %s, known %v; %d of %d pages compared are known, %d whole; %d links clicked; verdict %s", filepath.Base(folder),
		said[report.Entry].Outcome, said[report.Entry].Known, known, len(pages), whole, len(clicked), report.Summary.Verdict)
	for _, f := range report.Findings {
		t.Logf("  %s %s %s: %s → %s", f.Weight, f.Code, f.Where.URL, f.Evidence, f.Mend)
	}
}

// sampleOfPages gives the entry page and others of a report at even distances, with what is said of them offline.
func sampleOfPages(r *audit.Report) (pages []string, said map[string]*audit.PageResult) {
	said = map[string]*audit.PageResult{}
	for _, p := range r.Pages {
		said[p.URL] = p.Under["offline"]
	}
	pages = append(pages, r.Entry)
	step := max(1, len(r.Pages)/frontEndPages)
	for i := 0; i < len(r.Pages) && len(pages) < frontEndPages; i += step {
		if url := r.Pages[i].URL; url != r.Entry && r.Pages[i].Under["offline"].Status < 400 {
			pages = append(pages, url)
		}
	}
	return pages, said
}

// clickIn opens a page and clicks the first link on it that leads to an address, and gives the text that is shown then.
func clickIn(t *testing.T, c *chromium.Browser, origin, from, to string) (text string, there bool) {
	tab, err := c.OpenTab()
	require.NoError(t, err)
	defer tab.Close()
	lookAt(t, tab, origin, from, false)
	quoted, err := json.Marshal(origin + to)
	require.NoError(t, err)
	found, err := tab.Evaluate(fmt.Sprintf(`(() => { const a = [...document.querySelectorAll('a[href]')].find((a) => a.href === %s && a.getClientRects().length && !a.target);
		if (a) setTimeout(() => a.click(), 10); return String(Boolean(a)) })()`, quoted))
	require.NoError(t, err)
	if found != "true" {
		return "", false
	}
	for began := time.Now(); time.Since(began) < 5*time.Second; time.Sleep(100 * time.Millisecond) {
		at, err := tab.Evaluate("location.href")
		if u, bad := url.Parse(at); err == nil && bad == nil && u.Path == to && u.Host != "" {
			break
		}
	}
	return look(t, tab).Text, true
}
