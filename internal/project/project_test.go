package project

import (
	"encoding/json"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/goccy/go-yaml"
	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const whole = `site: dist
origin: https://line.example/
address: /app
app: {name: Line, theme_color: "#0b4f6c", display_override: [minimal-ui]}
worker:
  pack: {include: ["/app/*"], budget: 1.5 MB}
  rules:
    - {match: "/app/data/*", answer: network-first, patience: 1500ms}
audit: {targets: [safari-ios]}
hosting:
  headers: [{match: "/*", set: {ETag: null, X-A: b}}]
  redirects: [{match: "/old/:page", to: "/new/:page"}]
`

func TestParse(t *testing.T) {
	p, err := Parse("tachyform.yaml", []byte(whole))
	require.NoError(t, err)
	assert.Equal(t, "/app/", p.Addr)
	assert.Equal(t, "https://line.example", p.Origin)
	assert.Equal(t, Size(1500000), p.Worker.Pack.Budget)
	assert.Equal(t, 1500*time.Millisecond, time.Duration(p.Worker.Rules[0].Patience))
	assert.Equal(t, "/app/worker.js", p.Worker.File)
	assert.Equal(t, []string{"/app/"}, p.Audit.Visit)
	assert.Nil(t, p.Host.Headers[0].Set["ETag"])
	assert.Equal(t, "b", *p.Host.Headers[0].Set["X-A"])
	assert.Equal(t, 302, p.Host.Redirects[0].Status)
	assert.Equal(t, Place{8, 15}, p.PlaceOf("worker.rules[0].match"))
}

// Every mistake is told, with its place and the nearest valid word.
func TestMistakes(t *testing.T) {
	for text, want := range map[string]string{
		"wroker: {}":                     "f:1:1 wroker did you mean worker",
		"site: 1\nsite: 2":               "f:2:1 remove one",
		"worker: {rules: [{match: /*}]}": "f:1:18 answer",
		"worker: {rules: [{match: /*, answer: cache-frist}]}":                      "f:1:38 did you mean cache-first",
		"worker: {rules: [{match: /*, answer: cache-first, patience: 3s}]}":        "f:1:61 no meaning with cache-first",
		"worker: {rules: [{match: /*, answer: network-first, patience: 3}]}":       "f:1:63 a time such as",
		"worker: {rules: [{match: /*, answer: network-only, keep: {at_most: 3}}]}": "f:1:58 no meaning with network-only",
		"worker: {rules: [{match: /*, answer: cache-first, tell: yes}]}":           "f:1:57 no meaning with cache-first",
		"worker: {rules: [{match: /*, answer: cache-first, method: POST}]}":        "f:1:38 answers to POST cannot be kept",
		"worker: {rules: [{match: /*, answer: cache-first, opaque: yes}]}":         "f:1:59 keep: {at_most: 30}",
		"worker: {rules: [{match: /*, answer: cache-first, statuses: [206]}]}":     "f:1:62 cannot be kept",
		"worker: {rules: [{match: /*, answer: stale-while-revalidte}]}": "f:1:38 did you mean " +
			"stale-while-revalidate",
		"worker: {stand_ins: {status: 503}}":                              "f:1:30 there is none",
		"worker: {stand_ins: {data: {status: 503}}}":                      "f:1:28 has no body",
		"worker: {register: {hosts: ['https://x.example']}}":              "f:1:29 not a host name",
		"worker: {pack: {budget: 2 MiB}}":                                 "f:1:25 a size such as",
		"rehearsals: [{name: a, steps: [{open: /, wait: 3s}]}]":           "f:1:32 several things at once: open, wait",
		"rehearsals: [{name: a, steps: [{tab: b}]}]":                      "f:1:32 does nothing",
		"rehearsals: [{name: a, steps: [{expect: {controlled: maybe}}]}]": "f:1:54 yes, no",
		"rehearsals: [{name: a, steps: [{network: of-line}]}]":            "f:1:42 did you mean offline",
		"address: app":                                   "f:1:10 start it with /",
		"origin: line.example":                           "f:1:9 scheme and host",
		"app: {nmae: x}":                                 "f:1:7 did you mean name",
		"app: {categories: x}":                           "f:1:7 takes a list",
		"app: {icons: []}":                               "f:1:7 icons.master",
		"app: {theme_color: 0b4f6}":                      "f:1:7 CSS colour",
		"audit: {targets: [safari]}":                     "f:1:19 chromium-android",
		"hosting: {statuses: [{match: /x, status: 99}]}": "f:1:42 not an HTTP status",
		"- a":       "f:1:1 keys such as",
		"a: b: c":   "f:1 YAML",
		"\tsite: x": "f:1 YAML",
	} {
		_, err := Parse("f", []byte(text))
		if !assert.Error(t, err, text) {
			continue
		}
		place, rest, _ := strings.Cut(want, " ")
		assert.True(t, strings.HasPrefix(err.Error(), place), "%s: %s", text, err)
		assert.Contains(t, err.Error(), strings.TrimPrefix(rest, "wroker "), text)
	}
	_, err := Parse("f", []byte("sit: x\naudt: y\n"))
	assert.Len(t, strings.Split(err.Error(), "\n"), 2, "all mistakes at once")
}

// The schema takes what the reader takes, and refuses what it refuses.
func TestSchema(t *testing.T) {
	text, err := json.Marshal(Schema())
	require.NoError(t, err)
	doc, err := jsonschema.UnmarshalJSON(strings.NewReader(string(text)))
	require.NoError(t, err)
	c := jsonschema.NewCompiler()
	require.NoError(t, c.AddResource("schema.json", doc))
	schema, err := c.Compile("schema.json")
	require.NoError(t, err)
	demo, err := os.ReadFile("../../examples/skerry-line/plain/tachyform.yaml")
	require.NoError(t, err)
	draft := Draft{Site: "dist", Name: "Pier: 7", ShortName: "yes", ThemeColor: "#fff", Pages: []string{"/"}, Entry: "/",
		OriginGuessed: true}.Text()
	for text, ok := range map[string]bool{whole: true, string(demo): true, string(draft): true, "wroker: {}": false,
		"worker: {takeover: now}": false, "app: {name: 1}": false} {
		var v any
		require.NoError(t, yaml.Unmarshal([]byte(text), &v))
		b, err := json.Marshal(v)
		require.NoError(t, err)
		value, err := jsonschema.UnmarshalJSON(strings.NewReader(string(b)))
		require.NoError(t, err)
		assert.Equal(t, ok, schema.Validate(value) == nil, text)
		_, err = Parse("f", []byte(text))
		assert.Equal(t, ok, err == nil, text)
	}
}

func FuzzParse(f *testing.F) {
	f.Add([]byte(whole))
	f.Add([]byte("app: &a {name: x}\nworker: *a"))
	f.Fuzz(func(t *testing.T, text []byte) {
		if p, err := Parse("f", text); err == nil && (p.Addr == "" || p.Worker.File == "") {
			t.Fatal("defaults are missing")
		}
	})
}

// What reads a project file goes down as deep as it is nested, so depth is bounded before; and there is one document.
func TestDepthAndDocuments(t *testing.T) {
	for text, want := range map[string]string{
		strings.Repeat("[", 20_000):                            "f:1 this is nested more than 60 deep",
		strings.Repeat("{a: ", 100) + strings.Repeat("}", 100): "f:1 this is nested more than 60 deep",
		strings.Repeat("- ", 20_000):                           "f:1 this is nested more than 60 deep",
		deepBlock(100):                                         "f:61 this is nested more than 60 deep",
		"site: a\n---\nsite: b":                                "f:3:5 a second document begins here",
	} {
		_, err := Parse("f", []byte(text))
		if assert.Error(t, err) {
			got := strings.ReplaceAll(err.Error(), ": ", " ")
			for _, part := range strings.SplitN(want, " ", 2) {
				assert.Contains(t, got, part)
			}
		}
	}
	_, err := Parse("f", []byte("---\nsite: a\n...\n"))
	assert.NoError(t, err)
	_, err = Parse("f", []byte("app: {name: \"[[[[{{{{\", description: '"+strings.Repeat("(", 100)+"'}"))
	assert.NoError(t, err)
}

func deepBlock(n int) string {
	var b strings.Builder
	for i := range n {
		b.WriteString(strings.Repeat(" ", i) + "a:\n")
	}
	return b.String()
}

// Hosts answer with statuses that there are, at URLs that patterns can match.
func TestHostingMistakes(t *testing.T) {
	for text, want := range map[string]string{
		"hosting: {statuses: [{match: /*, status: 0}]}":                                                "0 is not an HTTP status",
		"hosting: {statuses: [{match: /*}]}":                                                           "status",
		"hosting: {statuses: [{match: /*, status: 99}]}":                                               "99 is not an HTTP status",
		"hosting: {redirects: [{match: /*, to: /, status: 200}]}":                                      "200 is no status of a redirect",
		"hosting: {redirects: [{match: '((((', to: /}]}":                                               "a ( is never closed",
		"hosting: {headers: [{match: '/:1', set: {A: b}}]}":                                            "a name after :",
		"other_origins: [{origin: 'https://a.example', hosting: {statuses: [{match: /, status: 1}]}}]": "other_origins[0]",
		"worker: {replace: yes}": "name the site's " +
			"own worker",
		"worker: {present: {file: sw.js}}":               "takes a path from the origin",
		"worker: {present: {file: /sw.js, type: modul}}": "did you mean module",
		"hosting: {hidden: show}":                        "one of answer, refuse",
	} {
		_, err := Parse("f", []byte(text))
		if assert.Error(t, err, text) && !strings.HasPrefix(want, "other_") {
			assert.Contains(t, err.Error(), want, text)
		}
	}
	p, err := Parse("f", []byte("worker: {present: {file: /sw.js}, pack: {pages: [/*]}}"))
	require.NoError(t, err)
	assert.False(t, p.HasWorker(), "the site has its own")
	p.Worker.Replace = "yes"
	assert.True(t, p.HasWorker())
}
