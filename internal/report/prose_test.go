package report

import (
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// words are three of them, with spaces between: what people read, and what no program goes by.
var words = regexp.MustCompile(`[A-Za-z]{2,} [A-Za-z]{2,} [A-Za-z]{2,}|[a-z]{2,}: [a-z]{2,} [a-z]{2,}`)

// reads are functions that look for one text in another.
var reads = map[string]bool{"Contains": true, "ContainsAny": true, "Cut": true, "CutPrefix": true, "CutSuffix": true,
	"HasPrefix": true, "HasSuffix": true, "Index": true,
	"LastIndex": true, "Split": true, "SplitN": true, "SplitAfter": true, "TrimPrefix": true, "TrimSuffix": true,
	"EqualFold": true, "Count": true, "Equal": true}

// ofOthers are sentences of libraries that have no type for what they say.
var ofOthers = map[string]bool{"server response headers exceeded": true, "InternalError: out of memory": true}

// Nothing reads back what was written for people: no text is cut, split or searched by a sentence, and none is
// compared with one.
func TestNobodyReadsProse(t *testing.T) {
	found := 0
	require.NoError(t, filepath.WalkDir("..", func(path string, e fs.DirEntry, err error) error {
		if err != nil || e.IsDir() || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
			return err
		}
		fset := token.NewFileSet()
		file, err := parser.ParseFile(fset, path, nil, 0)
		if err != nil {
			return err
		}
		sentence := func(x ast.Expr) {
			lit, ok := x.(*ast.BasicLit)
			if !ok || lit.Kind != token.STRING {
				return
			}
			found++
			text, err := strconv.Unquote(lit.Value)
			// those with spaces around are lists of keywords
			if err == nil && words.MatchString(text) && !ofOthers[text] && !strings.HasPrefix(text, " ") {
				assert.Fail(t, "a text is read by its words", "%s: %q", fset.Position(lit.Pos()), text)
			}
		}
		ast.Inspect(file, func(n ast.Node) bool {
			switch x := n.(type) {
			case *ast.CallExpr:
				if f, ok := x.Fun.(*ast.SelectorExpr); ok && reads[f.Sel.Name] {
					if p, ok := f.X.(*ast.Ident); ok && (p.Name == "strings" || p.Name == "bytes") {
						for _, a := range x.Args {
							sentence(a)
						}
					}
				}
			case *ast.BinaryExpr:
				if x.Op == token.EQL || x.Op == token.NEQ {
					sentence(x.X)
					sentence(x.Y)
				}
			case *ast.CaseClause:
				for _, v := range x.List {
					sentence(v)
				}
			}
			return true
		})
		return nil
	}))
	assert.Greater(t, found, 500, "the sources are looked through")
}
