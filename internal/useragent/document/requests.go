package document

import (
	"cmp"

	"tachyform/internal/page"
	"tachyform/internal/request"
	"tachyform/internal/site"
	"tachyform/internal/useragent/fetch"
	"tachyform/internal/weburl"
)

// Reload loads what a tab shows anew; pastWorker is a reload that asks the network alone.
func (w *Windows) Reload(t *Tab, pastWorker bool) *Tab {
	by := passage{reload: true}
	if t.window != nil {
		by.referrer = t.window.by.referrer
	}
	if pastWorker {
		by.cache = forceReload
	}
	return w.open(cmp.Or(t.FinalURL, t.View.URL), t, by)
}

// Fetch makes a request as the page at a URL, or the one that a tab shows, would. done is false when no answer came
// within Limit; resp is nil for a network error, with its reason.
func (w *Windows) Fetch(from *Tab, url string, req *fetch.Request) (resp *fetch.Response, why fetch.Failure,
	done bool) {
	var c *window
	if from != nil {
		c = from.window
	} else {
		c = w.newWindow(url)
		if g := w.Workers.MatchServiceWorkerRegistration(url); g != nil {
			c.Controller = g.Active
		}
	}
	c.fetch(req, func(r *fetch.Response, e fetch.Error) { resp, why, done = r, e.Failure, true })
	w.clock().Run(func() bool { return done }, w.clock().Now+Limit)
	return resp, why, done
}

// Request asks for a page as opening it would, without showing it. done is false when no document came within Limit;
// resp is nil for a network error page, with its reason.
func (w *Windows) Request(url string) (resp *fetch.Response, reason fetch.Failure, done bool) {
	c := w.newWindow(url)
	c.populate(url, nil, func(p navigationParams) { resp, reason, done = p.response, p.why, true })
	w.clock().Run(func() bool { return done }, w.clock().Now+Limit)
	return resp, reason, done
}

// Glance gives a page as its host answers for it, without loading what it asks for or running its scripts.
func (w *Windows) Glance(url string) *View {
	resp, why, done := w.Request(url)
	v := &View{URL: url, FinalURL: url, Failed: done && resp == nil, Stuck: !done, Reason: why, Response: resp, reader: w.Reader,
		hostKnows: w.HostKnows, fallsBack: w.FallsBack}
	if resp == nil {
		return v
	}
	actual := resp.Actual()
	v.FinalURL, v.Status = cmp.Or(resp.URL(), weburl.WithoutFragment(url)), actual.Status
	if kind := actual.Get("content-type"); site.IsHTML(kind) && actual.Body != nil {
		v.Document = w.Reader.Document(v.FinalURL, kind, actual.Bytes())
		v.Title = v.Document.Title
	}
	return v
}

// ReadDocument gives a page's document without loading what it asks for, nil when it is no HTML page with status 200.
func (w *Windows) ReadDocument(url string) *page.Document {
	var d *page.Document
	done := false
	w.Workers.Fetcher.Fetch(&fetch.Request{URL: url, Method: "GET", Mode: request.Navigate, Credentials: "include",
		Redirect: "follow", Client: fetch.Settings{Origin: weburl.OriginOf(url)}}, func(resp *fetch.Response, _ fetch.Error) {
		done = true
		if resp != nil && resp.Status == 200 && site.IsHTML(resp.Get("content-type")) && resp.Body != nil {
			if text, err := resp.Body.Bytes(); err == nil {
				d = w.Reader.Document(resp.URL(), resp.Get("content-type"), text)
			}
		}
	})
	w.clock().Run(func() bool { return done }, w.clock().Now+Limit)
	return d
}

// IsControlled says whether a worker controls the page that the tab shows now.
func (t *Tab) IsControlled() bool { return t.window != nil && t.window.Controller != nil }

// Shows says whether the tab still shows the page of an earlier view.
func (t *Tab) Shows(v *View) bool { return t.View == v }

// Address is that of the page.
func (t *Tab) Address() string { return t.window.URL }
