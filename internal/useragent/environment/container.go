package environment

import (
	"encoding/json"

	"tachyform/internal/page"
	"tachyform/internal/useragent/account"
	"tachyform/internal/useragent/serviceworker"
	"tachyform/internal/weburl"
)

// registration finds a registration by its number.
func (r *Realm) registration(id int) *serviceworker.Registration {
	for _, g := range r.p.Workers.Registrations() {
		if g.ID == id {
			return g
		}
	}
	return nil
}

const noRegistration = "InvalidStateError: the registration is gone"

// containerOperations are of ServiceWorkerContainer and what it gives to pages (Service Workers, 3).
var containerOperations = operations{
	// A script of a page heard of a worker by the event that is named.
	"hears": plain(func(r *Realm, args arguments) (any, error) {
		if r.page != nil {
			r.p.account().Record(account.Event{Kind: account.EventPage, Page: account.PageHears, URL: r.address(), Text: args.text(0)})
		}
		return nil, nil
	}),
	"container.controller": touching(func(r *Realm, _ arguments) (any, error) {
		if w := r.page.Client().Controller; w != nil {
			return toJSON(w.View()), nil
		}
		return nil, nil
	}),
	"container.register": touching(func(r *Realm, args arguments) (any, error) {
		id, scope := args.number(0), args.text(2)
		reg := page.Registration{Script: args.text(1), Scope: scope, Type: args.text(3), UpdateViaCache: args.text(4),
			From: r.address()}
		r.page.Register(reg, func(err error) {
			if err != nil {
				r.settle(id, nil, err.Error())
				return
			}
			for _, g := range r.p.Workers.Registrations() {
				if !g.Gone() && (g.Scope == weburl.WithoutFragment(scope) || scope == "" && g.GetNewestWorker() != nil &&
					g.GetNewestWorker().Script == reg.Script) {
					r.settle(id, g.View(), "")
					return
				}
			}
			r.settle(id, nil, noRegistration)
		})
		return nil, nil
	}),
	"container.ready": touching(func(r *Realm, args arguments) (any, error) {
		id := args.number(0)
		var look func()
		look = func() {
			if !r.current() {
				return
			}
			if g := r.p.Workers.MatchServiceWorkerRegistration(r.address()); g != nil && g.Active != nil {
				r.settle(id, g.View(), "")
				return
			}
			r.p.Workers.OnActive(look)
		}
		r.p.clock().After(0, look)
		return nil, nil
	}),
	"container.registration": promised(func(r *Realm, args arguments) (any, string) {
		if g := r.p.Workers.MatchServiceWorkerRegistration(args.text(0)); g != nil {
			return g.View(), ""
		}
		return nil, ""
	}),
	"container.registrations": promised(func(r *Realm, _ arguments) (any, string) {
		list := []serviceworker.RegistrationView{}
		for _, g := range r.p.Workers.Registrations() {
			if !g.Gone() && weburl.OriginOf(g.Scope) == r.origin() {
				list = append(list, g.View())
			}
		}
		return list, ""
	}),
	"registration.update": touching(func(r *Realm, args arguments) (any, error) {
		id := args.number(0)
		g := r.registration(args.number(1))
		switch {
		case g == nil || g.Gone():
			r.settle(id, nil, noRegistration)
			return nil, nil
		case r.w != nil && r.w.IsNew():
			r.settle(id, nil, "InvalidStateError: a worker that is being installed looks for no update")
			return nil, nil
		case r.w != nil:
			g.SoftUpdate()
			r.settle(id, nil, "")
			return nil, nil
		}
		g.Update(func(err error) {
			failure := ""
			if err != nil {
				failure = err.Error()
			}
			r.settle(id, nil, failure)
		})
		return nil, nil
	}),
	"registration.unregister": touching(func(r *Realm, args arguments) (any, error) {
		id, g := args.number(0), r.registration(args.number(1))
		if g == nil || g.Gone() {
			r.settle(id, false, "")
			return nil, nil
		}
		g.Unregister(func(err error) { r.settle(id, err == nil, "") })
		return nil, nil
	}),
	"registration.preload": promised(func(r *Realm, args arguments) (any, string) {
		g := r.registration(args.number(0))
		if g == nil {
			return nil, noRegistration
		}
		if args.text(1) != "" && g.Active == nil {
			return nil, "InvalidStateError: there is no active worker to load ahead for"
		}
		switch args.text(1) {
		case "enable":
			g.Preload = true
		case "disable":
			g.Preload = false
		case "header":
			g.PreloadHeader = args.text(2)
		}
		return map[string]any{"enabled": g.Preload, "headerValue": g.PreloadHeader}, ""
	}),
	"registration.notify": promised(func(r *Realm, args arguments) (any, string) {
		g := r.registration(args.number(0))
		if g == nil || g.Active == nil {
			return nil, noWorkerToShow
		}
		n := serviceworker.Notification{}
		_ = json.Unmarshal([]byte(args.text(1)), &n)
		g.Messages.ShowNotification(n)
		r.record(account.Event{Kind: account.EventNotification, Text: n.Text("title")})
		return nil, ""
	}),
	"worker.postMessage": touching(func(r *Realm, args arguments) (any, error) {
		var kept keptMessage
		if err := json.Unmarshal([]byte(args.text(1)), &kept); err != nil {
			return nil, err
		}
		m := r.messageFrom(kept)
		for _, g := range r.p.Workers.Registrations() {
			for _, w := range []*serviceworker.Worker{g.Installing, g.Waiting, g.Active} {
				if w == nil || w.ID != args.number(0) {
					continue
				}
				if r.page != nil {
					w.PostMessage(m, r.page.Client())
				} else {
					w.PostMessageFrom(m, r.w)
				}
				return nil, nil
			}
		}
		return nil, nil
	}),
}

// PostMessage gives a page's scripts a message of a worker.
func (r *Realm) PostMessage(from *serviceworker.Worker, m serviceworker.Message) {
	r.command("containerMessage", toJSON(r.messageInto(m)), toJSON(from.View()))
}

// WorkerChanged tells them that a worker is in another state, RegistrationChanged that a registration has another worker.
func (r *Realm) WorkerChanged(w *serviceworker.WorkerView) {
	r.command("workerState", w.ID, w.State)
}

// RegistrationChanged tells them that a registration has other workers; found says that a new one is being installed.
func (r *Realm) RegistrationChanged(g serviceworker.RegistrationView, found bool) {
	event := ""
	if found {
		event = "updatefound"
	}
	r.command("registrationChanged", toJSON(g), event)
}
