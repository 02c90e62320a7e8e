package environment

import (
	"cmp"
	"encoding/json"

	"tachyform/internal/useragent/account"
	"tachyform/internal/useragent/fetch"
	"tachyform/internal/useragent/serviceworker"
	"tachyform/internal/weburl"
)

// clientInfo is how a client crosses into a realm.
type clientInfo struct {
	ID        string `json:"id"`
	URL       string `json:"url"`
	Type      string `json:"type"`
	FrameType string `json:"frameType"`
}

func infoOf(c *serviceworker.Client) clientInfo {
	kind, frame := "window", "top-level"
	switch {
	case c.Shared:
		kind, frame = "sharedworker", "none"
	case c.Worker:
		kind, frame = "worker", "none"
	case c.Frame:
		frame = "nested"
	}
	return clientInfo{c.IDText(), c.URL, kind, frame}
}

// clientOperations are of Client and Clients (Service Workers, 4.2 and 4.3).
var clientOperations = operations{
	"clients": promised(func(r *Realm, args arguments) (any, string) {
		var o struct {
			IncludeUncontrolled bool   `json:"includeUncontrolled"`
			Type                string `json:"type"`
		}
		_ = json.Unmarshal([]byte(args.text(0)), &o)
		list := []clientInfo{}
		for _, c := range r.w.ClientsOf(o.IncludeUncontrolled) {
			if info := infoOf(c); o.Type == "all" || info.Type == cmp.Or(o.Type, "window") {
				list = append(list, info)
			}
		}
		return list, ""
	}),
	"client": promised(func(r *Realm, args arguments) (any, string) {
		if c := r.p.Workers.Client(args.text(0)); c != nil {
			return infoOf(c), ""
		}
		return nil, ""
	}),
	"claim": promised(func(r *Realm, _ arguments) (any, string) {
		if r.w.State != account.Activating && r.w.State != account.Activated {
			return nil, "InvalidStateError: only an active worker can claim pages"
		}
		r.w.Claim()
		return nil, ""
	}),
	"toPage": touching(func(r *Realm, args arguments) (any, error) {
		if c := r.p.Workers.Client(args.text(1)); c != nil {
			r.record(account.Event{Kind: account.EventMessage, URL: c.URL, Text: args.text(2)})
			var kept keptMessage
			if c.Window != nil && json.Unmarshal([]byte(args.text(3)), &kept) == nil {
				c.Window.PostMessage(r.w, r.messageFrom(kept))
			}
		} else {
			r.p.Workers.MessageForKept(args.text(1))
		}
		return nil, nil
	}),
	"focus": touching(func(r *Realm, _ arguments) (any, error) {
		r.record(account.Event{Kind: account.EventPage, Page: account.PageFocused})
		return nil, nil
	}),
	"navigate": touching(func(r *Realm, args arguments) (any, error) {
		r.p.clock().After(0, func() { r.navigateClient(args.number(0), args.text(1), args.text(2)) })
		return nil, nil
	}),
	"openWindow": touching(func(r *Realm, args arguments) (any, error) {
		r.p.clock().After(0, func() { r.openWindow(args.number(0), args.text(1)) })
		return nil, nil
	}),
}

// navigateClient sends a page that the worker controls to another address (Service Workers, 4.2.8).
func (r *Realm) navigateClient(id int, client, url string) {
	c := r.p.Workers.Client(client)
	if c == nil {
		r.settle(id, nil, "TypeError: the page is gone")
		return
	}
	if c.Controller != r.w {
		r.settle(id, nil, "TypeError: the page is not controlled by this worker")
		return
	}
	r.record(account.Event{Kind: account.EventPage, Page: account.PageNavigated, URL: url})
	if !r.p.Workers.Windows.Navigate(c, url, r.settleWith(id)) {
		r.settle(id, nil, "TypeError: the page is gone")
	}
}

// openWindow opens a tab, which a worker may only do while it handles a click on a notification.
func (r *Realm) openWindow(id int, url string) {
	if !r.clicked {
		r.settle(id, nil, "InvalidAccessError: a window can only be opened after a click on a notification")
		return
	}
	r.record(account.Event{Kind: account.EventPage, Page: account.WindowOpened, URL: url})
	r.p.Workers.Windows.OpenWindow(url, r.settleWith(id))
}

// settleWith gives what settles a promise once the document of a client is there: with the client when it is of this
// origin, else null. The worker may have ended by then.
func (r *Realm) settleWith(id int) func(*serviceworker.Client, fetch.Failure) {
	return func(c *serviceworker.Client, why fetch.Failure) {
		switch {
		case why.Kind != fetch.NoFailure:
			r.settle(id, nil, "TypeError: "+why.String())
		case weburl.OriginOf(c.URL) == weburl.OriginOf(r.w.Registration.Scope):
			r.settle(id, infoOf(c), "")
		default:
			r.settle(id, nil, "")
		}
	}
}
