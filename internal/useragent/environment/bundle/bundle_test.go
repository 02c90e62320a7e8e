package bundle

import (
	"os"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/tdewolff/parse/v2"
	"github.com/tdewolff/parse/v2/js"
)

// The bytecode in the tree is that of the sources beside it: after a change of them, `go generate
// ./internal/useragent/environment`.
func TestFresh(t *testing.T) {
	for _, name := range Environments {
		want, err := Bytecode("..", name)
		require.NoError(t, err)
		have, err := os.ReadFile("../" + name + ".bytecode")
		require.NoError(t, err)
		assert.True(t, string(want) == string(have), "%s.bytecode is older than its sources", name)
	}
}

// Interfaces keep the names that scripts see: the bundler renames what two modules call the same.
func TestNothingRenamed(t *testing.T) {
	for _, name := range Environments {
		source, err := Source("..", name)
		require.NoError(t, err)
		assert.Empty(t, regexp.MustCompile(`\bclass _?\w*[a-z_][2-7]\b`).FindAllString(source, -1))
	}
}

// A function is given a name by a call only where it has none of its own, or another.
func TestNames(t *testing.T) {
	for text, want := range map[string]string{
		"  __name(tide, \"tide\");\n":                       "",
		"  __name(tide2, \"tide\");\n":                      "",
		"  __name(ebb, \"tide\");\n":                        "  __name(ebb, \"tide\");\n",
		"const t = /* @__PURE__ */ __name(() => 1, \"t\");": "const t = () => 1;",
		"o = { t: /* @__PURE__ */ __name((a) => { const t2 = /* @__PURE__ */ __name(() => a, \"t\"); }, \"t\") }": "o = { t: (a) => { const t2 = () => a; } }",
		"f(/* @__PURE__ */ __name(async function t() {}, \"t\"))":                                                 "f(async function t() {})",
		"f(/* @__PURE__ */ __name(function t2() {}, \"t\"))":                                                      "f(/* @__PURE__ */ __name(function t2() {}, \"t\"))",
		"class T extends U {\n static {\n  __name(this, \"T\");\n }\n}":                                           "class T extends U {\n static {\n }\n}",
		"var T = class _T {\n static {\n  __name(this, \"T\");\n }\n}":                                            "var T = class _T {\n static {\n  __name(this, \"T\");\n }\n}",
	} {
		assert.Equal(t, want, withoutNeedlessNames(text))
	}
}

// What a module uses it declares, imports, or has of the language: a name that is none of these would be looked for
// among the scripts' own, and only where it is used.
func TestNoFreeNames(t *testing.T) {
	language := strings.Fields(`Proxy NaN decodeURIComponent Array Boolean Date Function JSON Map Math Number Object Reflect RegExp Set String Symbol WeakMap WeakSet BigInt
		arguments encodeURIComponent parseInt undefined Infinity global globalThis host kin`)
	for _, name := range Environments {
		source, err := Source("..", name)
		require.NoError(t, err)
		tree, err := js.Parse(parse.NewInputString(source), js.Options{})
		require.NoError(t, err)
		for _, v := range tree.Scope.Undeclared {
			if used := string(v.Name()); !strings.Contains(source, "class "+used+" ") { // a class expression's own name
				assert.Contains(t, language, used)
			}
		}
	}
}
