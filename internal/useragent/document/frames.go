package document

import (
	"cmp"
	"slices"
	"strings"

	"tachyform/internal/csp"
	"tachyform/internal/page"
	"tachyform/internal/request"
	"tachyform/internal/site"
	"tachyform/internal/useragent/account"
	"tachyform/internal/useragent/fetch"
	"tachyform/internal/useragent/serviceworker"
	"tachyform/internal/weburl"
)

// frame is the place that an element of a page whose scripts run gives to documents, one after the other (HTML, 7.3.1.3:
// child navigable).
type frame struct {
	number int
	name   string
	holder *window
	window *window // that it shows
	// coming is the window of the navigation that is under way, nil for none; release lets go of who waits for it.
	coming  *window
	release func()
	// sandboxed is a frame in a sandbox that keeps it apart from its origin, scriptless one without scripts.
	sandboxed, scriptless bool
	// initial says that it shows the empty document still that it was made with (HTML, 7.3.1: "is initial about:blank").
	initial bool
	gone    bool
	moves   int
	history history
}

// Bounds of frames: how deep they may stand in one another, how many a page may have, and how often one may be sent on.
const (
	maxFrameDepth        = 6
	mostPlaces           = 1000
	mostFrameNavigations = 20
)

// borrows says whether a document has its origin and its base from the one that made it (HTML, 7.3.2.2).
func (c *window) borrows() bool {
	return c.holds != nil && !c.Worker && strings.HasPrefix(c.URL, "about:")
}

// address is the one by which a document is known to others: that of who made it, where it has none of its own.
func (c *window) address() string {
	for c.borrows() {
		c = c.holds
	}
	return c.URL
}

// ownBase is what addresses start from where the document says nothing else (HTML, 2.4.1: fallback base URL).
func (c *window) ownBase() string {
	if c.borrows() {
		return c.holds.base()
	}
	return c.URL
}

func (c *window) name() string {
	if c.frame != nil {
		return c.frame.name
	}
	return ""
}

func (c *window) depth() int {
	n := 0
	for ; c.holds != nil; c = c.holds {
		n++
	}
	return n
}

// child gives the frame of a number, nil for none.
func (c *window) child(number int) *frame {
	for _, f := range c.children {
		if f.number == number {
			return f
		}
	}
	return nil
}

// MakeFrame is "create a new child navigable" (HTML, 7.3.1.3).
func (p *Page) MakeFrame(name string, sandboxed bool, allows []string) int {
	c := p.c
	top := c.top()
	if c.depth() >= maxFrameDepth || top.placed >= mostPlaces {
		c.gap(account.Gap{What: "more than 1000 frames in one page, or frames nested more than 6 deep"})
		return 0
	}
	top.placed++
	f := &frame{number: top.placed, name: name, holder: c, initial: true}
	f.sandboxed = c.settings.sandboxed || sandboxed && !slices.Contains(allows, "allow-same-origin")
	f.scriptless = c.settings.scriptless || sandboxed && !slices.Contains(allows, "allow-scripts")
	c.children = append(c.children, f)
	inner := f.newWindow("about:blank")
	f.inherit(inner)
	f.show(inner)
	return f.number
}

func (f *frame) newWindow(url string) *window {
	c := f.holder
	inner := c.in.newWindow(url)
	inner.Frame, inner.frame, inner.holds, inner.parent = true, f, c, c.top()
	inner.view, inner.referrer = c.top().view, weburl.WithoutFragment(c.address())
	inner.settings.sandboxed, inner.settings.scriptless, inner.Opaque = f.sandboxed, f.scriptless, f.sandboxed
	inner.document = &page.Document{Base: url}
	return inner
}

// inherit gives a document that is not fetched what it has from the one that made it (HTML, 7.3.1, 7.1.7).
func (f *frame) inherit(inner *window) {
	inner.settings.policy, inner.settings.embedder = f.holder.settings.policy, f.holder.settings.embedder
	if !inner.Opaque {
		inner.Controller = f.holder.Controller
	}
}

func (f *frame) show(inner *window) {
	c := f.holder
	if i := slices.Index(c.frames, f.window); i >= 0 && f.window != nil {
		c.frames[i] = inner
	} else {
		c.frames = append(c.frames, inner)
	}
	f.window = inner
}

// hold has the page that a frame stands in wait for it, and all pages around; it gives what lets go of them.
func (f *frame) hold() (release func()) {
	var waiting []*window
	for c := f.holder; c != nil; c = c.holds {
		c.pending++
		waiting = append(waiting, c)
	}
	released := false
	return func() {
		if released {
			return
		}
		released = true
		for _, c := range waiting {
			c.pending--
		}
		for _, c := range waiting {
			c.settled()
		}
	}
}

