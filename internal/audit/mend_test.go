package audit

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/project"
)

// Advice about a missing file does not name what the project file says already.
func TestMendByRule(t *testing.T) {
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
		got := a.mendByRule("/data/now.json")
		if says == "" {
			assert.Empty(t, got, rules)
		} else {
			assert.Contains(t, got, says, rules)
		}
	}
}
