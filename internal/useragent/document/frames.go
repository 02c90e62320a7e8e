package document

import (
	"cmp"
	"slices"
	"strings"

	"tachyform/internal/page"
	"tachyform/internal/request"
	"tachyform/internal/useragent/account"
	"tachyform/internal/useragent/fetch"
	"tachyform/internal/useragent/realm"
	"tachyform/internal/weburl"
)

// frame is the place that an element gives to documents, one after the other (HTML, 7.3.1.3: child navigable).
type frame struct {
	navigable
	number int
	name   string
	holder *window
	// sandboxed is a frame in a sandbox that keeps it apart from its origin, scriptless one without scripts; sandbox is any.
	sandboxed, scriptless, sandbox bool
	// before are the numbers of the windows that it showed: who holds one goes on to what the frame shows now.
	before []int
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

// frames lists the windows that the frames of a document show.
func (c *window) frames() (list []*window) {
	for _, f := range c.children {
		list = append(list, f.window)
	}
	return list
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

// MakeFrame makes the place of a frame for a script; see createChildNavigable.
func (p *Page) MakeFrame(name string, sandboxed bool, allows []string) int {
	keptApart := sandboxed && !slices.Contains(allows, "allow-same-origin")
	scriptless := sandboxed && !slices.Contains(allows, "allow-scripts")
	if f := p.c.createChildNavigable(name, keptApart, scriptless); f != nil {
		f.sandbox = f.sandbox || sandboxed
		return f.number
	}
	return 0
}

// createChildNavigable is "create a new child navigable" (HTML, 7.3.1.3), nil where there may be no more.
func (c *window) createChildNavigable(name string, sandboxed, scriptless bool) *frame {
	top := c.top()
	if c.depth() >= maxFrameDepth || top.placed >= mostPlaces {
		c.gap(account.Gap{What: "more than 1000 frames in one page, or frames nested more than 6 deep"})
		return nil
	}
	top.placed++
	f := &frame{number: top.placed, name: name, holder: c}
	f.sandboxed, f.scriptless = c.settings.sandboxed || sandboxed, c.settings.scriptless || scriptless
	f.sandbox = c.frame != nil && c.frame.sandbox
	f.navigable.in, f.navigable.place, f.initial = c.in, f, true
	c.children = append(c.children, f)
	f.window = f.newWindow("about:blank")
	f.window.inherit()
	return f
}

// loadFrame is what an iframe of a page whose scripts do not run asks for.
func (c *window) loadFrame(l *Load) {
	f := c.createChildNavigable("", l.Sandboxed, l.Scriptless)
	if f == nil || c.within(l.URL) {
		l.Done = true
		return
	}
	by := c.passage()
	by.load = l
	f.navigate(l.URL, nil, by, func(*window) {})
}

// newWindow makes the window of a document that is on its way into the frame.
func (f *frame) newWindow(url string) *window {
	c := f.holder
	inner := c.in.newWindow(url)
	inner.Frame, inner.frame, inner.holds, inner.parent = true, f, c, c.top()
	inner.view, inner.by.referrer = c.top().view, weburl.WithoutFragment(c.address())
	inner.settings.sandboxed, inner.settings.scriptless, inner.Opaque = f.sandboxed, f.scriptless, f.sandboxed
	inner.document = &page.Document{Base: url}
	return inner
}

// inherit gives a document of a frame that is not fetched what it has from the one that made it (HTML, 7.3.1, 7.1.7).
func (c *window) inherit() {
	around := c.frame.holder
	c.settings.Policy, c.settings.EmbedderPolicy = around.settings.Policy, around.settings.EmbedderPolicy
	if !c.Opaque {
		c.Controller = around.Controller
	}
}

// begin has the page that a frame stands in wait for it, and all pages around; it gives what lets go of them.
func (f *frame) begin(*window) (release func()) {
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

// NavigateFrame is "process the iframe attributes" (HTML, 4.8.5), or a navigation that a script starts; text is the markup of
// srcdoc.
func (p *Page) NavigateFrame(number int, url string, text *string, attribute bool) {
	c := p.c
	f := c.child(number)
	if f == nil || attribute && text == nil && c.within(url) {
		return
	}
	by := c.passage()
	// A frame whose document has not loaded yet goes on to another one.
	by.handling.replace = attribute && f.window.runs() && !f.window.scripts.loaded
	f.lead(url, text, by)
}

// within says whether a document of that address is around: no page stands within itself.
func (c *window) within(url string) bool {
	for ; c != nil; c = c.holds {
		if weburl.WithoutFragment(c.URL) == weburl.WithoutFragment(url) {
			return true
		}
	}
	return false
}

// lead navigates a frame for a script, or runs the script that an address is.
func (f *frame) lead(url string, text *string, by passage) {
	if f.moves++; f.gone || f.holder.Closed || f.moves > mostFrameNavigations {
		return
	}
	switch {
	case strings.HasPrefix(url, "javascript:"):
		f.runAddress(url)
	case !handedOver(url):
		f.navigate(url, text, by, func(*window) {})
	}
}

// takeLoad takes down what a frame's navigation is for the page around.
func (f *frame) takeLoad(inner *window, url string) {
	if inner.by.load == nil && !strings.HasPrefix(url, "about:") {
		inner.by.load = &Load{Reference: f.reference(url)}
		f.holder.view.add(inner.by.load)
	}
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

// finalize is "finalize a cross-document navigation" (HTML, 7.4.2.2): the frame shows the document, or the browser's error page,
// which no script can reach.
func (f *frame) finalize(inner *window, p navigationParams) {
	top := f.holder.top()
	top.asked = append(top.asked, inner.asked...)
	if p.why.Kind == fetch.NoContent || p.why.Kind == fetch.Download { // the document that is there stays
		if l := inner.by.load; l != nil {
			l.Done = true
		}
		f.release()
		return
	}
	if l := inner.by.load; l != nil {
		l.takeDocument(p)
	}
	if p.why.Kind != fetch.NoFailure {
		inner.Opaque, inner.settings.scriptless, inner.Controller = true, true, nil
		f.put(inner, f.in.Reader.Document(inner.URL, "text/html", nil), "text/html", false)
		return
	}
	if strings.HasPrefix(inner.URL, "data:") {
		inner.Opaque = true
	}
	inner.createAndInitialize(p)
	mediaType := typeOf(p.response)
	f.put(inner, inner.loadDocument(p, mediaType), mediaType, true)
}

// takeDocument takes down what the document of a frame is for the page around.
func (l *Load) takeDocument(p navigationParams) {
	l.Done = true
	if p.response != nil {
		l.take(p.response)
	}
	switch {
	case p.why.Kind != fetch.NoFailure:
		l.Missing, l.Why = true, p.why
	case l.Status >= 400:
		l.Missing, l.Why = true, fetch.Failure{Kind: fetch.BadStatus, Status: l.Status}
	}
}

// put makes a document the one that the frame shows; client says that it is one that workers know.
func (f *frame) put(inner *window, d *page.Document, mediaType string, client bool) {
	old, w := f.window, f.in
	goesOn := f.initial && old.runs() && old.origin() == inner.origin() && !inner.Opaque
	f.initial = false
	if !goesOn {
		old.leave(false)
	}
	f.window, f.before = inner, append(f.before, old.ID)
	inner.shown()
	if old.runs() && !goesOn {
		old.end()
	}
	w.Workers.HandleServiceWorkerClientUnload(old.Client)
	old.Closed = true
	if client {
		w.Workers.AddClient(inner.Client)
	}
	inner.document = d
	runs := w.StartRealm != nil && (goesOn || f.reached(old) || !inner.settings.scriptless && hasScripts(d))
	if runs && f.holder.top().framed >= mostFrames {
		f.holder.gap(account.Gap{What: "more than 150 documents with scripts in the frames of one page"})
		runs = false
	}
	if goesOn {
		inner.scripts, old.scripts = old.scripts, nil // the realm is looked for there
	} else if runs {
		f.holder.top().framed++
		inner.scripts = &scripting{window: inner}
		if f.reached(old) {
			inner.scripts.before = old.scripts.realm
		}
	}
	inner.whenLoaded = f.loaded
	inner.start(d, mediaType, runs)
	if !runs {
		f.loaded()
	}
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
func (c *window) startRealm(p *Page, s realm.Settings) (Realm, error) {
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
		if inner.startScripting(inner.document, typeOf(inner.response), true) {
			inner.scripts.handOver(inner.scripts.nodes)
			inner.scripts.at = len(inner.scripts.nodes)
		}
	}
	return inner.ID
}

// typeOf is the media type of a document that came with a response, or without one.
func typeOf(r *fetch.Response) string {
	if r == nil {
		return "text/html"
	}
	return computedType(r.Actual())
}

// RemoveFrame is "destroy a child navigable" (HTML, 7.3.1.6).
func (p *Page) RemoveFrame(number int) {
	c := p.c
	f := c.child(number)
	if f == nil {
		return
	}
	f.gone = true
	if f.ongoing != nil {
		f.ongoing.Closed = true
	}
	if f.release != nil {
		c.in.clock().After(0, f.release)
	}
	f.window.leave(false)
	f.window.close()
	c.children = slices.DeleteFunc(c.children, func(o *frame) bool { return o == f })
}

// close ends a frame's window with all that stands in it.
func (c *window) close() {
	for _, f := range c.frames() {
		f.close()
	}
	c.command("discard")
	c.end()
	c.in.Workers.HandleServiceWorkerClientUnload(c.Client)
	c.Closed = true
}

// RenameFrame gives a frame the name by which links and forms find it.
func (p *Page) RenameFrame(number int, name string) {
	if f := p.c.frame; number == 0 && f != nil {
		f.name = name
		f.holder.command("frameNamed", f.number, name)
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
	release := f.begin(nil)
	c.in.clock().After(0, func() {
		defer release()
		if f.gone || c.Closed || f.window.origin() != c.origin() {
			return
		}
		c.scripts.page.FrameWindow(f.number)
		if text, is := f.window.command("runAddress", url).(string); is {
			f.lead(f.window.URL, &text, c.passage())
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
	f.stopLoading()
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
