package project

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Project files that init wrote in earlier versions go on being read, and mean what they meant.
func TestEarlierProjectFiles(t *testing.T) {
	for name, text := range map[string]string{
		"with a list of pages": `# What Tachyform makes of this site. Run ` + "`tachyform fit`" + ` after each build.
site: dist                           # the folder as it is deployed
# origin: https://skerry-line.example  # where the site lives; name it before you audit for release

app:                                 # members of the web app manifest
  name: Pier
  short_name: Pier                           # under the icon; about 12 letters fit
  lang: en
  start_url: /
  display: standalone                        # a window of its own
  theme_color: "#26425a"                     # the bar around the page
  background_color: "#ffffff"                # while the app starts; best the page's own

icons:
  master: mark.svg                           # SVG, or PNG, JPEG, WebP from 512 px
  backdrop: "#26425a"                        # behind icons that may not be transparent

worker:
  pack:                              # kept when the worker is installed
    # every page with all it needs
    pages:                           # with everything they ask for
      - /
      - "/tides/*"
    budget: 5 MB
  rules:                             # for all else, the first that matches decides
    - match: "/*"
      destination: document          # pages that are not in the pack
      answer: network-first          # kept as they are visited
      patience: 3s                   # then the kept copy, or the stand-in
      keep: {at_most: 50}            # what was kept longest ago goes first
  stand_ins:
    page: /offline.html              # shown when a page cannot be had
  takeover: ask                      # a new release waits until its visitor agrees

audit:
  fail_on: risk
`,
		"without a stand-in": "site: dist\napp:\n  name: Pier\nworker:\n  pack:\n    pages:\n      - /\n      - \"/tides/*\"\n    budget: 5 MB\n  rules:\n    - match: \"/*\"\n      destination: document\n      answer: network-first\n      patience: 3s\n      keep: {at_most: 50}\n  # stand_ins:\n  #   page: /offline.html            # shown when a page cannot be had\n  takeover: ask\naudit:\n  fail_on: risk\n",
	} {
		p, err := Parse("tachyform.yaml", []byte(text))
		require.NoError(t, err, name)
		assert.Equal(t, []string{"/", "/tides/*"}, p.Worker.Pack.Pages, name)
		assert.Equal(t, "network-first", p.Worker.Rules[0].Answer)
		assert.Equal(t, Size(5_000_000), p.Worker.Pack.Budget)
		assert.Empty(t, p.Worker.Pack.OverBudget, "a heavy pack is refused as it was")
		assert.False(t, p.Worker.StandIns.MakePage, "none is made that nobody asked for")
		assert.True(t, p.HasWorker())
	}
	p, err := Parse("tachyform.yaml", []byte("site: dist\nworker:\n  # The site registers a worker of its own at index.html:3:1.\n  present:\n    file: /sw.js\naudit:\n  fail_on: risk\n"))
	require.NoError(t, err)
	assert.Equal(t, "/sw.js", p.Worker.Present.File)
	assert.False(t, p.HasWorker())
}

// A stand-in that is to be made has its address below the site's own; what is wrong with an answer is said.
func TestMadeAndStated(t *testing.T) {
	p, err := Parse("f", []byte("address: /app/\nworker: {stand_ins: {page: make, image: make}}\nhosting: {answers: [{match: /app/a, status: 404}]}"))
	require.NoError(t, err)
	assert.Equal(t, "/app/stand-in.html", p.Worker.StandIns.Page)
	assert.Equal(t, "/app/stand-in.svg", p.Worker.StandIns.Image)
	assert.True(t, p.Worker.StandIns.MakePage && p.Worker.StandIns.MakeImage)
	assert.Equal(t, "GET", p.Host.Answers[0].Method)
	for text, says := range map[string]string{
		"hosting: {answers: [{match: /a}]}":                           "has no body",
		"hosting: {answers: [{match: /a, status: 99, file: a.json}]}": "not an HTTP status",
		"hosting: {backend: localhost:3000}":                          "takes an origin",
		"worker: {stand_ins: {page: made}}":                           "takes a path",
		"worker: {stand_ins: {font: make}}":                           "takes a path",
		"worker: {pack: {over_budget: drop}}":                         "does not take",
	} {
		_, err := Parse("f", []byte(text))
		assert.ErrorContains(t, err, says, text)
	}
}
