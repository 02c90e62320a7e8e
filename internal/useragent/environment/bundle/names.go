package bundle

import (
	"regexp"
	"slices"
	"strings"
)

// The bundler has every function given its name by a call, since it numbers what two modules call the same. Nearly all have
// it by themselves, and who is numbered is seldom seen by scripts; the calls cost something in every start of an environment,
// and wherever a function is made in another.
var (
	namedDeclaration = regexp.MustCompile(`(?m)^\s*__name\(([\w$]+), "([^"]+)"\);\n`)
	namedClass       = regexp.MustCompile(`(\bclass ([\w$]+)(?: extends [^{\n]+)? \{\n\s*static \{\n)\s*__name\(this, "([^"]+)"\);\n`)
	// namedValue is what is assigned to a name, a member, or a function that says its own.
	namedValue = regexp.MustCompile(`(?:([\w$]+) = |(?:([\w$]+)|"([^"\n]+)"): |\()/\* @__PURE__ \*/ __name\((?:(?:async )?function\*? ([\w$]+)\()?`)
	nameCall   = "/* @__PURE__ */ __name("
	number     = regexp.MustCompile(`[2-9]$|[1-9][0-9]$`)
)

// withoutNeedlessNames takes these calls away; functions that scripts are given under another name keep theirs.
func withoutNeedlessNames(text string) string {
	text = namedDeclaration.ReplaceAllStringFunc(text, func(call string) string {
		if m := namedDeclaration.FindStringSubmatch(call); number.ReplaceAllString(m[1], "") != m[2] && m[1] != m[2] {
			return call
		}
		return ""
	})
	text = namedClass.ReplaceAllStringFunc(text, func(class string) string {
		if m := namedClass.FindStringSubmatch(class); m[2] == m[3] {
			return m[1]
		}
		return class
	})
	places := namedValue.FindAllStringSubmatchIndex(text, -1)
	var needless [][2]int
	ended := map[int]bool{}
	// The last ones first: what stands within another comes after its beginning, and ends before it.
	for _, at := range slices.Backward(places) {
		open := at[0] + strings.Index(text[at[0]:], nameCall)
		for _, name := range namesBy(text, at) {
			end := `, "` + name + `")`
			from := open + strings.Index(text[open:], end)
			for from >= open && ended[from] {
				next := strings.Index(text[from+1:], end)
				if next < 0 {
					from = -1
					break
				}
				from += 1 + next
			}
			if from >= open {
				ended[from] = true
				needless = append(needless, [2]int{open, open + len(nameCall)}, [2]int{from, from + len(end)})
				break
			}
		}
	}
	slices.SortFunc(needless, func(a, b [2]int) int { return a[0] - b[0] })
	var out strings.Builder
	done := 0
	for _, n := range needless {
		out.WriteString(text[done:n[0]])
		done = n[1]
	}
	return out.String() + text[done:]
}

// namesBy are the names that a value may have by itself: its own, that of the member, or of what it is assigned to.
func namesBy(text string, at []int) (names []string) {
	for _, group := range []int{4, 3, 2, 1} {
		if from := at[2*group]; from >= 0 {
			names = append(names, text[from:at[2*group+1]])
		}
	}
	if at[2] >= 0 {
		names = append(names, number.ReplaceAllString(text[at[2]:at[3]], ""))
	}
	return names
}
