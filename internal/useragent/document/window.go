package document

import (
	"slices"
	"strings"
	"time"

	"tachyform/internal/page"
	"tachyform/internal/useragent/fetch"
	"tachyform/internal/useragent/serviceworker"
	"tachyform/internal/weburl"
)

// window is an open page or a frame in one.
// Beside what it shows it holds the parts of its loading, each with a type of its own.
type window struct {
	*serviceworker.Client
	in     *Windows
	tab    *Tab    // that shows the page
	parent *window // of a frame: the page it stands in
	// holds is the window that a frame stands in, or that has started a worker.
	holds *window
	// children are the places of frames that the document's elements hold; frame is that of a frame itself.
	children []*frame
	frame    *frame
	// workers are the dedicated workers that this window, or worker, has started; worker is set where this is one.
	workers []*worker
	worker  *worker
	// realms counts the workers that a page has had, placed its frames, framed those of them that have a realm now.
	realms, placed, framed int
	// whenLoaded is told once a frame whose scripts run has loaded.
	whenLoaded func()
	view       *View

	document *page.Document
	response *fetch.Response // of the document
	settings settings
	seen     map[string]*Load // by address and destination
	pending  int              // loads under way, those of its frames too
	styles   styles
	// scripts is set for a page whose scripts run.
	scripts *scripting
	// asked are the addresses that its own document was asked for at.
	asked []string
	// turns is how many tasks its scripts had had when its document was last taken over.
	turns int
	// by is how its document was come to, told what that was told of who asked, began when the navigation began.
	by    passage
	told  string
	began time.Duration
	// waiting fail the requests that its scripts wait for, by number.
	waiting map[int]func()
	asking  int
}

// settings are those of a window's environment (HTML, 8.1.3.1: environment settings object); its address and its origin change with the
// document, see client.
type settings struct {
	fetch.Settings
	// sandboxed is a frame in a sandbox, scriptless one without scripts.
	sandboxed, scriptless bool
}

// client is the window as the one that makes a request.
func (c *window) client() fetch.Settings {
	s := c.settings.Settings
	s.URL, s.Origin = c.address(), c.origin()
	return s
}

// styles are the style sheets of a document.
type styles struct {
	sheets  map[string]*page.Style // that have come, by address
	pending int
	waiting []func() // until all of them have come
}

// newWindow makes a window that is on its way to an address.
func (w *Windows) newWindow(url string) *window {
	c := &window{
		Client: &serviceworker.Client{ID: w.Workers.NewID(),
			URL: url}, in: w, seen: map[string]*Load{}, waiting: map[int]func(){}, view: &View{URL: url},
	}
	c.Window = c
	c.view.reader, c.view.styles, c.view.hostKnows, c.view.fallsBack = w.Reader, c.styles.sheets, w.HostKnows, w.FallsBack
	return c
}

// top is the page that waits for the window's loads.
func (c *window) top() *window {
	if c.parent != nil {
		return c.parent
	}
	return c
}

// holder is the window that waits for a load of this one: itself, where its scripts run.
func (c *window) holder() *window {
	if c.scripted() {
		return c
	}
	return c.top()
}

// origin is that of the document, null when it is kept apart from its own.
func (c *window) origin() string {
	if c.Opaque || strings.HasPrefix(c.URL, "data:") {
		return "null"
	}
	if c.borrows() {
		return c.holds.origin()
	}
	return weburl.OriginOf(c.URL)
}

// fetch is a fetch by a page: through the worker that controls it, if one does.
func (c *window) fetch(req *fetch.Request, done func(*fetch.Response, fetch.Error)) {
	req.HandleFetch = func(req *fetch.Request, done func(*fetch.Response, fetch.Answerer)) {
		if c.Controller == nil {
			done(nil, fetch.Nobody)
			return
		}
		c.Controller.HandleFetch(c.Client, req, done)
	}
	c.fetchPastWorkers(req, done)
}

// fetchPastWorkers is a fetch by a page of which no worker hears, unless the request has a handler.
func (c *window) fetchPastWorkers(req *fetch.Request, done func(*fetch.Response, fetch.Error)) {
	req.Client = c.client()
	c.in.Workers.Fetcher.Fetch(req, done)
}

// ControllerChanged lets the page do what its scripts do when another worker controls it.
func (c *window) ControllerChanged(by *serviceworker.Worker) {
	if c.Worker { // it hears of nothing
		return
	}
	c.command("controllerChange")
}

// PostMessage gives the page a message of a worker.
func (c *window) PostMessage(from *serviceworker.Worker, m serviceworker.Message) {
	c.in.clock().After(0, func() {
		if c.runs() && !c.Closed && !c.Worker {
			c.scripts.realm.PostMessage(from, m)
		}
	})
}

// WorkerChanged tells the page that a worker is in another state.
func (c *window) WorkerChanged(w *serviceworker.WorkerView) {
	if c.runs() && !c.Worker {
		c.scripts.realm.WorkerChanged(w)
	}
}

// RegistrationChanged tells the page that a registration has another worker.
func (c *window) RegistrationChanged(g serviceworker.RegistrationView, found bool) {
	if c.runs() && !c.Worker {
		c.scripts.realm.RegistrationChanged(g, found)
	}
}

// leave tells a page that its tab goes elsewhere or is closed ("unload a document", HTML, 7.4.6.2).
// kept says that the page is kept for going back.
func (c *window) leave(kept bool) {
	for _, f := range c.frames() { // their scripts may take frames away
		if !f.Closed {
			f.leave(kept)
		}
	}
	c.command("leave", kept, kept && c.in.BackForward.Freezes)
}

// end lets go of the page's realm.
func (c *window) end() {
	if !c.scripted() {
		return
	}
	for _, f := range c.frames() {
		f.close()
	}
	for _, inner := range slices.Clone(c.workers) {
		inner.terminate()
	}
	for _, f := range c.children {
		f.gone = true
	}
	c.in.disconnect(c)
	c.children, c.workers = nil, nil
	c.scripts.ended = true
	realm := c.scripts.realm
	if realm == nil {
		return
	}
	if c.frame != nil {
		c.top().framed--
	}
	realm.Finish()
	c.in.clock().After(0, realm.Close)
	c.in.ending = append(c.in.ending, realm)
}
