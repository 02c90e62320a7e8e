package document

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

// Dynamic imports and import.meta are found as tokens: what stands in texts, comments and regular expressions stays.
func TestTransform(t *testing.T) {
	const url = "https://line.example/a.js"
	call, meta := `__tachyform_import("`+url+`",`, `__tachyform_meta("`+url+`")`
	for text, want := range map[string]string{
		`import('./b.js')`:                            `IMPORT'./b.js')`,
		`const m = await import ( name )`:             `const m = await IMPORT name )`,
		`x = import.meta.url`:                         `x = META.url`,
		`import . meta . env`:                         `META . env`,
		`import a from './a.js'; import('x')`:         `import a from './a.js'; IMPORT'x')`,
		`run("import('a')"); import('b')`:             `run("import('a')"); IMPORT'b')`,
		"t = `import(${import('a')} import('b')`":     "t = `import(${IMPORT'a')} import('b')`",
		`// import('a')` + "\n" + `import('b')`:       `// import('a')` + "\n" + `IMPORT'b')`,
		`/* import.meta */ import.meta`:               `/* import.meta */ META`,
		`r = /import\('"/; import('b')`:               `r = /import\('"/; IMPORT'b')`,
		`a = b / import.meta.n / 2`:                   `a = b / META.n / 2`,
		`return /["']import(/.test(x) && import(y)`:   `return /["']import(/.test(x) && IMPORTy)`,
		`loader.import('a'); loader?.import('b')`:     `loader.import('a'); loader?.import('b')`,
		`important('a'); reimport('b'); $import('c')`: `important('a'); reimport('b'); $import('c')`,
		`export * from 'import('; import('d')`:        `export * from 'import('; IMPORT'd')`,
		`s = "\\" + import('e')`:                      `s = "\\" + IMPORT'e')`,
		"broken = 'import(\nimport('f')":              "broken = 'import(\nIMPORT'f')",
		`nothing to see`:                              `nothing to see`,
		`class A { import(e) {} }`:                    `class A { import(e) {} }`,
		`class A extends f({}) { static async import(e) { return import(e) } x = import('b') }`:    `class A extends f({}) { static async import(e) { return IMPORTe) } x = IMPORT'b') }`,
		`o = { import(e) {}, async import(f) {}, get import() {}, a: import('c'), *import(g) {} }`: `o = { import(e) {}, async import(f) {}, get import() {}, a: IMPORT'c'), *import(g) {} }`,
		"if (a) { import('d') }\n{ import('e'); x() }":                                             "if (a) { IMPORT'd') }\n{ IMPORT'e'); x() }",
		`switch (a) { case 1: { import('f').then(g) } }`:                                           `switch (a) { case 1: { IMPORT'f').then(g) } }`,
		`f = () => ({ import(e) {} })`:                                                             `f = () => ({ import(e) {} })`,
		`if (a) /import('g'/.test(b) && import('h')`:                                               `if (a) /import('g'/.test(b) && IMPORT'h')`,
		`x ? { a: import('i'), import(j) { } } : import('k')`:                                      `x ? { a: IMPORT'i'), import(j) { } } : IMPORT'k')`,
		`class A { import(`: `class A { IMPORT`,
	} {
		got := strings.NewReplacer(call, "IMPORT", meta, "META").Replace(transform(text, url))
		assert.Equal(t, want, got, text)
	}
}

func FuzzTransform(f *testing.F) {
	f.Add("import('a'); `${import(x)}` /re/ import.meta")
	f.Add("if(a)/'/.test(b)||import('c')")
	f.Fuzz(func(t *testing.T, text string) {
		got := transformImports(text, "https://line.example/")
		if !strings.Contains(text, "import") && got != text {
			t.Fatalf("%q became %q", text, got)
		}
	})
}
