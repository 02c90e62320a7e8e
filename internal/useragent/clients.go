package useragent

import (
	"encoding/json"
	"fmt"
	"strconv"
	"strings"
	"time"

	whatwg "github.com/nlnwa/whatwg-url/url"

	"tachyform/internal/useragent/fetch"
	"tachyform/internal/weburl"
)

func clientID(n int) string { return fmt.Sprintf("client-%d", n) }

// clientInfo is how a client crosses into a realm.
type clientInfo struct {
	ID        string `json:"id"`
	URL       string `json:"url"`
	Type      string `json:"type"`
	FrameType string `json:"frameType"`
}

func (c *client) info() clientInfo {
	frame := "top-level"
	if c.frame {
		frame = "nested"
	}
	return clientInfo{clientID(c.id), c.url, "window", frame}
}

// workerOperation carries out what a worker asks of its registration and clients; args[0] is the promise to settle.
func (r *realm) workerOperation(op string, args []any) (any, error) {
	id, b, g := number(args[0]), r.b, r.w.reg
	later := func(f func() (any, string)) {
		b.clock.After(0, func() {
			value, failure := f()
			r.settle(id, value, failure)
		})
	}
	if r.messageOperation(op, args, later) {
		return nil, nil
	}
	switch op {
	case "storage.usage":
		later(func() (any, string) { return b.usage(), "" })
	case "cookies.all":
		later(func() (any, string) {
			list := []map[string]string{}
			scope, err := whatwg.Parse(g.Scope)
			if err == nil {
				for _, c := range b.store.ForScripts(scope, b.clock.Now) {
					list = append(list, map[string]string{"name": c.Name, "value": c.Value})
				}
			}
			return list, ""
		})
	case "cookies.set":
		later(func() (any, string) {
			b.store.SetCookie(weburl.HostName(weburl.OriginOf(g.Scope)), word(args, 1), word(args, 2))
			return nil, ""
		})
	case "toPage":
		for _, c := range b.clients {
			if clientID(c.id) == word(args, 1) {
				b.record(r.w, Event{Kind: EventMessage, URL: c.url, Text: word(args, 2)})
			}
		}
	case "focus":
		b.record(r.w, Event{Kind: EventPage, Page: PageFocused})
	case "navigate":
		b.clock.After(0, func() { r.navigateClient(id, word(args, 1), word(args, 2)) })
	case "openWindow":
		b.clock.After(0, func() { r.openWindow(id, word(args, 1)) })
	case "postSelf":
		b.clock.After(0, func() {
			if r.stopped == nil && r.w.realm == r {
				r.event("message", map[string]any{"token": id}, nil, nil)
			}
		})
	case "skipWaiting":
		later(func() (any, string) {
			r.w.skip = true
			b.tryActivate(g)
			return nil, ""
		})
	case "claim":
		later(func() (any, string) {
			if r.w.State != Activating && r.w.State != Activated {
				return nil, "InvalidStateError: only an active worker can claim pages"
			}
			for _, c := range b.clients {
				if b.matchServiceWorkerRegistration(c.url) == g {
					b.notifyControllerChange(c, r.w)
				}
			}
			return nil, ""
		})
	case "clients":
		var o struct {
			IncludeUncontrolled bool   `json:"includeUncontrolled"`
			Type                string `json:"type"`
		}
		if err := json.Unmarshal([]byte(word(args, 1)), &o); err != nil {
			return nil, err
		}
		later(func() (any, string) {
			list := []clientInfo{}
			if o.Type == "window" || o.Type == "all" || o.Type == "" {
				for _, c := range b.clients {
					if c.controller == r.w || o.IncludeUncontrolled && weburl.OriginOf(c.url) == weburl.OriginOf(g.Scope) {
						list = append(list, c.info())
					}
				}
			}
			return list, ""
		})
	case "client":
		want := word(args, 1)
		later(func() (any, string) {
			for _, c := range b.clients {
				if clientID(c.id) == want {
					return c.info(), ""
				}
			}
			return nil, ""
		})
	case "unregister":
		later(func() (any, string) {
			found := !g.gone
			b.unregister(g)
			return found, ""
		})
	case "update":
		later(func() (any, string) {
			if r.w.State == Parsed || r.w.State == Installing {
				return nil, "InvalidStateError: a worker that is being installed looks for no update"
			}
			b.softUpdate(g)
			return nil, ""
		})
	case "registration":
		later(func() (any, string) { return g.describe(), "" })
	case "preload":
		later(func() (any, string) {
			if word(args, 1) != "" && g.Active == nil {
				return nil, "InvalidStateError: there is no active worker to load ahead for"
			}
			switch word(args, 1) {
			case "enable":
				g.preload = true
			case "disable":
				g.preload = false
			}
			return g.preload, ""
		})
	default:
		return nil, fmt.Errorf("there is no operation %q", op)
	}
	return nil, nil
}

