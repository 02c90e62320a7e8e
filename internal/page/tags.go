package page

import (
	"strings"
	"sync"

	"tachyform/internal/markup"
)

// knownTags keeps what tags hold by how they are written: heads and menus are the same on most pages of a site. What it
// gives is shared and may not be changed. Many goroutines may use it.
type knownTags struct {
	mu    sync.RWMutex
	known map[string]*knownTag
}

// knownTag is a tag's attributes, and what it adds to the keys of its document.
type knownTag struct {
	attr map[string]string
	keys []string
}

// mostKnownTags and longestKnownTag, in bytes, bound what is kept: some 20 MB.
const (
	mostKnownTags   = 1 << 15
	longestKnownTag = 300
)

// of gives what a tag holds.
func (k *knownTags) of(token *markup.Token) *knownTag {
	raw := token.Raw()
	k.mu.RLock()
	t := k.known[string(raw)]
	k.mu.RUnlock()
	if t != nil {
		return t
	}
	written := string(raw) // before the attributes are read, which changes it
	t = &knownTag{attr: token.Attributes(), keys: []string{token.Name}}
	if id, ok := t.attr["id"]; ok {
		t.keys = append(t.keys, "#"+id)
	}
	for class := range strings.FieldsSeq(t.attr["class"]) {
		t.keys = append(t.keys, "."+class)
	}
	k.mu.Lock()
	defer k.mu.Unlock()
	if len(written) <= longestKnownTag && len(k.known) < mostKnownTags {
		if k.known == nil {
			k.known = map[string]*knownTag{}
		}
		k.known[written] = t
	}
	return t
}
