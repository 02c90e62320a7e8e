package useragent

import (
	"fmt"

	whatwg "github.com/nlnwa/whatwg-url/url"

	"tachyform/internal/page"
	"tachyform/internal/site"
	"tachyform/internal/useragent/fetch"
)

// Worker is one service worker: a script in one of its versions, and the state of its life.
type Worker struct {
	ID     int
	Script string
	Type   string
	// State is parsed, installing, installed, activating, activated or redundant (Service Workers, 2.1).
	State State
	// Failure says in words why the worker could not be installed or was ended.
	Failure string
	// failureName is the name of the error that it was, where it was one.
	failureName string

	reg      *Registration
	scripts  map[string]scriptText
	policy   *page.Policy // of its script's headers; it holds for what the worker fetches and imports
	requests int          // that it made until it was installed
	embedder string       // its Cross-Origin-Embedder-Policy
	hasFetch bool
	routes   []route
	skip     bool
	realm    *realm
	original *Worker  // in a branch: the worker that this one is a copy of
	waiters  []func() // called when the worker has left the state activating
}

type scriptText struct{ text, contentType string }

// importText gives the text of an imported script: from what the worker was installed with, else from the network during its first run.
func (w *Worker) importText(r *realm, url string) (any, error) {
	if s, ok := w.scripts[url]; ok {
		return s.text, nil
	}
	if w.State != Parsed && w.State != Installing {
		return nil, fmt.Errorf("NetworkError: %s was not imported when the worker was installed", url)
	}
	u, err := whatwg.Parse(url)
	if err != nil {
		return nil, fmt.Errorf("SyntaxError: %s is not a URL", url)
	}
	if !w.policy.Allows("script", url, "") {
		return nil, fmt.Errorf("NetworkError: the Content-Security-Policy of the worker's script does not allow %s", url)
	}
	mode := "default"
	if w.reg.UpdateViaCache == "none" {
		mode = "no-cache"
	}
	for range 20 {
		resp := r.b.fetchNow(u, mode)
		if resp == nil || resp.Body == nil {
			return nil, fmt.Errorf("NetworkError: %s could not be fetched", url)
		}
		if fetch.IsRedirect(resp.Status) {
			if u, err = u.Parse(resp.Header.Get("Location")); err != nil {
				break
			}
			continue
		}
		if resp.Status != 200 {
			return nil, fmt.Errorf("NetworkError: %s answered with status %d", url, resp.Status)
		}
		if !site.IsJavaScript(site.Essence(resp.Header.Get("Content-Type"))) {
			return nil, fmt.Errorf("NetworkError: %s is served as %q, not as JavaScript", url, resp.Header.Get("Content-Type"))
		}
		text, err := resp.Body.Bytes()
		if err != nil {
			return nil, err
		}
		w.scripts[url] = scriptText{string(text), resp.Header.Get("Content-Type")}
		return string(text), nil
	}
	return nil, fmt.Errorf("NetworkError: %s could not be fetched", url)
}
