package cli

import (
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/project"
	"tachyform/internal/site"
	"tachyform/internal/testsite"
)

// The name under the icon ends at a word, without an article, and is no longer than what people read there.
func TestShortNames(t *testing.T) {
	for name, want := range map[string]string{
		"Skerry Line – sailings of today": "Skerry Line", "The Harbour of Orrin": "Harbour", "The Pier": "The Pier", "Die Fährleute von Orrin": "Fährleute",
		"Sailings and tides of the isles": "Sailings", "Gezeitenvorhersage": "", "Tides: now": "Tides", "A": "A", "": "",
	} {
		assert.Equal(t, want, shortNameOf(name), name)
	}
}

// A master picture is looked for beside the project file and in the site: a square vector, else a square picture that is large enough.
func TestProposedMaster(t *testing.T) {
	square := `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><path d="M0 0h9v9z"/></svg>`
	wide := strings.Replace(square, "0 0 9 9", "0 0 90 9", 1)
	for name, c := range map[string]struct {
		files map[string]string
		want  string
	}{
		"beside":                {map[string]string{"logo.svg": square, "dist/favicon.svg": square}, "logo.svg"},
		"in a folder of brands": {map[string]string{"brand/mark.svg": square}, "brand/mark.svg"},
		"in the site":           {map[string]string{"dist/img/logo.svg": wide, "dist/favicon.svg": square}, "dist/favicon.svg"},
		"by name":               {map[string]string{"dist/a/icon.svg": square, "dist/b/mark.svg": square}, "dist/b/mark.svg"},
		"none is square":        {map[string]string{"dist/logo.svg": wide}, ""},
		"none has such a name":  {map[string]string{"dist/chart.svg": square}, ""},
		"no picture":            {map[string]string{"dist/logo.png": "text"}, ""},
	} {
		c.files["dist/index.html"] = pierPage
		dir := testsite.Write(t, c.files)
		f, err := site.OpenFolder(filepath.Join(dir, "dist"), "https://line.example", "/", project.Default("").Host)
		require.NoError(t, err)
		assert.Equal(t, c.want, proposeMaster(dir, f), name)
	}
}
