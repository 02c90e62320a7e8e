package page

import (
	"bytes"
	"strings"

	"tachyform/internal/site"
)

// Registering is what the texts of a site say about workers that it registers by itself.
type Registering struct {
	// Read are calls that can be read, Unread those that cannot, of which any may register a worker anywhere.
	Read   []Registration
	Unread []Place
}

// registeringBytes bounds the files that are looked at.
const registeringBytes = 8 << 20

// FindRegistrations looks through the pages and scripts of a folder, but not through the paths that are ours.
func FindRegistrations(f *site.Folder, ours ...string) (found Registering) {
	skip := map[string]bool{}
	for _, path := range ours {
		skip[path] = true
	}
	for _, file := range f.Files() {
		path := f.PathOf(file)
		html := strings.HasSuffix(file.Path, ".html") || strings.HasSuffix(file.Path, ".htm")
		if skip[path] || file.Size > registeringBytes || !html && !strings.HasSuffix(file.Path, ".js") &&
			!strings.HasSuffix(file.Path, ".mjs") {
			continue
		}
		text, err := file.Bytes()
		if err != nil || !bytes.Contains(text, []byte("serviceWorker")) || listensAsWorker.Match(text) {
			continue
		}
		url := f.Origin() + path
		scripts := []*Script{}
		if html {
			d := ParseDocument(url, "", text)
			found.Read = append(found.Read, d.Registrations...)
			for _, s := range d.Scripts {
				if s.Script != nil {
					scripts = append(scripts, s.Script)
				}
			}
		} else {
			// Where a page runs it is not looked at: most name the worker from the root.
			base := f.Origin() + f.Address()
			s := ParseScript(url, base, text)
			scripts = append(scripts, s)
			found.Read = append(found.Read, s.At(base, nil).Registrations...)
		}
		for _, s := range scripts {
			found.Unread = append(found.Unread, s.UnreadRegistrations...)
		}
	}
	return found
}
