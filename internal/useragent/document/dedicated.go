package document

import (
	"errors"
	"slices"

	"tachyform/internal/page"
	"tachyform/internal/request"
	"tachyform/internal/site"
	"tachyform/internal/useragent/account"
	"tachyform/internal/useragent/fetch"
	"tachyform/internal/useragent/serviceworker"
	"tachyform/internal/weburl"
)

// worker is a dedicated or shared worker of documents (HTML, 10.2).
type worker struct {
	*window
	// number is that of a dedicated one among those of who started it.
	number int
	// started says that its script has run, early are messages that came before.
	started bool
	early   []serviceworker.Message
	// connections are those of a shared one.
	connections []connection
}

// StartWorker starts a dedicated worker under a number of the realm's.
func (p *Page) StartWorker(id int, url string, o serviceworker.WorkerOptions) {
	if inner := p.c.newWorker(url); inner != nil {
		inner.number = id
		p.c.workers = append(p.c.workers, inner)
		inner.run(o)
	}
}

// newWorker makes a worker that this window or worker starts, nil where its page has had too many.
func (c *window) newWorker(url string) *worker {
	w, top := c.in, c.top()
	if top.realms >= mostWorkers {
		c.gap(account.Gap{What: "more than 20 workers of one page"})
		return nil
	}
	top.realms++
	inner := w.newWindow(url)
	inner.Worker, inner.holds, inner.parent = true, c, top
	inner.view, inner.document, inner.settings = top.view, &page.Document{Base: url}, c.settings
	inner.by.referrer = c.URL
	inner.worker = &worker{window: inner}
	return inner.worker
}

// run is "run a worker" (HTML, 10.2.4): its script is fetched and runs.
func (c *worker) run(o serviceworker.WorkerOptions) {
	w := c.in
	if weburl.Hostless(c.URL) {
		c.Controller = c.holds.Controller
	} else if g := w.Workers.MatchServiceWorkerRegistration(c.URL); g != nil && g.Active != nil {
		c.Controller = g.Active
	}
	ref := page.Reference{URL: weburl.WithoutFragment(c.URL), Destination: request.Worker, Mode: request.SameOrigin,
		Credentials: "same-origin", From: c.holds.URL, Module: o.Type == "module"}
	if ref.Module {
		ref.Credentials = o.Credentials
	}
	if c.Shared {
		ref.Destination = request.SharedWorker
	}
	c.fetchText(ref, func(text string, ok bool) {
		if !ok && !c.Closed {
			c.failedToStart()
			return
		}
		c.runScript(o, text)
	})
}

// runScript makes the worker's realm and runs its script there.
func (c *worker) runScript(o serviceworker.WorkerOptions, text string) {
	if c.Closed {
		return
	}
	s := &scripting{window: c.window, page: &Page{c.window}, texts: map[string]*moduleText{}, classic: map[string]fetchOptions{}, parsed: true, fired: true, loaded: true}
	realm, err := c.in.StartWorker(s.page, o)
	if err != nil {
		c.in.Workers.Account.Note(account.Note{Level: "error", Text: err.Error(), Where: c.URL})
		return
	}
	s.realm, c.scripts = realm, s
	c.in.Workers.AddClient(c.Client)
	if o.Type != "module" {
		c.command("script", transform(text, c.URL), c.URL)
		c.deliver()
		return
	}
	c.scripts.keepModule(c.URL, []byte(text), c.URL, fetchOptions{})
	c.scripts.whenComplete(c.URL, func(ok bool) {
		if !ok {
			c.failedToStart()
			return
		}
		c.command("module", c.URL)
	})
}

// mostWorkers bounds how many workers one page may start, mostFrames how many realms its frames may have.
const (
	mostWorkers = 20
	mostFrames  = 150
)

// failedToStart tells who started a worker that its script can't be had.
func (c *worker) failedToStart() {
	if c.Shared {
		c.in.sharedFailed(c)
		return
	}
	c.holds.command("dedicatedFailed", c.number, "", "", 0)
}

// fetchText fetches a script for which the page waits.
func (c *window) fetchText(ref page.Reference, done func(text string, ok bool)) {
	l := &Load{Reference: ref}
	view := c.top().view
	view.add(l)
	holder := c.top()
	holder.pending++
	c.fetch(c.createRequest(ref), func(resp *fetch.Response, why fetch.Error) {
		holder.pending--
		ok := l.judge(resp, why) && isScript(resp.Actual(), ref.Module)
		text := ""
		if ok {
			text = string(resp.Actual().Bytes())
		}
		done(text, ok)
		holder.settled()
	})
}

