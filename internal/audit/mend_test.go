package audit

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/page"
	"tachyform/internal/project"
	"tachyform/internal/request"
	"tachyform/internal/useragent/document"
)

// Advice about a missing file does not name what the project file says already.
func TestMendOfMissing(t *testing.T) {
	for rules, says := range map[string]string{
		"": "",
		"{match: /other/*, answer: network-first}":                                             "",
		"{match: /data/*, destination: image, answer: network-first}":                          "",
		"{match: /data/*, answer: network-first}":                                              "add at_install: yes",
		"{match: /data/*, answer: network-first, at_install: yes}":                             "at_install: all",
		"{match: /data/*, answer: network-first, at_install: all}":                             "",
		"{match: /data/*, answer: network-only}":                                               "keeps nothing",
		"{match: /data/now.json, answer: network-only}, {match: /data/*, answer: cache-first}": "worker.rules[0]",
	} {
		p, err := project.Parse("f", []byte("worker: {pack: {include: [/]}, rules: ["+rules+"]}"))
		require.NoError(t, err)
		a := &auditor{Input: Input{Project: p}, origin: "https://line.example"}
		load := func(destination request.Destination, method string) *document.Load {
			return &document.Load{Reference: page.Reference{URL: "https://line.example/data/now.json", Destination: destination}, Method: method}
		}
		got := a.mendOfMissing(load(request.Data, ""))
		assert.Contains(t, a.mendOfMissing(load(request.Data, "POST")), "no worker keeps answers to POST")
		elsewhere := a.mendOfMissing(&document.Load{Reference: page.Reference{URL: "https://tiles.example/1.png", Destination: request.Image}})
		assert.Contains(t, elsewhere, `match: "https://tiles.example/*"`)
		assert.Contains(t, a.mendOfMissing(load(request.Object, "")), "past every worker")
		if says == "" {
			assert.Empty(t, got, rules)
		} else {
			assert.Contains(t, got, says, rules)
		}
	}
}
