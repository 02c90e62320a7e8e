package serve

import (
	"bytes"
	"fmt"
	"io"
	"net/http"

	"tachyform/internal/page"
	"tachyform/internal/site"
)

// Fitted adds the results of a fit to the responses of a server that renders the site.
type Fitted struct {
	// View has the files that fit makes, such as the worker. Paths lists their URL paths.
	View  *site.Folder
	Paths map[string]bool
	// Edit adds the head lines to the page at a URL. An error leaves the page unchanged.
	Edit func(text []byte, url string) ([]byte, error)
	// Note reports pages that Edit returned an error for, each once.
	Note func(path string, err error)
}

// mostPage is the size of the largest page that gets head lines, in bytes. Larger ones are forwarded unchanged.
const mostPage = 16 << 20

// Before serves the files and passes other requests to the server.
func (f *Fitted) Before(server http.Handler) http.Handler {
	made := HostHandler(f.View)
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if f.Paths[r.URL.Path] && (r.Method == http.MethodGet || r.Method == http.MethodHead) {
			w.Header().Set("Cache-Control", "no-cache")
			made.ServeHTTP(w, r)
			return
		}
		server.ServeHTTP(w, r)
	})
}

// editPage adds the head lines to a response that is a page. Parts of pages, which scripts insert, are left unchanged. The validators
// are removed: they are for the page without the lines.
func (f *Fitted) editPage(resp *http.Response) error {
	r := resp.Request
	if r.Method != http.MethodGet || site.Essence(resp.Header.Get("Content-Type")) != "text/html" || resp.Header.Get("Content-Encoding") != "" {
		return nil
	}
	text, err := io.ReadAll(io.LimitReader(resp.Body, mostPage+1))
	if err != nil {
		return err
	}
	rest := resp.Body
	resp.Body = readCloser{io.MultiReader(bytes.NewReader(text), rest), rest}
	if len(text) > mostPage || len(text) == 0 || page.Fragment(text) {
		return nil
	}
	edited, err := f.Edit(text, f.View.Origin()+r.URL.RequestURI())
	if err != nil {
		f.Note(r.URL.Path, err)
		return nil
	}
	rest.Close()
	resp.Body = io.NopCloser(bytes.NewReader(edited))
	resp.ContentLength = int64(len(edited))
	resp.Header.Set("Content-Length", fmt.Sprint(len(edited)))
	resp.Header.Del("ETag")
	resp.Header.Del("Last-Modified")
	return nil
}

type readCloser struct {
	io.Reader
	io.Closer
}