// isScript says whether an answer may become a worker's script: the type of what no host sent counts for modules alone
// (HTML, 8.1.4.2).
func isScript(r *fetch.Response, module bool) bool {
	return !module && weburl.Hostless(r.URL()) || site.IsJavaScript(site.Essence(r.Get("content-type")))
}

// deliver gives a worker the messages that came before its script had run.
func (c *worker) deliver() {
	for _, m := range c.early {
		if c.runs() {
			c.scripts.realm.(WorkerRealm).ToWorker(m)
		}
	}
	c.early, c.started = nil, true
}

func (c *window) workerOf(id int) *worker {
	if i := slices.IndexFunc(c.workers, func(w *worker) bool { return w.number == id }); i >= 0 {
		return c.workers[i]
	}
	return nil
}

// PostToWorker gives a dedicated worker a message.
func (p *Page) PostToWorker(id int, m serviceworker.Message) {
	if to := p.c.workerOf(id); to != nil {
		to.receive(m)
	}
}

// receive gives a worker a message once its script has run; a shared one's is a connection.
func (c *worker) receive(m serviceworker.Message) {
	c.in.clock().After(0, func() {
		switch {
		case c.Closed:
		case !c.started:
			c.early = append(c.early, m)
		default:
			c.scripts.realm.(WorkerRealm).ToWorker(m)
		}
	})
}

// EndWorker ends a dedicated worker (HTML, 10.2.4, "terminate a worker").
func (p *Page) EndWorker(id int) {
	if to := p.c.workerOf(id); to != nil {
		to.terminate()
	}
}

// terminate is "terminate a worker" (HTML, 10.2.4), in a task of its own, since its scripts may be what asks for it.
func (c *worker) terminate() {
	if c.Closed {
		return
	}
	c.in.Workers.HandleServiceWorkerClientUnload(c.Client)
	c.Closed = true
	c.top().realms--
	c.in.clock().After(0, c.end)
}

// PostToOwner gives who started this worker a message.
func (p *Page) PostToOwner(m serviceworker.Message) {
	c := p.c.worker
	c.in.clock().After(0, func() {
		if owner := c.holds; owner != nil && !owner.Closed && owner.runs() {
			owner.scripts.realm.FromDedicated(c.number, m)
		}
	})
}

// WorkerReady tells that this worker's module has run to its end, with all that it waits for: now it gets its messages.
func (p *Page) WorkerReady() { p.c.in.clock().After(0, p.c.worker.deliver) }

// WorkerFailed tells who started this worker of an error in it.
func (p *Page) WorkerFailed(message, file string, line int) {
	c := p.c.worker
	c.in.clock().After(0, func() {
		if !c.Shared { // nobody hears of errors in shared ones
			c.holds.command("dedicatedFailed", c.number, message, file, line)
		}
	})
}

// CloseWorker ends this worker.
func (p *Page) CloseWorker() { p.c.worker.terminate() }

// FetchNow makes a request for which a script waits. Those of documents pass workers by, as Chromium has it.
func (p *Page) FetchNow(req *fetch.Request) (resp *fetch.Response) {
	c := p.c
	send := c.fetch
	if !c.Worker {
		send = c.fetchPastWorkers
	}
	done := false
	c.fetchForScript(req, send, func(r *fetch.Response) { resp, done = r, true })
	c.in.clock().Run(func() bool { return done }, c.in.clock().Now+Limit)
	return resp
}

// ImportScript fetches a script of importScripts() (HTML, 10.3.1).
func (p *Page) ImportScript(url string) (text string, err error) {
	c := p.c
	done, ok := false, false
	ref := page.Reference{URL: weburl.WithoutFragment(url), Destination: request.Script, Mode: request.NoCORS,
		Credentials: "include", From: c.URL}
	c.fetchText(ref, func(t string, came bool) { text, ok, done = t, came, true })
	c.in.clock().Run(func() bool { return done }, c.in.clock().Now+Limit)
	if !ok {
		return "", errors.New("NetworkError: importScripts could not fetch " + url)
	}
	return transform(text, url), nil
}
