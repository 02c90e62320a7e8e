package page

import (
	"strings"

	"tachyform/internal/spelling"
)

// Misnamed is a tag whose name in its attribute Attr (name or rel) browsers do not know, or know no longer. Right is
// the name to write, "" when the tag is of no more use.
type Misnamed struct {
	Tag                Tag
	Attr, Wrong, Right string
	Obsolete           bool
}

// The names of tags that make an app, and others that are not to be taken for misspelt ones.
var (
	appMetas = []string{"theme-color", "viewport", "application-name", "color-scheme", "apple-mobile-web-app-title",
		"apple-mobile-web-app-capable",
		"apple-mobile-web-app-status-bar-style", "mobile-web-app-capable"}
	appRels = []string{"manifest", "icon", "apple-touch-icon", "apple-touch-startup-image", "stylesheet", "mask-icon"}
	// otherRels are the link types of the HTML standard and such as are in wide use.
	otherRels = strings.Fields("alternate author canonical dns-prefetch expect external help license me modulepreload " +
		"next nofollow pingback preconnect prefetch preload prerender prev privacy-policy search shortlink shortcut tag " +
		"terms-of-service up first last start contents index glossary copyright edituri wlwmanifest amphtml fluid-icon " +
		"apple-touch-icon-precomposed home top section")
)

// CheckTagName says whether a meta or link tag bears a name that is a slip of a known one, or that is out of use.
func CheckTagName(t Tag) (Misnamed, bool) {
	switch t.Name {
	case "meta":
		name := strings.ToLower(strings.TrimSpace(t.Attr["name"]))
		if strings.HasPrefix(name, "msapplication-") {
			return Misnamed{t, "name", t.Attr["name"], "", true}, true
		}
		if right := slip(name, appMetas, nil); right != "" {
			return Misnamed{t, "name", t.Attr["name"], right, false}, true
		}
	case "link":
		words := strings.Fields(strings.ToLower(t.Attr["rel"]))
		for i, w := range words {
			right, obsolete := slip(w, appRels, otherRels), false
			if w == "apple-touch-icon-precomposed" {
				right, obsolete = "apple-touch-icon", true
			}
			if right != "" {
				words[i] = right
				return Misnamed{t, "rel", t.Attr["rel"], strings.Join(words, " "), obsolete}, true
			}
		}
	}
	return Misnamed{}, false
}

// slip gives the known name that a name was most probably meant to be, "" when it is known itself or near none.
func slip(name string, known, others []string) string {
	if len(name) < 4 {
		return ""
	}
	bare := func(s string) string {
		return strings.ReplaceAll(strings.NewReplacer("-", "", "_", "", " ", "", ".", "").Replace(s), "colour", "color")
	}
	for _, k := range append(append([]string(nil), known...), others...) {
		if name == k {
			return ""
		}
	}
	for _, k := range known {
		if bare(name) == bare(k) {
			return k
		}
	}
	return spelling.Within(name, known, min(2, len(name)/4))
}
