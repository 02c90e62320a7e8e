package page

import (
	"cmp"
	"encoding/json"
	"maps"
	"sort"
	"strings"

	whatwg "github.com/nlnwa/whatwg-url/url"

	"tachyform/internal/weburl"
)

// ImportMap tells what module names stand for (HTML, 8.1.6.2).
type ImportMap struct {
	Imports map[string]string
	// Scopes holds for modules whose address begins with the key.
	Scopes map[string]map[string]string
	// Integrity holds what modules have to match, by address.
	Integrity map[string]string
}

// IntegrityOf gives what the module at an address has to match, "" for nothing.
func (m *ImportMap) IntegrityOf(url string) string {
	if m == nil {
		return ""
	}
	return m.Integrity[url]
}

// ParseImportMap reads the text of an import map; nil when it is none.
func ParseImportMap(base, text string) *ImportMap {
	var raw struct {
		Imports map[string]any            `json:"imports"`
		Scopes  map[string]map[string]any `json:"scopes"`

		Integrity map[string]any `json:"integrity"`
	}
	if json.Unmarshal([]byte(text), &raw) != nil {
		return nil
	}
	addresses := func(in map[string]any) map[string]string {
		out := map[string]string{}
		for key, value := range in {
			to, isText := value.(string)
			if named, ok := resolveURLLike(base, key); ok {
				key = named
			}
			if u, ok := resolveURLLike(base, to); ok && isText && !(strings.HasSuffix(key, "/") && !strings.HasSuffix(u, "/")) {
				out[key] = u
			} else {
				out[key] = ""
			}
		}
		return out
	}
	m := &ImportMap{Imports: addresses(raw.Imports), Scopes: map[string]map[string]string{}}
	for prefix, in := range raw.Scopes {
		if u, ok := Resolve(base, prefix); ok {
			m.Scopes[u] = addresses(in)
		}
	}
	for key, value := range raw.Integrity {
		if u, ok := resolveURLLike(base, key); ok {
			if m.Integrity == nil {
				m.Integrity = map[string]string{}
			}
			m.Integrity[u], _ = value.(string)
		}
	}
	return m
}

// resolveURLLike is "resolve a URL-like module specifier" (HTML, 8.1.6.3).
func resolveURLLike(base, specifier string) (string, bool) {
	if strings.HasPrefix(specifier, "/") || strings.HasPrefix(specifier, "./") || strings.HasPrefix(specifier, "../") {
		return Resolve(base, specifier)
	}
	u, err := whatwg.Parse(specifier)
	if err != nil {
		return "", false
	}
	return u.Href(false), true
}

// Merge adds what another map says that comes later in a document, and gives the map of both ("merge existing and new import maps", HTML, 8.1.6.2):
// what the first one says stays.
func (m *ImportMap) Merge(later *ImportMap) *ImportMap {
	if m == nil || later == nil {
		return cmp.Or(m, later)
	}
	out := &ImportMap{Imports: merged(m.Imports, later.Imports), Scopes: maps.Clone(m.Scopes), Integrity: merged(m.Integrity, later.Integrity)}
	for prefix, in := range later.Scopes {
		out.Scopes[prefix] = merged(out.Scopes[prefix], in)
	}
	return out
}

func merged(first, later map[string]string) map[string]string {
	out := maps.Clone(later)
	if out == nil {
		return maps.Clone(first)
	}
	maps.Copy(out, first)
	return out
}

// Resolve gives the address of a module specifier in the module at from (HTML, "resolve a module specifier").
func (m *ImportMap) Resolve(from, specifier string) (string, bool) {
	url, plain := "", false
	if weburl.Hostless(specifier) {
		url, plain = specifier, true
	} else {
		url, plain = resolveURLLike(from, specifier)
	}
	key := specifier
	if plain {
		key = url
	}
	if m != nil {
		var prefixes []string
		for prefix := range m.Scopes {
			if prefix == from || strings.HasSuffix(prefix, "/") && strings.HasPrefix(from, prefix) {
				prefixes = append(prefixes, prefix)
			}
		}
		sort.Sort(sort.Reverse(sort.StringSlice(prefixes)))
		for _, prefix := range prefixes {
			if to, found := lookUp(m.Scopes[prefix], key); found {
				return to, to != ""
			}
		}
		if to, found := lookUp(m.Imports, key); found {
			return to, to != ""
		}
	}
	return url, plain
}

// lookUp finds a specifier itself, or the longest entry ending in a slash that it begins with.
func lookUp(entries map[string]string, key string) (string, bool) {
	if to, ok := entries[key]; ok {
		return to, true
	}
	best := ""
	for prefix := range entries {
		if strings.HasSuffix(prefix, "/") && strings.HasPrefix(key, prefix) && len(prefix) > len(best) {
			best = prefix
		}
	}
	if best == "" {
		return "", false
	}
	to := entries[best]
	if to == "" {
		return "", true
	}
	u, ok := Resolve(to, "./"+key[len(best):])
	if !ok || !strings.HasPrefix(u, to) {
		return "", true
	}
	return u, true
}
