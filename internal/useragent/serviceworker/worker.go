package serviceworker

import (
	"fmt"
	"slices"
	"tachyform/internal/csp"
	"tachyform/internal/request"

	whatwg "github.com/nlnwa/whatwg-url/url"

	"tachyform/internal/site"
	"tachyform/internal/useragent/account"
	"tachyform/internal/useragent/fetch"
)

// Worker is one service worker: a script in one of its versions, and the state of its life.
// Its fields are those of the standard's concept "service worker", and what is remembered for those who judge it.
type Worker struct {
	ID     int
	Script string
	Type   string
	// State is parsed, installing, installed, activating, activated or redundant (Service Workers, 2.1).
	State account.State
	// Failure says in words why the worker could not be installed or was ended, FailureName is the name of the error that
	// it was, where it was one.
	Failure, FailureName string
	// Registration is the one that it belongs to.
	Registration *Registration
	// Requests counts what it asked for until it was installed.
	Requests int
	// Policy is that of its script's headers, for what it fetches and imports; EmbedderPolicy its
	// Cross-Origin-Embedder-Policy.
	Policy         *csp.Policy
	EmbedderPolicy string
	// ReferrerPolicy is that of its script's headers, "" for the usual one.
	ReferrerPolicy string
	// Original, in a branch, is the worker that this one is a copy of.
	Original *Worker

	global   Global                // nil while it does not run
	scripts  map[string]scriptText // by address
	hasFetch bool
	routes   []route
	skip     bool     // it does not wait
	waiters  []func() // called when the worker has left the state activating
}

// Source is the text of its script.
func (w *Worker) Source() string { return w.scripts[w.Script].text }

// RunsIn says whether it runs with this global, which is not the one that a worker had before it was stopped.
func (w *Worker) RunsIn(g Global) bool { return w.global == g }

// SkipWaiting lets it not wait until nobody uses the one before.
func (w *Worker) SkipWaiting() {
	w.skip = true
	w.Registration.TryActivate()
}

// Stopped ends a worker whose scripts may not go on.
func (w *Worker) Stopped(why error) {
	w.Failure = why.Error()
	w.terminateServiceWorker()
}

// Imports are the scripts that it is made of beside its own, sorted.
func (w *Worker) Imports() (list []string) {
	for url := range w.scripts {
		if url != w.Script {
			list = append(list, url)
		}
	}
	slices.Sort(list)
	return list
}

type scriptText struct{ text, contentType string }

// ImportScript gives the text of an imported script: from what the worker was installed with, else from the network
// during its first run.
func (w *Worker) ImportScript(url string) (string, error) {
	if s, ok := w.scripts[url]; ok {
		return s.text, nil
	}
	if !w.IsNew() {
		return "", fmt.Errorf("NetworkError: %s was not imported when the worker was installed", url)
	}
	u, err := whatwg.Parse(url)
	if err != nil {
		return "", fmt.Errorf("SyntaxError: %s is not a URL", url)
	}
	if !w.Policy.Allows(csp.Request{Destination: request.Script, URL: url}) {
		return "", fmt.Errorf("NetworkError: the Content-Security-Policy of the worker's script does not allow %s", url)
	}
	mode := "default"
	if w.Registration.UpdateViaCache == "none" {
		mode = "no-cache"
	}
	for range 20 {
		resp := w.Registration.container.fetchNow(u, mode)
		if resp == nil || resp.Body == nil {
			return "", fmt.Errorf("NetworkError: %s could not be fetched", url)
		}
		if fetch.IsRedirect(resp.Status) {
			if u, err = u.Parse(resp.Header.Get("Location")); err != nil {
				break
			}
			continue
		}
		if resp.Status != 200 {
			return "", fmt.Errorf("NetworkError: %s answered with status %d", url, resp.Status)
		}
		if !site.IsJavaScript(site.Essence(resp.Header.Get("Content-Type"))) {
			return "", fmt.Errorf("NetworkError: %s is served as %q, not as JavaScript", url, resp.Header.Get("Content-Type"))
		}
		text, err := resp.Body.Bytes()
		if err != nil {
			return "", err
		}
		w.scripts[url] = scriptText{string(text), resp.Header.Get("Content-Type")}
		return string(text), nil
	}
	return "", fmt.Errorf("NetworkError: %s could not be fetched", url)
}

// IsNew says whether it has not been installed yet.
func (w *Worker) IsNew() bool { return w.State == account.Parsed || w.State == account.Installing }