// NavigateFrame shows something in a frame.
func (p *Page) NavigateFrame(number int, url string, text *string, attribute bool) {
	f := p.c.child(number)
	if f == nil {
		return
	}
	if attribute && text == nil {
		for c := f.holder; c != nil; c = c.holds { // HTML, 4.8.5: no page stands within itself
			if weburl.WithoutFragment(c.URL) == weburl.WithoutFragment(url) {
				return
			}
		}
	}
	by := p.c.passage()
	f.navigate(url, text, by)
}

// navigate shows another document (HTML, 7.4.2.2). text, if set, is that of a document that is not fetched.
func (f *frame) navigate(url string, text *string, by passage) {
	c, w := f.holder, f.holder.in
	if f.moves++; f.gone || c.Closed || f.moves > mostFrameNavigations {
		return
	}
	if strings.HasPrefix(url, "javascript:") {
		f.runAddress(url)
		return
	}
	if !shows(url) {
		return
	}
	if text == nil && by.body == nil && strings.Contains(url, "#") && f.window.runs() && !f.initial && !by.reload &&
		weburl.WithoutFragment(f.window.URL) == weburl.WithoutFragment(url) {
		w.clock().After(0, func() { f.window.command("navigateTo", url) })
		return
	}
	if !f.initial {
		f.window.command("fireAt", "window", "beforeunload", false)
		if f.gone {
			return
		}
	}
	inner := f.newWindow(url)
	inner.mode, inner.reload, inner.body = by.cache, by.reload, by.body
	inner.referrer, inner.referrerPolicy = cmp.Or(by.referrer, inner.referrer), by.policy
	if inner.handling = by.handling; !by.handling.back && !by.reload && f.window.samePlace(url) {
		inner.handling.replace = true
	}
	if f.coming != nil {
		f.coming.Closed = true
		f.release()
	}
	f.coming, f.release = inner, f.hold()
	ended := func() bool { return f.gone || inner.Closed || f.coming != inner }
	bare := weburl.WithoutQuery(weburl.WithoutFragment(url)) == "about:blank"
	if text != nil || bare {
		content := ""
		if text != nil {
			content = *text
		}
		if strings.HasPrefix(url, "data:") {
			inner.Opaque, inner.settings.policy = true, f.holder.settings.policy
		} else {
			f.inherit(inner)
		}
		w.clock().After(0, func() {
			if !ended() {
				f.commit(w.Reader.Document(cmp.Or(inner.ownBase(), url), "text/html;charset=utf-8", []byte(content)), "text/html")
			}
		})
		return
	}
	l := &Load{Reference: f.reference(url)}
	c.view.add(l)
	if !c.settings.policy.Allows(csp.Request{Destination: request.Frame, URL: url}) {
		l.Done, l.Missing, l.Why = true, true, fetch.Failure{Kind: fetch.PolicyForbids}
		w.clock().After(0, func() {
			if !ended() {
				f.fail()
			}
		})
		return
	}
	inner.createNavigationParamsByFetching(url, func(resp *fetch.Response, g *serviceworker.Registration, reason fetch.Failure) {
		l.Done = true
		c.top().asked = append(c.top().asked, inner.asked...)
		if ended() {
			return
		}
		if resp == nil {
			if reason.Kind == fetch.NoContent { // the document that is there stays
				f.coming = nil
				f.release()
				return
			}
			l.Missing, l.Why = true, reason
			f.fail()
			return
		}
		actual := resp.Actual()
		l.take(resp)
		policy := actual.Get("content-security-policy")
		if !csp.MayFrame(inner.URL, policy, actual.Get("x-frame-options"), c.address()) {
			l.Missing, l.Why = true, fetch.Failure{Kind: fetch.FrameForbids}
			f.fail()
			return
		}
		if actual.Status >= 400 {
			l.Missing, l.Why = true, fetch.Failure{Kind: fetch.BadStatus, Status: actual.Status}
		}
		opaque, scriptless := csp.Sandbox(policy)
		inner.Opaque, inner.settings.scriptless = inner.Opaque || opaque, inner.settings.scriptless || scriptless
		if opaque {
			inner.ID = w.Workers.NewID()
		}
		inner.response = resp
		if g != nil && g.Active != nil && !g.Gone() && inner.mode != forceReload && !inner.Opaque {
			inner.Controller = g.Active
		}
		kind := actual.Get("content-type")
		f.commit(w.Reader.Document(inner.URL, shownAs(kind), shownText(kind, actual)), cmp.Or(site.Essence(kind), "text/html"))
	})
}

// shownAs and shownText are the document as which a frame shows a file (HTML, 7.5): texts stand in one of their own.
func shownAs(contentType string) string {
	if e := site.Essence(contentType); site.IsHTML(contentType) || strings.HasSuffix(e, "+xml") || strings.HasSuffix(e, "/xml") {
		return contentType
	}
	return "text/html;charset=utf-8"
}

