package cli

import (
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"tachyform/internal/icon"
	"tachyform/internal/site"
)

// articles begin names without telling anything, in the languages that stand-ins know.
var articles = []string{"the", "a", "an", "der", "die", "das", "le", "la", "les", "el", "los", "las", "il", "lo", "gli", "de", "het", "den", "det", "o", "os"}

// shortNameOf proposes the name under the icon: the first part of a name, without an article, cut at a word to what is shown there; "" where
// even the first word is longer.
func shortNameOf(name string) string {
	for _, sep := range []string{" – ", " — ", " | ", " - ", " · ", ": "} {
		name, _, _ = strings.Cut(name, sep)
	}
	words := strings.Fields(name)
	fits := func(words []string) bool { return len([]rune(strings.Join(words, " "))) <= icon.LabelLength }
	if len(words) > 1 && !fits(words) && slices.Contains(articles, strings.ToLower(words[0])) {
		words = words[1:]
	}
	cut := false
	for len(words) > 0 && (!fits(words) || cut && len(words) > 1 && isLink(words[len(words)-1])) {
		words, cut = words[:len(words)-1], true
	}
	return strings.Join(words, " ")
}

// isLink says whether a word only leads to the next one, such as of or and.
func isLink(word string) bool {
	return len([]rune(word)) <= 3 && strings.ToLower(word) == word || word == "&"
}

// masterNames are the names of pictures that are likely to show an app's mark, the likeliest first.
var masterNames = []string{"master", "mark", "logo", "icon", "app-icon", "logo-square", "favicon"}

// proposeMaster finds a square picture that icons can be made of, beside the project file or in the site; relative to the folder beside, ""
// for none.
func proposeMaster(beside string, f *site.Folder) string {
	type candidate struct {
		path string
		rank int
	}
	var list []candidate
	add := func(file string) {
		ext := strings.ToLower(path.Ext(file))
		at := slices.Index(masterNames, strings.ToLower(strings.TrimSuffix(path.Base(file), path.Ext(file))))
		if kind := slices.Index([]string{".svg", ".png", ".webp"}, ext); at >= 0 && kind >= 0 {
			list = append(list, candidate{file, kind*len(masterNames) + at})
		}
	}
	for _, folder := range []string{".", "brand", "assets", "public", "static", "src/assets"} {
		entries, _ := os.ReadDir(filepath.Join(beside, filepath.FromSlash(folder)))
		for _, e := range entries {
			if e.Type().IsRegular() {
				add(path.Join(folder, e.Name()))
			}
		}
	}
	if rel, err := filepath.Rel(beside, f.Dir); err == nil && f.Dir != "" {
		for _, file := range f.Files() {
			add(path.Join(filepath.ToSlash(rel), file.Path))
		}
	}
	slices.SortStableFunc(list, func(a, b candidate) int { return a.rank - b.rank })
	for _, c := range list {
		if m, err := icon.LoadMaster(filepath.Join(beside, filepath.FromSlash(c.path))); err == nil && m.IsSquare() {
			return c.path
		}
	}
	return ""
}
