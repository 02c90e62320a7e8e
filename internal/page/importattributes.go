package page

import (
	"bytes"
	"regexp"
)

var importAttributes = regexp.MustCompile(`((?:from|import)\s*(?:\(\s*)?)("[^"\n]*"|'[^'\n]*')(\s*(?:with|assert|,\s*\{\s*with\s*:)\s*\{\s*type\s*:\s*["'](\w+)["']\s*,?\s*\}(?:\s*\})?)`)

// withoutAttributes blanks the attributes of imports (ECMAScript, 16.2.2, WithClause) and tells the types that they
// give to modules. It gives nil where there are none.
func withoutAttributes(text []byte) ([]byte, map[string]string) {
	found := importAttributes.FindAllSubmatchIndex(text, -1)
	if found == nil {
		return nil, nil
	}
	plain, kinds := bytes.Clone(text), map[string]string{}
	for _, m := range found {
		kinds[jsUnquote(text[m[4]:m[5]])] = string(text[m[8]:m[9]])
		for i := m[6]; i < m[7]; i++ {
			if plain[i] != '\n' {
				plain[i] = ' '
			}
		}
	}
	return plain, kinds
}
