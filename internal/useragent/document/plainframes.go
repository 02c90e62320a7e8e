package document

import (
	"tachyform/internal/csp"
	"tachyform/internal/request"
	"tachyform/internal/site"
	"tachyform/internal/useragent/account"
	"tachyform/internal/useragent/fetch"
	"tachyform/internal/useragent/serviceworker"
)

// loadFrame opens a frame of a page without scripts: a navigation of its own, in a client of its own.
func (w *Windows) loadFrame(c *window, l *Load, depth int) {
	inner := w.newWindow(l.URL)
	inner.Frame, inner.referrer, inner.settings.sandboxed, inner.Opaque = true, c.URL, l.Sandboxed, l.Sandboxed
	inner.settings.scriptless = l.Scriptless
	c.frames = append(c.frames, inner)
	if !c.settings.policy.Allows(csp.Request{Destination: request.Frame, URL: l.URL}) {
		l.Done, l.Missing, l.Why = true, true, fetch.Failure{Kind: fetch.PolicyForbids}
		return
	}
	c.top().pending++
	shown := func() {
		c.top().pending--
		c.tellLoaded(l, nil)
		c.settled()
	}
	inner.createNavigationParamsByFetching(l.URL, func(resp *fetch.Response, g *serviceworker.Registration, reason fetch.Failure) {
		later := false
		defer func() {
			if !later {
				shown()
			}
		}()
		l.Done = true
		c.top().asked = append(c.top().asked, inner.asked...)
		if resp == nil {
			l.Missing, l.Why = true, reason
			return
		}
		actual := resp.Actual()
		l.take(resp)
		if !csp.MayFrame(inner.URL, actual.Get("content-security-policy"), actual.Get("x-frame-options"), c.URL) {
			l.Missing, l.Why = true, fetch.Failure{Kind: fetch.FrameForbids}
			return
		}
		if actual.Status >= 400 {
			l.Missing, l.Why = true, fetch.Failure{Kind: fetch.BadStatus, Status: actual.Status}
		}
		if !site.IsHTML(actual.Get("content-type")) || actual.Body == nil || c.Closed {
			return
		}
		if text, err := actual.Body.Bytes(); err == nil {
			d := w.Reader.Document(inner.URL, actual.Get("content-type"), text)
			// What the frame asks for goes through the worker of its own scope, and counts for the page that holds it.
			if g != nil && g.Active != nil {
				inner.Controller = g.Active
			}
			inner.view, inner.seen, inner.parent, inner.response = c.view, c.seen, c.top(), resp
			if w.StartRealm != nil && !inner.settings.scriptless && hasScripts(text) {
				if depth >= maxFrameDepth || c.top().realms >= mostFrames {
					c.gap(account.Gap{What: "more than 30 frames with scripts in one page"})
					return
				}
				c.top().realms++
				later = true
				inner.seen, inner.holds, inner.whenLoaded = map[string]*Load{}, c, shown
				w.Workers.AddClient(inner.Client)
				w.loadSubresources(inner, d, depth+1)
				w.runDocument(inner, d, site.Essence(actual.Get("content-type")))
				return
			}
			w.loadSubresources(inner, d, depth+1)
		}
	})
}