func shownText(contentType string, r *fetch.Response) []byte {
	data := r.Bytes()
	if shownAs(contentType) == contentType {
		return data
	}
	if e := site.Essence(contentType); !strings.HasPrefix(e, "text/") && e != "application/json" && !site.IsJavaScript(e) {
		return nil
	}
	return []byte("<pre>" + strings.NewReplacer("&", "&amp;", "<", "&lt;").Replace(string(data)) + "</pre>")
}

// shows says whether a browser shows what is at an address itself, and does not hand it over to another program (HTML,
// 7.4.2.2, "hand-off to external software").
func shows(url string) bool {
	scheme, _, _ := strings.Cut(url, ":")
	return slices.Contains([]string{"http", "https", "about", "data", "blob"}, scheme)
}

// reference is what the document says of the frame that it has at an address.
func (f *frame) reference(url string) page.Reference {
	if d := f.holder.document; d != nil {
		for _, r := range d.References {
			if r.Destination == request.Frame && r.URL == url {
				return r
			}
		}
	}
	return page.Reference{URL: weburl.WithoutFragment(url), Destination: request.Frame, Mode: request.Navigate, Credentials: "include",
		From: f.holder.URL, Sandboxed: f.sandboxed, Scriptless: f.scriptless, Runs: true}
}

// fail shows the browser's error page, which no script can reach.
func (f *frame) fail() {
	inner := f.coming
	inner.Opaque, inner.settings.scriptless, inner.Controller = true, true, nil
	f.commit(f.holder.in.Reader.Document(inner.URL, "text/html", nil), "text/html")
}

// commit makes the document that has come the one that the frame shows (HTML, 7.4.5, "load a document").
func (f *frame) commit(d *page.Document, mediaType string) {
	inner, old, w := f.coming, f.window, f.holder.in
	f.coming = nil
	goesOn := f.initial && old.runs() && old.origin() == inner.origin() && !inner.Opaque
	f.initial = false
	if !goesOn {
		old.leave(false)
	}
	f.show(inner)
	inner.shown()
	if old.runs() && !goesOn {
		old.end()
	}
	w.Workers.HandleServiceWorkerClientUnload(old.Client)
	old.Closed = true
	w.Workers.AddClient(inner.Client)
	inner.document = d
	runs := w.StartRealm != nil && (goesOn || f.reached(old) || !inner.settings.scriptless && hasScripts(d.Decoded()))
	if runs && f.holder.top().framed >= mostFrames {
		f.holder.gap(account.Gap{What: "more than 150 documents with scripts in the frames of one page"})
		runs = false
	}
	if goesOn {
		inner.scripts, old.scripts = old.scripts, nil // the realm is looked for there
	} else if runs {
		f.holder.top().framed++
		inner.scripts = &scripting{}
		if f.reached(old) {
			inner.scripts.before = old.scripts.realm
		}
	}
	inner.whenLoaded = f.loaded
	if !runs {
		w.loadSubresources(inner, d, inner.depth())
		f.loaded()
		return
	}
	placeholder := inner.scripts
	inner.scripts = &scripting{}
	w.loadSubresources(inner, d, inner.depth())
	inner.scripts = placeholder
	w.runDocument(inner, d, mediaType)
}

// reached says whether scripts of other windows may hold the global object of a window, which goes on to the next.
func (f *frame) reached(old *window) bool {
	return old.scripts != nil && old.scripts.realm != nil && old.kin() != nil && f.window.kin() != nil
}

// kin is the nearest window around a frame whose objects its scripts may reach, nil for none.
func (c *window) kin() *window {
	for around := c.holds; around != nil && !c.Opaque; around = around.holds {
		if around.runs() && around.scripts.realm != nil && !around.Opaque && around.origin() == c.origin() {
			return around
		}
	}
	return nil
}

// startRealm makes the realm of a window: of its own, beside that of a page around it, or in the place of the one that
// its frame had before.
func (c *window) startRealm(p *Page, s Settings) (Realm, error) {
	if c.frame == nil {
		return c.in.StartRealm(p, s, nil, false)
	}
	s.Frame = c.frame.number
	if earlier := c.scripts; earlier != nil {
		if realm, is := earlier.realm.(WindowRealm); is {
			return realm, realm.Restart(p, s)
		}
		if earlier.before != nil {
			return c.in.StartRealm(p, s, earlier.before, true)
		}
	}
	if kin := c.kin(); kin != nil {
		return c.in.StartRealm(p, s, kin.scripts.realm, false)
	}
	return c.in.StartRealm(p, s, nil, false)
}

// loaded is "iframe load event steps" (HTML, 4.8.5), and the end of what waits for the frame.
func (f *frame) loaded() {
	release := f.release
	f.holder.in.clock().After(0, func() {
		if !f.gone {
			f.holder.command("frameLoaded", f.number)
		}
		if release != nil {
			release()
		}
	})
}

