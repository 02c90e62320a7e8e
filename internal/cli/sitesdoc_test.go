package cli

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/project"
	"tachyform/internal/serve"
	"tachyform/internal/testsite"
)

const sitesIntro = `# Each kind of site, worked through

What to do for each kind of site, the project file that ` + "`init`" + ` wrote for it without further help, and what ` + "`audit`" + ` then said of the
fitted site. A test makes this page from the sources in [examples](../examples) and holds it against what the program does today
(` + "`TACHYFORM_WRITE_DOCS=1 go test ./internal/cli -run TestSitesDocument`" + ` writes it anew).
`

// kindOfSite is one part of docs/sites.md: how it is laid out, the words above it, and more for the project file.
type kindOfSite struct {
	title, words string
	lay          func(t *testing.T, dir string) (site string)
	also         string
}

// board lays out the single-page app of the examples; every address in it begins with base.
func board(t *testing.T, dir, base string) string {
	t.Helper()
	const from = "../../examples/skerry-board"
	require.NoError(t, os.CopyFS(dir, os.DirFS(from)))
	if base != "/" {
		addresses := regexp.MustCompile("([\"'`(])/(assets|data|pictures|berths|about)")
		for name, text := range testsite.Read(t, filepath.Join(dir, "dist")) {
			text = addresses.ReplaceAllString(text, "$1"+base+"$2")
			text = strings.NewReplacer(`href:"/"`, `href:"`+base+`"`, `[/^\/$/`, `[/^\`+strings.TrimSuffix(base, "/")+`\/$/`,
				`/^\/berths`, `/^\`+strings.TrimSuffix(base, "/")+`\/berths`, `/^\/about`, `/^\`+strings.TrimSuffix(base, "/")+`\/about`).Replace(text)
			require.NoError(t, os.WriteFile(filepath.Join(dir, "dist", name), []byte(text), 0o644))
		}
	}
	return "dist"
}

// line lays out the site of pages of the examples.
func line(t *testing.T, dir string) string {
	t.Helper()
	for _, part := range []string{"site", "brand"} {
		require.NoError(t, os.CopyFS(filepath.Join(dir, part), os.DirFS("../../examples/skerry-line/plain/"+part)))
	}
	require.NoError(t, os.Rename(filepath.Join(dir, "brand/mark.svg"), filepath.Join(dir, "mark.svg")))
	return "site"
}

// Every kind of site comes out as docs/sites.md has it.
func TestSitesDocument(t *testing.T) {
	spa := func(t *testing.T, dir string) string { return board(t, dir, "/") }
	kinds := []kindOfSite{
		{"A folder of pages", "1. `tachyform init site --master mark.svg`, and correct what it wrote where you know better.\n" +
			"2. `tachyform fit` after each change of the folder, before it is uploaded.\n3. `tachyform audit`, in the script that uploads it.", line, ""},
		{"A single-page app", "1. Build it, then `tachyform init dist --master mark.svg`: it opens the app and follows its links.\n" +
			"2. `tachyform fit` after each build; the page that draws all others becomes the shell.\n" +
			"3. `tachyform audit` tries every route that links lead to; name others under `audit.pages`.", spa, ""},
		{"A framework with a build", "1. In package.json: `\"postbuild\": \"tachyform fit\"`; in .gitignore: `.tachyform/`. The project file and stand-in.html " +
			"belong into version control.\n2. `tachyform fit --development` while you work on it: pages register nothing, and remove what is registered.\n" +
			"3. Pointed at the project's root, every command names the output folder, and the command that makes it.", spa, ""},
		{"Rendered by a server", "1. `tachyform init http://localhost:8080 --master mark.svg`, with the server running.\n" +
			"2. `tachyform fit --into upload` makes the files to serve, and the lines for the template's head.\n" +
			"3. `tachyform audit http://localhost:8080`, once both are there. Nothing but GET and HEAD is sent.", nil, ""},
		{"Below a sub-folder", "1. `tachyform init dist --master mark.svg`: a common prefix of the addresses that pages ask for becomes `address`.\n" +
			"2. All paths in the project file start at the origin and include it.\n3. The worker lies in that folder, and reaches the pages below it.",
			func(t *testing.T, dir string) string { return board(t, dir, "/board/") }, ""},
		{"On a host without control over headers", "1. Say under `hosting.headers` what the host sends, so that the audit judges by it.\n" +
			"2. Browsers ask for the worker's script past their cache, so a release arrives however long files are kept; what the worker " +
			"keeps is fetched past that cache, too.\n3. Where the manifest comes under another media type, name it under `hosting.media_types`: browsers take it nevertheless.",
			spa, "  headers:\n    - {match: /*, set: {Cache-Control: max-age=600}}\n  media_types: {.webmanifest: application/octet-stream}\n"},
	}
	text := sitesIntro
	for _, k := range kinds {
		dir := t.TempDir()
		text += "\n## " + k.title + "\n\n" + k.words + "\n"
		shown := func(s string) string { return s }
		var args []string
		if k.lay == nil {
			line(t, dir)
			p := project.Default("site")
			server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
				serve.Handler(filepath.Join(dir, "site"), "http://"+r.Host, p).ServeHTTP(w, r)
			}))
			defer server.Close()
			shown = func(s string) string { return strings.ReplaceAll(s, server.URL, "http://localhost:8080") }
			args = []string{server.URL + "/"}
		} else {
			args = []string{k.lay(t, dir)}
		}
		r := run(t, dir, append([]string{"init"}, append(args, "--master", "mark.svg", "--name", "Skerry Line")...)...)
		require.Equal(t, 0, r.status, r.err)
		file := filepath.Join(dir, project.FileName)
		settings := read(t, dir, project.FileName)
		if k.also != "" {
			settings = strings.Replace(settings, "\naudit:\n", k.also+"\naudit:\n", 1)
			require.NoError(t, os.WriteFile(file, []byte(settings), 0o644))
		}
		assert.LessOrEqual(t, strings.Count(settings, "\n"), 62, k.title)
		text += "\n```yaml\n" + shown(settings) + "```\n"
		if k.lay == nil {
			r = run(t, dir, "fit", "--into", "upload")
			require.Equal(t, 0, r.status, r.err)
			// What a person does with it: the files beside the pages, the lines in every head.
			require.NoError(t, os.CopyFS(filepath.Join(dir, "site"), os.DirFS(filepath.Join(dir, "upload"))))
			lines := regexp.MustCompile(`(?s)EVERY PAGE'S TEMPLATE\n(.*?)\n\n`).FindStringSubmatch(r.out)
			require.NotNil(t, lines, r.out)
			for name, page := range testsite.Read(t, filepath.Join(dir, "site")) {
				if strings.HasSuffix(name, ".html") && name != project.StandInPage {
					require.NoError(t, os.WriteFile(filepath.Join(dir, "site", name), []byte(strings.Replace(page, "</head>", lines[1]+"\n</head>", 1)), 0o644))
				}
			}
			r = run(t, dir, append([]string{"audit"}, args...)...)
		} else {
			require.Equal(t, 0, run(t, dir, "fit").status)
			r = run(t, dir, "audit")
		}
		verdict, _, _ := strings.Cut(r.out, "\n\n")
		findings := ""
		if _, below, has := strings.Cut(r.out, "\nRISKS\n"); has {
			findings, _, _ = strings.Cut(below, "\nPOLISH\n")
			findings = "\nRISKS\n" + findings
		}
		text += "\n```\n" + shown(strings.TrimRight(verdict+"\n"+findings, "\n")) + "\n```\n"
	}
	const doc = "../../docs/sites.md"
	if os.Getenv("TACHYFORM_WRITE_DOCS") != "" {
		require.NoError(t, os.WriteFile(doc, []byte(text), 0o644))
	}
	now, err := os.ReadFile(doc)
	require.NoError(t, err)
	if string(now) != text {
		fmt.Println(text)
	}
	assert.True(t, string(now) == text, "docs/sites.md is out of date; TACHYFORM_WRITE_DOCS=1 writes it anew")
}
