package fit

import (
	"bytes"
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/page"
	"tachyform/internal/project"
	"tachyform/internal/testsite"
)

// applied fits a site and gives the stand-in as it lies in the site and beside the project file.
func (c *prepared) applied(t *testing.T) (*Plan, string, string) {
	t.Helper()
	plan, err := c.plan(t)
	require.NoError(t, err)
	state, err := OpenState(context.Background(), plan.State, "fit")
	require.NoError(t, err)
	defer state.Close()
	require.NoError(t, state.Apply(context.Background(), plan))
	return plan, testsite.Read(t, filepath.Join(c.dir, "site"))["stand-in.html"], testsite.Read(t, c.dir)["stand-in.html"]
}

// A stand-in that is made asks for nothing, speaks the app's language in its colours, leads to pages that are kept, and
// is packed; it is made anew until somebody edits it, and then outlives every build.
func TestMadeStandIn(t *testing.T) {
	const settings = "-- tachyform.yaml --\nsite: site\napp: {name: 'Pier & Line', lang: LANG, theme_color: '#0b4f6c', background_color: '#102030'}\n" +
		"icons: {master: brand/mark.svg}\nworker: {pack: {pages: ['/', '/far/']}, stand_ins: {page: make, image: make}}\n" +
		"-- site/index.html --\n<!doctype html><title>Tides</title><p>now</p>\n-- site/far/index.html --\n<!doctype html><title>Far</title><p>far</p>\n" +
		"-- site/rest.html --\n<!doctype html><title>Rest</title><p>rest</p>\n"
	c := prepare(t, strings.ReplaceAll(settings, "LANG", "de-AT"))
	plan, inSite, beside := c.applied(t)
	require.Equal(t, inSite, beside)
	d := page.ParseDocument("https://line.example/stand-in.html", "", []byte(inSite))
	assert.Empty(t, d.References, "it asks for nothing")
	assert.Equal(t, "de", d.Lang)
	assert.Contains(t, d.Title, "Keine Verbindung")
	for _, part := range []string{"Pier &amp; Line", "#102030", `<a href="/">Tides</a>`, `<a href="/far/">Far</a>`, "data:image/"} {
		assert.Contains(t, inSite, part)
	}
	assert.NotContains(t, inSite, "Rest", "that page is not kept")
	var packed []string
	for _, e := range plan.Worker.Pack {
		packed = append(packed, e.Path)
	}
	assert.Subset(t, packed, []string{"/stand-in.html", "/stand-in.svg"})

	again, _, _ := c.applied(t)
	assert.Empty(t, again.Changes, "a second fit changes nothing, its head tags neither")

	file := filepath.Join(c.dir, project.FileName)
	now, err := os.ReadFile(file)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(file, bytes.Replace(now, []byte("image: make"), []byte("image: make, words: {heading: Leider offline}"), 1), 0o644))
	c.p, err = project.Load(file)
	require.NoError(t, err)
	_, inSite, beside = c.applied(t)
	assert.Contains(t, inSite, "Leider offline")
	assert.Equal(t, inSite, beside)

	own := strings.Replace(beside, "Leider offline", "Ruf uns an", 1)
	require.NoError(t, os.WriteFile(filepath.Join(c.dir, "stand-in.html"), []byte(own), 0o644))
	require.NoError(t, os.RemoveAll(filepath.Join(c.dir, "site"))) // a build makes the folder anew
	testsite.Add(t, c.dir, map[string]string{"site/index.html": htmlPage, "site/far/index.html": htmlPage})
	_, inSite, beside = c.applied(t)
	assert.Equal(t, own, inSite)
	assert.Equal(t, own, beside, "what somebody edited stays")
}

// A language that is not known speaks English; words of the project file come first, in the language it names.
func TestStandInWords(t *testing.T) {
	for _, c := range []struct{ language, again, heading, lang string }{
		{"en-GB", "", "No connection", "en"}, {"fr", "", "Pas de connexion", "fr"}, {"gsw", "", "No connection", "en"},
		{"", "", "No connection", "en"}, {"gsw", "Nomal", "No connection", "gsw"},
	} {
		words, lang := wordsFor(c.language, project.Words{Again: c.again})
		assert.Equal(t, c.heading, words.Heading)
		assert.Equal(t, c.lang, lang, c.language)
		if c.again != "" {
			assert.Equal(t, c.again, words.Again)
		}
	}
}
