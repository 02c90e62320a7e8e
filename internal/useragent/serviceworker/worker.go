package serviceworker

import (
	"fmt"
	"slices"

	whatwg "github.com/nlnwa/whatwg-url/url"

	"tachyform/internal/csp"
	"tachyform/internal/request"
	"tachyform/internal/site"
	"tachyform/internal/useragent/account"
	"tachyform/internal/useragent/fetch"
	"tachyform/internal/weburl"
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

	global  Global                // nil while it does not run
	scripts map[string]scriptText // by address
	// handled are the events that it listened to when its script had run for the first time (Service Workers, 2.1: set of event
	// types to handle).
	handled []string
	routes  []route
	skip    bool     // it does not wait
	waiters []func() // called when the worker has left the state activating
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
// during its first run ("fetch a classic worker-imported script", HTML, 8.1.4.2, with the hook of Service Workers, 3.4).
func (w *Worker) ImportScript(url string) (string, error) {
	if s, ok := w.scripts[url]; ok {
		return s.text, nil
	}
	if !w.IsNew() {
		return "", fmt.Errorf("NetworkError: %s was not imported when the worker was installed", url)
	}
	if _, err := whatwg.Parse(url); err != nil {
		return "", fmt.Errorf("SyntaxError: %s is not a URL", url)
	}
	cache := "default"
	if w.Registration.UpdateViaCache == "none" {
		cache = "no-cache"
	}
	resp, why := w.Registration.container.Fetcher.FetchNow(w.importRequest(url, cache))
	if resp == nil {
		resp = why.Answer // of another type
	}
	switch actual := resp.Actual(); {
	case why.Kind == fetch.PolicyForbids:
		return "", fmt.Errorf("NetworkError: the Content-Security-Policy of the worker's script does not allow %s", url)
	case actual == nil || actual.Body == nil:
		return "", fmt.Errorf("NetworkError: %s could not be fetched", url)
	case actual.Status != 200:
		return "", fmt.Errorf("NetworkError: %s answered with status %d", url, actual.Status)
	case !site.IsJavaScript(site.Essence(actual.Get("content-type"))):
		return "", fmt.Errorf("NetworkError: %s is served as %q, not as JavaScript", url, actual.Get("content-type"))
	default:
		text, err := actual.Body.Bytes()
		if err != nil {
			return "", err
		}
		w.scripts[url] = scriptText{string(text), actual.Get("content-type")}
		return string(text), nil
	}
}

// importRequest is the request for a script that the worker imports.
func (w *Worker) importRequest(url, cache string) *fetch.Request {
	req := &fetch.Request{URL: url, Method: "GET", Header: [][2]string{{"accept", "*/*"}}, Mode: request.NoCORS, Credentials: "include", Redirect: "follow",
		Destination: request.Script, Cache: cache, Client: w.Settings()}
	if w.Type == "module" {
		req.Mode, req.Credentials = request.CORS, "same-origin"
	}
	return req
}

// Settings are those of the worker's environment, for what it asks for.
func (w *Worker) Settings() fetch.Settings {
	return fetch.Settings{URL: w.Script, Origin: weburl.OriginOf(w.Script), EmbedderPolicy: w.EmbedderPolicy, Policy: w.Policy, ReferrerPolicy: w.ReferrerPolicy}
}

// IsNew says whether it has not been installed yet.
func (w *Worker) IsNew() bool { return w.State == account.Parsed || w.State == account.Installing }
