package site

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/problem"
	"tachyform/internal/project"
	"tachyform/internal/testsite"
)

// A folder that nobody deploys is told as what it is, with the folder that was meant where there is one.
func TestCheckBuilt(t *testing.T) {
	const page = "<!doctype html><script src=/assets/main.js></script>"
	for name, c := range map[string]struct {
		files      map[string]string
		what, mend string
	}{
		"built":                       {map[string]string{"index.html": page}, "", ""},
		"one page under another name": {map[string]string{"tides.htm": page}, "", ""},
		"pages beside a package file": {map[string]string{"index.html": page, "package.json": "{}"}, "", ""},
		"empty":                       {nil, "the folder is empty", "name the folder that your build makes"},
		"no pages": {map[string]string{"a.css": "", "b.js": ""}, "no HTML page among the 2 files",
			"it holds index.html"},
		"no pages, but a build": {map[string]string{"a.css": "", "_site/index.html": page}, "", ""},
		"a project's root": {map[string]string{"package.json": "{}", "src/main.js": ""},
			"root of a project (package.json)", "build the project"},
		"a project's root with a build": {map[string]string{"package.json": "{}", "index.html": page,
			"dist/index.html": page}, "root of a project (package.json)", "dist, which looks like the build's output"},
		"a package file that says how": {map[string]string{"package.json": `{"scripts": {"build": "bundle"}}`, "src/main.js": "",
			"pnpm-lock.yaml": ""}, "root of a project (package.json)", "run pnpm run build in"},
		"one that says how, built": {map[string]string{"package.json": `{"scripts": {"generate": "x"}}`, "dist/index.html": page},
			"root of a project (package.json)", "the output of npm run generate"},
		"another project's root": {map[string]string{"mkdocs.yml": "", "docs/a.md": ""},
			"root of a project (mkdocs.yml)", "build the project"},
		"an entry that is yet to build": {map[string]string{"index.html": `<script type=module src="/src/main.tsx"></script>`}, "index.html asks for", "build the project"},
		"an entry with a build beside": {map[string]string{"index.html": `<script src='/src/app.jsx'></script>`,
			"build/index.html": page}, "these are sources", "build, which looks like"},
		"one that is only named alike": {map[string]string{"index.html": `<script src="/a.ts.js"></script>`}, "", ""},
		"a folder of a static generator": {map[string]string{"_config.yml": "", "_site/index.html": page},
			"root of a project (_config.yml)", "_site, which looks like"},
	} {
		t.Run(name, func(t *testing.T) {
			f, err := OpenFolder(testsite.Write(t, c.files), "https://line.example", "/", project.Default("").Host)
			require.NoError(t, err)
			err = f.CheckBuilt()
			if c.what == "" {
				assert.NoError(t, err)
				return
			}
			var p *problem.Problem
			require.ErrorAs(t, err, &p)
			assert.Contains(t, p.What, c.what)
			assert.Contains(t, p.Mend, c.mend)
			assert.Equal(t, f.Dir, p.Where)
			assert.Equal(t, problem.Read, p.Kind)
		})
	}
}

// A folder that can't be opened says why.
func TestOpenFolderRefuses(t *testing.T) {
	dir := testsite.Write(t, map[string]string{"a": "x"})
	for path, want := range map[string]string{dir + "/none": "no such folder", dir + "/a": "this is a file"} {
		_, err := OpenFolder(path, "https://line.example", "/", project.Default("").Host)
		require.Error(t, err)
		assert.Contains(t, err.Error(), want)
	}
	for _, hosting := range []project.Hosting{
		{Headers: []project.HeaderRule{{Match: "/a(("}}}, {Redirects: []project.Redirect{{Match: "/a{{"}}},
		{Statuses: []project.StatusRule{{Match: "/:1"}}},
	} {
		_, err := OpenFolder(dir, "https://line.example", "/", hosting)
		require.Error(t, err)
		assert.Contains(t, err.Error(), "is not a URL pattern")
		assert.Contains(t, err.Error(), project.FileName)
	}
}