// usage is how many bytes the caches and databases hold.
func (b *Browser) usage() (n int64) {
	for _, c := range b.store.Caches {
		for _, e := range c.Entries {
			n += fetch.BodyLen(e.Response.Actual().Body)
		}
	}
	for _, text := range b.store.Databases {
		n += int64(len(text))
	}
	return n
}

// navigateClient sends a page that the worker controls to another address (Service Workers, 4.2.8).
func (r *realm) navigateClient(id int, client, url string) {
	b := r.b
	for _, c := range b.clients {
		if clientID(c.id) != client {
			continue
		}
		if c.controller != r.w {
			r.settle(id, nil, "TypeError: the page is not controlled by this worker")
			return
		}
		if c.tab == nil {
			break
		}
		b.record(r.w, Event{Kind: EventPage, Page: PageNavigated, URL: url})
		next := b.startNavigation(url, c.tab, "", func() {})
		// The promise is settled once the page is there; its worker may have ended by then.
		b.clock.After(time.Millisecond, func() { r.settleWith(id, next) })
		return
	}
	r.settle(id, nil, "TypeError: the page is gone")
}

// settleWith settles a promise with a client once its document is there: the client when it is of this origin, else null.
func (r *realm) settleWith(id int, c *client) {
	if c.view.Failed {
		r.settle(id, nil, "TypeError: "+c.view.Reason.String())
		return
	}
	if c.view.Response == nil {
		r.b.clock.After(10*time.Millisecond, func() { r.settleWith(id, c) })
		return
	}
	if weburl.OriginOf(c.url) == weburl.OriginOf(r.w.reg.Scope) {
		r.settle(id, c.info(), "")
	} else {
		r.settle(id, nil, "")
	}
}

// openWindow opens a tab, which a worker may only do while it handles a click on a notification.
func (r *realm) openWindow(id int, url string) {
	if !r.clicked {
		r.settle(id, nil, "InvalidAccessError: a window can only be opened after a click on a notification")
		return
	}
	tab := &Tab{}
	r.b.tabs = append(r.b.tabs, tab)
	r.b.record(r.w, Event{Kind: EventPage, Page: WindowOpened, URL: url})
	c := r.b.startNavigation(url, tab, "", func() {})
	r.settleWith(id, c)
}

func (g *Registration) describe() map[string]any {
	slot := func(w *Worker) any {
		if w == nil {
			return nil
		}
		return map[string]any{"script": w.Script, "state": w.State, "id": strconv.Itoa(w.ID)}
	}
	return map[string]any{"installing": slot(g.Installing), "waiting": slot(g.Waiting), "active": slot(g.Active)}
}

// noImport is what import() gives: service workers do not have it (Service Workers, 3.1.1).
const noImport = `throw new TypeError("import() is not allowed in service workers");`

// loadModule gives the text of a module that a module worker imports statically.
func (r *realm) loadModule(name string) (string, error) {
	if !r.scripting || r.w.Type != "module" {
		return noImport, nil
	}
	text, err := r.w.importText(r, name)
	if err != nil {
		return "", err
	}
	s, _ := text.(string)
	return s, nil
}

// normalizeModule resolves a module specifier against the module that imports it (HTML, "resolve a module specifier").
func normalizeModule(base, name string) (string, error) {
	if strings.HasPrefix(name, "/") || strings.HasPrefix(name, "./") || strings.HasPrefix(name, "../") {
		u, err := whatwg.ParseRef(base, name)
		if err != nil {
			return "", err
		}
		return u.Href(false), nil
	}
	u, err := whatwg.Parse(name)
	if err != nil {
		return "", fmt.Errorf("TypeError: the bare module name %q cannot be resolved", name)
	}
	return u.Href(false), nil
}
