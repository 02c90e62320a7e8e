package cli

import (
	"bufio"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/testsite/demo"
)

// audit --watch judges again when a file changes, shows a mistake in the project file and goes on, and ends when it is
// stopped.
func TestWatch(t *testing.T) {
	dir := write(t, map[string]string{"tachyform.yaml": "site: dist\n", "dist/index.html": pierPage})
	c := exec.Command(program, "audit", "--watch")
	c.Dir = dir
	out, err := c.StdoutPipe()
	require.NoError(t, err)
	c.Stderr = c.Stdout
	require.NoError(t, c.Start())
	defer c.Process.Kill()
	lines := bufio.NewScanner(out)
	round := func() string {
		var text strings.Builder
		for lines.Scan() {
			text.WriteString(lines.Text() + "\n")
			if strings.Contains(lines.Text(), "watching") {
				break
			}
		}
		return text.String()
	}
	assert.NotContains(t, round(), "gone.png")
	put := func(name, text string) {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644))
	}
	put("dist/index.html", strings.Replace(pierPage, "</body>", "<img src=/gone.png></body>", 1)+"<img src=/gone.png>")
	assert.Contains(t, round(), "gone.png")
	put("tachyform.yaml", "site: dist\naudti: {}\n")
	assert.Contains(t, round(), "did you mean audit?")
	put("tachyform.yaml", "site: dist\n")
	assert.Contains(t, round(), "gone.png")
	require.NoError(t, c.Process.Signal(os.Interrupt))
	assert.NoError(t, c.Wait())
}

// Reports of every kind at once, and what changed since an earlier one.
func TestReports(t *testing.T) {
	dir := write(t, map[string]string{"tachyform.yaml": "site: dist\n", "dist/index.html": pierPage})
	r := run(t, dir, "audit", "--report", "json=out/a.json", "--report", "sarif=out/a.sarif", "--report",
		"junit=out/a.xml", "--report", "markdown=out/a.md", "--report", "html=out/a.html")
	require.Equal(t, 1, r.status, r.err)
	for _, name := range []string{"a.json", "a.sarif", "a.xml", "a.md", "a.html"} {
		text, err := os.ReadFile(filepath.Join(dir, "out", name))
		require.NoError(t, err)
		assert.Contains(t, string(text), "worker.none", name)
	}
	assert.Equal(t, 0, run(t, dir, "audit", "--compare", "out/a.json", "--fail-on-new").status, "nothing is new")
	require.NoError(t, os.WriteFile(filepath.Join(dir, "dist/index.html"), []byte(pierPage+"<img src=/gone.png>"), 0o644))
	assert.Equal(t, 1, run(t, dir, "audit", "--compare", "out/a.json", "--fail-on-new").status)
	r = run(t, dir, "audit", "--compare", "out/a.json")
	assert.Contains(t, r.out, "0 mended, 1 new")
	assert.Regexp(t, `new\s+link.broken`, r.out)
	for range 2 {
		r = run(t, dir, "audit", "--remember")
	}
	assert.Len(t, regexp.MustCompile(`\d+ blockers? +\d+ risks?`).FindAllString(r.out, -1), 2, r.out)
	for _, wrong := range [][]string{{"--compare", "out/a.xml"}, {"--compare", "none.json"}, {"--report", "pdf=x"}, {"--fail-on-new"}} {
		r = run(t, dir, append([]string{"audit"}, wrong...)...)
		assert.Equal(t, 2, r.status, wrong)
		assert.NotEmpty(t, r.err)
	}
}

// audit --fix fits what a fit can mend, says what is left, and can be undone.
func TestFix(t *testing.T) {
	dir, p := demo.Fitted(t)
	tides := filepath.Join(p.SiteDir(), "tides", "index.html")
	text, err := os.ReadFile(tides)
	require.NoError(t, err)
	broken := strings.Replace(string(text), `<link rel="manifest" href="/site.webmanifest">`, `<img src="/gone.png">`, 1)
	require.NotEqual(t, string(text), broken)
	require.NoError(t, os.WriteFile(tides, []byte(broken), 0o644))
	r := run(t, dir, "audit", "--fix")
	assert.Equal(t, 1, r.status, "what only people can mend is still there: %s", r.err)
	assert.Contains(t, r.out, "fitted")
	assert.Regexp(t, `mended\s+worker.failed`, r.out)
	assert.Contains(t, r.out, "link.broken")
	r = run(t, dir, "undo")
	assert.Equal(t, 0, r.status, r.err)
	text, err = os.ReadFile(tides)
	require.NoError(t, err)
	assert.Equal(t, broken, string(text))
	assert.Equal(t, 2, run(t, dir, "audit", "--fix", "--watch").status)
}
