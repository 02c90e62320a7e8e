package document

import (
	"cmp"
	"net/http"
	"regexp"
	"slices"
	"strings"

	"tachyform/internal/csp"
	"tachyform/internal/page"
	"tachyform/internal/request"
	"tachyform/internal/site"
	"tachyform/internal/useragent/fetch"
	"tachyform/internal/useragent/serviceworker"
	"tachyform/internal/weburl"
)

// navigationParams are what a document is made of (HTML, 7.4.2.1: navigation params).
type navigationParams struct {
	// response is the answer that holds it, nil for a document that is not fetched, whose markup is text.
	response *fetch.Response
	text     string
	// registration is the one whose worker will control the document, nil for none.
	registration *serviceworker.Registration
	// why says why there is no document.
	why fetch.Failure
}

// populate is "attempt to populate the history entry's document" (HTML, 7.4.5): it finds what the document of a window is made of.
// text, if set, is the markup of one that is not fetched.
func (c *window) populate(url string, text *string, done func(navigationParams)) {
	blank := c.frame != nil && weburl.WithoutQuery(weburl.WithoutFragment(url)) == "about:blank"
	if text != nil || blank {
		p := navigationParams{}
		if text != nil {
			p.text = *text
		}
		c.in.clock().After(0, func() { done(p) })
		return
	}
	c.createNavigationParamsByFetching(url, func(p navigationParams) {
		if p.why.Kind == fetch.NoFailure {
			p.why = c.mayShow(p.response.Actual())
		}
		done(p)
	})
}

// navigationRequest is the request for the document of a window (HTML, 7.4.5, "create navigation params by fetching", step 3).
func (c *window) navigationRequest(url string) *fetch.Request {
	destination := request.Document
	if c.Frame {
		destination = request.Frame
	}
	req := &fetch.Request{URL: url, Method: "GET", Cache: c.by.cache,
		Header: [][2]string{{"accept", "text/html,application/xhtml+xml,application/xml;q=0.9,*/*;q=0.8"}}, Mode: request.Navigate,
		Credentials: "include", Redirect: "manual", Destination: destination, Referrer: cmp.Or(c.by.referrer, fetch.NoReferrer),
		ReferrerPolicy: c.by.policy, Reload: c.by.reload, History: c.by.handling.back}
	if c.by.handling.back && req.Cache == "" {
		req.Cache = "force-cache" // what is kept is shown as it is
	}
	if c.by.reload && req.Cache == "" {
		req.Cache = "no-cache"
	}
	if c.by.body != nil {
		req.Cache = "no-cache"
		req.Method, req.Content = "POST", site.Bytes(c.by.body.Data)
		req.Header = append(req.Header, [2]string{"content-type", c.by.body.Type})
	}
	if c.frame != nil {
		req.Client = c.frame.holder.client()
	}
	return req
}

// createNavigationParamsByFetching is "create navigation params by fetching" (HTML, 7.4.5). done gets the reason for a network
// error.
func (c *window) createNavigationParamsByFetching(url string, done func(navigationParams)) {
	w := c.in
	req := c.navigationRequest(url)
	var g *serviceworker.Registration // that the request's address lies in
	req.HandleFetch = func(req *fetch.Request, respond func(*fetch.Response, fetch.Answerer)) {
		c.asked = append(c.asked, weburl.WithoutFragment(req.URL))
		if g = nil; !c.settings.sandboxed {
			g = w.Workers.MatchServiceWorkerRegistration(req.URL)
		}
		if g == nil || g.Active == nil || c.by.cache == forceReload {
			respond(nil, fetch.Nobody)
			return
		}
		g.Active.HandleFetch(c.Client, req, respond)
		// The check for a new worker comes a little after each navigation in scope.
		g.SoftUpdateLater(w.UpdateDelay)
	}
	w.Workers.Fetcher.Fetch(req, func(resp *fetch.Response, why fetch.Error) {
		if resp == nil {
			done(navigationParams{why: why.Failure})
			return
		}
		if c.by.referrer != "" {
			c.told = req.Referrer
		}
		actual := resp.Actual()
		if next := actual.Location(url); next != "" {
			if weburl.OriginOf(next) != weburl.OriginOf(url) {
				c.ID = w.Workers.NewID() // step 19: another environment
			}
			url, c.URL = next, next
			req.ProcessNextManualRedirect()
			return
		}
		if req.Method == "GET" {
			c.by.body = nil
		}
		c.view.FromWorker = resp.ByWorker
		done(navigationParams{response: resp, registration: g})
	})
}

