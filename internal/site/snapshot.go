package site

import (
	"context"
	"net/http"
	"path"
	"strings"

	whatwg "github.com/nlnwa/whatwg-url/url"

	"tachyform/internal/weburl"
)

// Snapshot is a folder made of a live host's answers, for what has to know files where there is no folder. Its pages
// are rendered by the server and may come otherwise the next time.
type Snapshot struct {
	*Folder
	host Host
}

// NewSnapshot begins an empty snapshot of a host.
func NewSnapshot(h Host, address string) *Snapshot {
	compiled, _ := compileHosting(emptyHosting, h.Origin())
	return &Snapshot{&Folder{origin: h.Origin(), address: address, hosting: compiled, byPath: map[string]*File{},
		byURL: map[string]*File{}}, h}
}

// Text is what the host answers at an address on its origin, nil where the status is not 200.
func (s *Snapshot) Text(ctx context.Context, url string) ([]byte, error) {
	u, err := whatwg.Parse(url)
	if err != nil || weburl.Origin(u) != s.origin {
		return nil, nil
	}
	resp, err := s.host.Answer(ctx, &Request{Method: http.MethodGet, URL: u})
	if err != nil || resp.Status != 200 {
		return nil, err
	}
	return resp.Body.Bytes()
}

// Take asks for an address of the host and keeps the answer when its status is 200. It gives nil for others, and for
// those that lie outside the snapshot's address.
func (s *Snapshot) Take(ctx context.Context, url string) (*File, error) {
	u, err := whatwg.Parse(url)
	if err != nil || weburl.Origin(u) != s.origin || !strings.HasPrefix(u.Pathname(), s.address) {
		return nil, nil
	}
	at := u.Pathname()
	if f := s.byURL[at]; f != nil {
		return f, nil
	}
	resp, err := s.host.Answer(ctx, &Request{Method: http.MethodGet, URL: u})
	if err != nil || resp.Status != 200 {
		return nil, err
	}
	text, err := resp.Body.Bytes()
	if err != nil {
		return nil, err
	}
	kind := resp.Header.Get("Content-Type")
	name := strings.TrimPrefix(at, s.address)
	// What a file is, is known by its extension.
	switch essence, ext := Essence(kind), path.Ext(name); {
	case essence == "text/html" && (name == "" || strings.HasSuffix(name, "/")):
		name += "index.html"
	case essence == "text/html" && ext != ".html" && ext != ".htm":
		name += ".html"
	case essence == "text/css" && ext != ".css":
		name += ".css"
	case strings.HasSuffix(essence, "javascript") && ext != ".js" && ext != ".mjs":
		name += ".js"
	}
	f := &File{Path: name, Size: int64(len(text)), content: text, loaded: true, at: at, kind: kind}
	if s.byPath[name] != nil {
		return nil, nil // two addresses that would have one name: the first is kept
	}
	s.add(f)
	s.byURL[at] = f
	return f, nil
}
