package audit

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

// What a page or something that it loads asks for and does not get is reported, with a fix that can be followed; what nothing loads may name what
// it likes.
func TestBrokenLinks(t *testing.T) {
	for name, c := range map[string]struct{ settings, body, evidence string }{
		"a module that nothing loads":              {},
		"a template's address":                     {body: `<a href="/{{ page }}">one</a>`},
		"the site's own address without its slash": {settings: "address: /app/", body: `<a href="/app">home</a>`},
		"what a script asks for and nobody has": {settings: "hosting: {statuses: [{match: /tides.json, status: 404}]}",
			body: "<script>fetch('/tides.json').catch(() => {})</script>", evidence: "/tides.json is not there"},
	} {
		files := goodSite()
		files["unused.mjs"] = "import './gone.mjs';"
		files["far.html"] = strings.Replace(files["far.html"], "</body>", c.body+"</body>", 1)
		if strings.HasPrefix(c.settings, "address") {
			for path, text := range files {
				files[path] = strings.NewReplacer(`"/app"`, `"/app"`, `"/`, `"/app/`, `'/`, `'/app/`).Replace(text)
			}
		}
		r := judge(t, files, c.settings)
		if c.evidence == "" {
			assert.NotContains(t, codes(r), "link.broken", name)
			assert.NotContains(t, codes(r), "worker.scope", name)
			assert.Len(t, r.Pages, 2, name)
			continue
		}
		found := false
		for _, f := range r.Findings {
			if f.Code == "link.broken" {
				found = true
				assert.Contains(t, f.Evidence, c.evidence, name)
			}
		}
		assert.True(t, found, "%s: %v", name, codes(r))
	}
}