// mayShow says why a browser shows no document for an answer: it has none, is saved as a file, or does not let itself be shown in a
// frame of this page.
func (c *window) mayShow(actual *fetch.Response) fetch.Failure {
	if actual.Status == 204 || actual.Status == 205 {
		return fetch.Failure{Kind: fetch.NoContent, Status: actual.Status}
	}
	if why := downloads(actual); why != "" {
		return fetch.Failure{Kind: fetch.Download, Detail: why}
	}
	if f := c.frame; f != nil && !csp.MayFrame(c.URL, actual.Get("content-security-policy"), actual.Get("x-frame-options"), f.holder.address()) {
		return fetch.Failure{Kind: fetch.FrameForbids}
	}
	return fetch.Failure{}
}

// downloads says why a browser saves an answer as a file (HTML, 7.4.5, "load a document": external content), "" if it shows
// the answer.
func downloads(r *fetch.Response) string {
	disposition, _, _ := strings.Cut(r.Get("content-disposition"), ";")
	if d := strings.ToLower(strings.TrimSpace(disposition)); d != "" && d != "inline" {
		return "Content-Disposition: " + d
	}
	e := site.Essence(r.Get("content-type"))
	kind, sub, _ := strings.Cut(e, "/")
	switch {
	case e == "", !strings.Contains(e, "/"), site.IsJavaScript(e), site.IsHTML(e), strings.HasSuffix(e, "+xml"), strings.HasSuffix(e, "+json"):
		return ""
	case slices.Contains([]string{"text", "image", "audio", "video", "multipart"}, kind), slices.Contains([]string{"json", "xml", "pdf"}, sub):
		return ""
	}
	return "the media type " + e
}

// createAndInitialize is "create and initialize a Document object" (HTML, 7.5.1), as far as a window has it from what the document
// is made of: its origin, its policies, its worker.
func (c *window) createAndInitialize(p navigationParams) {
	if p.response == nil {
		c.inherit()
		return
	}
	c.response = p.response
	opaque, scriptless := csp.Sandbox(p.response.Actual().Get("content-security-policy"))
	c.Opaque, c.settings.scriptless = c.Opaque || opaque, c.settings.scriptless || scriptless
	if opaque {
		c.ID = c.in.Workers.NewID()
	}
	if g := p.registration; g != nil && g.Active != nil && !g.Gone() && c.by.cache != forceReload && !c.Opaque {
		c.Controller = g.Active
	}
}

// loadDocument is "load a document" (HTML, 7.4.5): the document as which a browser shows what came, by its media type. Texts
// stand in a document of their own.
func (c *window) loadDocument(p navigationParams, mediaType string) *page.Document {
	if p.response == nil {
		return c.in.Reader.Document(cmp.Or(c.ownBase(), c.URL), "text/html;charset=utf-8", []byte(p.text))
	}
	actual := p.response.Actual()
	if isHTML(mediaType) || isXML(mediaType) {
		return c.in.Reader.Document(c.URL, actual.Get("content-type"), actual.Bytes())
	}
	var text []byte
	if strings.HasPrefix(mediaType, "text/") || mediaType == "application/json" || site.IsJavaScript(mediaType) {
		text = []byte("<!doctype html><pre>" + strings.NewReplacer("&", "&amp;", "<", "&lt;").Replace(string(actual.Bytes())) + "</pre>")
	}
	return c.in.Reader.Document(c.URL, "text/html;charset=utf-8", text)
}

// computedType is the media type of an answer, by its content where the host names none (MIME Sniffing, 7).
func computedType(r *fetch.Response) string {
	essence := site.Essence(r.Get("content-type"))
	if essence == "" && !r.Nosniff() {
		return site.Essence(http.DetectContentType(r.Bytes()))
	}
	return essence
}

func isHTML(mediaType string) bool {
	return mediaType == "text/html" || mediaType == "application/xhtml+xml"
}

func isXML(mediaType string) bool {
	return strings.HasSuffix(mediaType, "+xml") || strings.HasSuffix(mediaType, "/xml")
}

// start has a document load what it asks for, and run its scripts if they run.
func (c *window) start(d *page.Document, mediaType string, runs bool) {
	if !runs {
		c.in.loadSubresources(c, d, c.depth())
		return
	}
	started := c.scripts
	c.scripts = &scripting{window: c} // its scripts are not read
	c.in.loadSubresources(c, d, c.depth())
	c.scripts = started
	c.in.runDocument(c, d, mediaType)
}

// scriptTag finds what may run in a document.
var scriptTag = regexp.MustCompile(`(?i)<script[\s>/]|\son[a-z]+\s*=`)

// onlyKnown says whether the known script is the only one that a document has.
func (w *Windows) onlyKnown(d *page.Document) bool {
	if w.Known == nil || len(d.Scripts) > 0 || len(scriptTag.FindAllIndex(d.Decoded(), 2)) != 1 {
		return false
	}
	for _, r := range d.References {
		if r.Destination == request.Script && !r.Preload && !r.Ahead {
			return r.URL == w.Known.URL
		}
	}
	return false
}

func hasScripts(d *page.Document) bool { return scriptTag.Match(d.Decoded()) }