// FrameWindow is the number of the window that a frame shows.
func (p *Page) FrameWindow(number int) int {
	f := p.c.child(number)
	if f == nil {
		return 0
	}
	inner := f.window
	if !inner.runs() && inner.kin() != nil && p.c.in.StartRealm != nil && p.c.top().framed < mostFrames {
		p.c.top().framed++
		inner.scripts = nil
		if inner.startScripting(inner.document, inner.mediaType(), true) {
			inner.handOver(inner.scripts.nodes)
			inner.scripts.at = len(inner.scripts.nodes)
		}
	}
	return inner.ID
}

func (c *window) mediaType() string {
	if c.response != nil {
		return cmp.Or(site.Essence(c.response.Actual().Get("content-type")), "text/html")
	}
	return "text/html"
}

// RemoveFrame is "destroy a child navigable" (HTML, 7.3.1.6).
func (p *Page) RemoveFrame(number int) {
	c := p.c
	f := c.child(number)
	if f == nil {
		return
	}
	f.gone = true
	if f.coming != nil {
		f.coming.Closed = true
	}
	if f.release != nil {
		c.in.clock().After(0, f.release)
	}
	f.window.leave(false)
	f.window.command("discard")
	f.window.close()
	c.children = slices.DeleteFunc(c.children, func(o *frame) bool { return o == f })
	c.frames = slices.DeleteFunc(c.frames, func(o *window) bool { return o == f.window })
}

// close ends a frame's window with all that stands in it.
func (c *window) close() {
	for _, f := range slices.Clone(c.frames) {
		f.close()
	}
	c.end()
	c.in.Workers.HandleServiceWorkerClientUnload(c.Client)
	c.Closed = true
}

// RenameFrame gives a frame the name by which links and forms find it.
func (p *Page) RenameFrame(number int, name string) {
	if number == 0 && p.c.frame != nil {
		p.c.frame.name = name
	} else if f := p.c.child(number); f != nil {
		f.name = name
	}
}

// Follow goes where a link or a form leads: "the rules for choosing a navigable" (HTML, 7.3.1.7) and then there.
func (p *Page) Follow(url, target, bodyType string, body []byte) {
	c := p.c
	if c.Closed {
		return
	}
	by := c.passage()
	if body != nil {
		by.body = &Body{bodyType, body}
	}
	to := c.named(target)
	switch {
	case to == nil:
		c.gap(account.Gap{What: "opening another window"})
	case to == c && body == nil, strings.HasPrefix(url, "javascript:") && to.frame == nil:
		to.command("navigateTo", url)
	case body == nil && strings.Contains(url, "#") && weburl.WithoutFragment(url) == weburl.WithoutFragment(to.URL):
		to.command("navigateTo", url)
	default:
		to.leaveFor(url, by)
	}
}

// named finds the window that a target names, nil where that would be a new one.
func (c *window) named(target string) *window {
	switch strings.ToLower(target) {
	case "", "_self":
		return c
	case "_parent":
		return cmp.Or(c.holds, c)
	case "_top":
		return c.top()
	case "_blank":
		return nil
	}
	var find func(w *window) *window
	find = func(w *window) *window {
		for _, f := range w.children {
			if f.name == target {
				return f.window
			}
			if found := find(f.window); found != nil {
				return found
			}
		}
		return nil
	}
	if found := find(c); found != nil {
		return found
	}
	return find(c.top())
}

// runAddress runs the script that an address is, in the window that the frame shows (HTML, 7.4.2.3.2).
func (f *frame) runAddress(url string) {
	c := f.holder
	release := f.hold()
	c.in.clock().After(0, func() {
		defer release()
		if f.gone || c.Closed || f.window.origin() != c.origin() {
			return
		}
		c.scripts.page.FrameWindow(f.number)
		if text, is := f.window.command("runAddress", url).(string); is {
			f.navigate(f.window.URL, &text, c.passage())
		} else if f.initial {
			c.command("frameLoaded", f.number)
		}
	})
}

// DocumentOpened ends what is under way in a document that a script writes anew (HTML, 8.4.1, "document open steps").
func (p *Page) DocumentOpened() {
	f := p.c.frame
	if f == nil {
		return
	}
	f.initial = false
	if f.coming != nil {
		f.coming.Closed = true
		f.coming = nil
		f.release()
	}
}

// DocumentClosed is the end of what a script writes: the frame has loaded.
func (p *Page) DocumentClosed() {
	if p.c.frame != nil {
		p.c.frame.loaded()
	}
}

// Around is the number of the window that a window of the page stands in.
func (p *Page) Around(number int) int {
	if w := p.c.top().find(number); w != nil && w.holds != nil {
		return w.holds.ID
	}
	return 0
}
