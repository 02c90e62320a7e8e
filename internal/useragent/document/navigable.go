package document

import (
	"cmp"
	"slices"
	"strings"

	"tachyform/internal/weburl"
)

// navigable shows documents one after the other (HTML, 7.3.1): what a tab and the place of a frame have in common.
type navigable struct {
	in *Windows
	// place is the tab or frame.
	place place
	// window is that of the document that is shown, nil for none.
	window *window
	// ongoing is the window of the navigation that is under way, nil for none; release lets go of who waits for it.
	ongoing *window
	release func()
	history history
	// moves counts the navigations by scripts.
	moves int
	// initial says that it shows the empty document still that it was made with (HTML, 7.3.1: "is initial about:blank").
	initial bool
	gone    bool
}

// place is what differs between tabs and frames.
type place interface {
	// newWindow makes the window of a document that is on its way here.
	newWindow(url string) *window
	// begin has those wait for a navigation that do; it gives what lets go of them.
	begin(c *window) (release func())
	// finalize shows what a navigation has come to.
	finalize(c *window, p navigationParams)
}

// passage is how a navigable comes to a document.
type passage struct {
	// cache is the cache mode of the page's own requests: forceReload, or "".
	cache string
	// referrer is the address of the page that leads there, "" for none; policy is its referrer policy.
	referrer, policy string
	// reload is the same page once more.
	reload bool
	// body is what a form sends, nil for a page that is only asked for.
	body *Body
	// handling is how it changes the history.
	handling handling
	// load, if set, is what the page around says of a frame.
	load *Load
}

// Body is what a form sends by POST, with its media type.
type Body struct {
	Type string
	Data []byte
}

// passage is the one from a page to where it sends its visitor.
func (c *window) passage() passage {
	return passage{referrer: weburl.WithoutFragment(c.address()), policy: c.settings.ReferrerPolicy}
}

// forceReload is the cache mode of a page reloaded past worker and caches (Service Workers, 2.4: "force reload").
const forceReload = "reload"

// navigate is "navigate" (HTML, 7.4.2.2). text, if set, is the markup of a document that is not fetched. done is told of the window
// that is shown in the end; it is not told where nothing comes of the navigation. It gives the window that is on its way.
func (n *navigable) navigate(url string, text *string, by passage, done func(*window)) *window {
	w, old := n.in, n.window
	fragment := text == nil && by.body == nil && !by.reload && !by.handling.back && strings.Contains(url, "#")
	if fragment && old != nil && old.runs() && !n.initial && weburl.WithoutFragment(old.URL) == weburl.WithoutFragment(url) {
		// "navigate to a fragment" (7.4.2.3.3)
		w.clock().After(0, func() {
			old.command("navigateTo", url)
			done(old)
		})
		return old
	}
	if old != nil && !n.initial {
		old.command("fireAt", "window", "beforeunload", false)
	}
	c := n.place.newWindow(url)
	by.referrer = cmp.Or(by.referrer, c.by.referrer)
	if old != nil && !by.handling.back && !by.reload && (n.initial || old.URL == url) {
		by.handling.replace = true
	}
	c.began, c.by = w.clock().Now, by
	n.stopLoading()
	if n.gone {
		return c
	}
	n.ongoing, n.release = c, n.place.begin(c)
	if f := c.frame; f != nil && text == nil {
		f.takeLoad(c, url)
	}
	c.populate(url, text, func(p navigationParams) {
		if c.Closed || n.gone || n.ongoing != c {
			return
		}
		n.ongoing = nil
		n.place.finalize(c, p)
		done(c)
	})
	return c
}

// stopLoading ends the navigation that is under way (HTML, 7.4.2.2: "set the ongoing navigation").
func (n *navigable) stopLoading() {
	if n.ongoing != nil {
		n.ongoing.Closed = true
		n.ongoing = nil
		n.release()
	}
}

// handedOver says whether a browser hands an address over to another program (HTML, 7.4.2.2, "hand-off to external software").
func handedOver(url string) bool {
	scheme, _, _ := strings.Cut(url, ":")
	return !slices.Contains([]string{"http", "https", "about", "data", "blob"}, scheme)
}
