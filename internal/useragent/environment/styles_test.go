package environment

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

// What an element has for certain that matches a selector is an id, else a class, else a name; never something that it may lack.
func TestSelectorKeys(t *testing.T) {
	for list, want := range map[string]string{
		"p":                              "p p",
		"MAIN > p.low":                   "MAIN > p.low .low",
		".a .b.c, #d:hover":              ".a .b.c .b, #d:hover #d",
		"a[href=\".pdf\"]":               "a[href=\".pdf\"] a",
		"a[title=\"x, y\"]":              "",
		".tide:not(.low):is(a, b)":       ".tide:not(.low):is(a, b) .tide",
		":is(.a, .b)":                    ":is(.a, .b) *",
		"ul li::before":                  "ul li::before li",
		".a + *":                         ".a + * *",
		"svg|rect":                       "svg|rect *",
		".größe":                         ".größe *",
		`.sm\:low`:                       "",
		".a ,\n .b\n> i ":                ".a .a, .b\n> i i",
		"[data-x=a] ~ [class*=col-]":     "[data-x=a] ~ [class*=col-] *",
		"&.a":                            "&.a .a",
		".a:where(#b)":                   ".a:where(#b) .a",
		"p:nth-child(2 of .a) > em.late": "p:nth-child(2 of .a) > em.late .late",
	} {
		var got []string
		parts := selectorKeys(list)
		for i := 0; i < len(parts); i += 2 {
			got = append(got, parts[i]+" "+parts[i+1])
		}
		assert.Equal(t, want, strings.Join(got, ", "), list)
	}
}
