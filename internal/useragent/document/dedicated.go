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

// StartWorker starts a dedicated worker under a number of the realm's (HTML, 10.2.4, "run a worker"). Where its script
// is local, its text is given.
func (p *Page) StartWorker(id int, url, kind, name, text string, local bool) {
	c, w := p.c, p.c.in
	top := c.top()
	if top.realms >= mostWorkers {
		w.Workers.Account.Gap("more than 20 workers of one page")
		return
	}
	top.realms++
	inner := w.newWindow(url)
	inner.Worker, inner.holds, inner.parent, inner.dedicated = true, c, c.top(), id
	inner.view, inner.document, inner.settings = c.top().view, &page.Document{Base: url}, c.settings
	inner.referrer = c.URL
	c.workers = append(c.workers, inner)
	run := func(text string) {
		s := &scripting{page: &Page{inner}, texts: map[string]*moduleText{}, parsed: true, fired: true, loaded: true}
		realm, err := w.StartWorker(s.page, kind, name)
		if err != nil {
			w.Workers.Account.Note(account.Note{Level: "error", Text: err.Error(), Where: url})
			return
		}
		s.realm, inner.scripts = realm, s
		w.Workers.AddClient(inner.Client)
		if kind == "module" {
			inner.keepModule(url, []byte(text), url, "")
			inner.whenComplete(url, func(ok bool) {
				if !ok {
					inner.failedToStart()
					return
				}
				inner.command("module", url)
			})
			return
		}
		inner.command("script", transform(text, url), url)
		inner.deliver()
	}
	if local {
		inner.Controller = c.Controller
		w.clock().After(0, func() {
			if !inner.Closed {
				run(text)
			}
		})
		return
	}
	if g := w.Workers.MatchServiceWorkerRegistration(url); g != nil && g.Active != nil {
		inner.Controller = g.Active
	}
	ref := page.Reference{URL: weburl.WithoutFragment(url), Destination: request.Worker, Mode: request.SameOrigin,
		Credentials: "same-origin", From: c.URL}
	inner.fetchText(ref, func(text string, ok bool) {
		if inner.Closed {
			return
		}
		if !ok {
			inner.failedToStart()
			return
		}
		run(text)
	})
}

// mostWorkers bounds how many dedicated workers one page may start, mostFrames how many realms its frames may have.
const (
	mostWorkers = 20
	mostFrames  = 128
)

// failedToStart tells who started a worker that its script can't be had.
func (c *window) failedToStart() {
	c.holds.command("dedicatedFailed", c.dedicated, "", "", 0)
}

// fetchText fetches a script for which the page waits.
func (c *window) fetchText(ref page.Reference, done func(text string, ok bool)) {
	l := &Load{Reference: ref}
	view := c.top().view
	view.Loads = append(view.Loads, l)
	if !c.settings.policy.Allows(ref.Destination, ref.URL, "") {
		l.Done, l.Missing, l.Why = true, true, fetch.Failure{Kind: fetch.PolicyForbids}
		c.in.clock().After(0, func() { done("", false) })
		return
	}
	holder := c.top()
	holder.pending++
	c.fetch(c.createRequest(ref), func(resp *fetch.Response, how fetch.Answerer) {
		holder.pending--
		ok := c.in.judge(c, l, resp, how) && !l.Refused && site.IsJavaScript(site.Essence(resp.Actual().Get("content-type")))
		text := ""
		if ok {
			text = string(resp.Actual().Bytes())
		}
		done(text, ok)
		holder.settled()
	})
}

// deliver gives a worker the messages that came before its script had run.
func (c *window) deliver() {
	for _, m := range c.early {
		if c.runs() {
			c.scripts.realm.(WorkerRealm).ToDedicated(m)
		}
	}
	c.early, c.started = nil, true
}

func (c *window) worker(id int) *window {
	if i := slices.IndexFunc(c.workers, func(w *window) bool { return w.dedicated == id }); i >= 0 {
		return c.workers[i]
	}
	return nil
}

// PostToWorker gives a dedicated worker a message.
func (p *Page) PostToWorker(id int, m serviceworker.Message) {
	to := p.c.worker(id)
	if to == nil {
		return
	}
	p.c.in.clock().After(0, func() {
		switch {
		case to.Closed:
		case !to.started:
			to.early = append(to.early, m)
		default:
			to.scripts.realm.(WorkerRealm).ToDedicated(m)
		}
	})
}

// EndWorker ends a dedicated worker (HTML, 10.2.4, "terminate a worker").
func (p *Page) EndWorker(id int) {
	if to := p.c.worker(id); to != nil {
		to.endWorker()
	}
}

// endWorker ends a dedicated worker in a task of its own, since its scripts may be what asks for it.
func (c *window) endWorker() {
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
	c := p.c
	c.in.clock().After(0, func() {
		if owner := c.holds; owner != nil && !owner.Closed && owner.runs() {
			owner.scripts.realm.FromDedicated(c.dedicated, m)
		}
	})
}

// WorkerReady tells that this worker's module has run to its end, with all that it waits for: now it gets its messages.
func (p *Page) WorkerReady() { p.c.in.clock().After(0, p.c.deliver) }

// WorkerFailed tells who started this worker of an error in it.
func (p *Page) WorkerFailed(message, file string, line int) {
	c := p.c
	c.in.clock().After(0, func() { c.holds.command("dedicatedFailed", c.dedicated, message, file, line) })
}

// CloseWorker ends this worker.
func (p *Page) CloseWorker() { p.c.endWorker() }

// FetchNow makes a request for which a script waits. Those of documents pass workers by, as Chromium has it.
func (p *Page) FetchNow(req *fetch.Request) (resp *fetch.Response) {
	c := p.c
	if controller := c.Controller; !c.Worker {
		c.Controller = nil
		defer func() { c.Controller = controller }()
	}
	done := false
	p.Fetch(req, func(r *fetch.Response) { resp, done = r, true })
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
