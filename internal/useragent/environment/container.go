package environment

import (
	"encoding/json"

	"tachyform/internal/page"
	"tachyform/internal/useragent/account"
	"tachyform/internal/useragent/serviceworker"
	"tachyform/internal/weburl"
)

// workerInfo and registrationInfo are how workers and registrations cross into a window.
type workerInfo struct {
	ID     int    `json:"id"`
	Script string `json:"script"`
	State  string `json:"state"`
}

type registrationInfo struct {
	ID         int         `json:"id"`
	Scope      string      `json:"scope"`
	Via        string      `json:"via"`
	Installing *workerInfo `json:"installing"`
	Waiting    *workerInfo `json:"waiting"`
	Active     *workerInfo `json:"active"`
}

func infoOfWorker(w *serviceworker.Worker) *workerInfo {
	if w == nil {
		return nil
	}
	return &workerInfo{w.ID, w.Script, string(w.State)}
}

func infoOfRegistration(g *serviceworker.Registration) registrationInfo {
	return registrationInfo{g.ID, g.Scope, g.UpdateViaCache, infoOfWorker(g.Installing), infoOfWorker(g.Waiting),
		infoOfWorker(g.Active)}
}

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
	"container.controller": touching(func(r *Realm, _ arguments) (any, error) {
		if w := r.page.Client().Controller; w != nil {
			return toJSON(infoOfWorker(w)), nil
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
				if !g.Gone() && (g.Scope == scope || scope == "" && g.GetNewestWorker() != nil &&
					g.GetNewestWorker().Script == reg.Script) {
					r.settle(id, infoOfRegistration(g), "")
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
				r.settle(id, infoOfRegistration(g), "")
				return
			}
			r.p.Workers.OnActive(look)
		}
		r.p.clock().After(0, look)
		return nil, nil
	}),
	"container.registration": promised(func(r *Realm, args arguments) (any, string) {
		if g := r.p.Workers.MatchServiceWorkerRegistration(args.text(0)); g != nil {
			return infoOfRegistration(g), ""
		}
		return nil, ""
	}),
	"container.registrations": promised(func(r *Realm, _ arguments) (any, string) {
		list := []registrationInfo{}
		for _, g := range r.p.Workers.Registrations() {
			if !g.Gone() && weburl.OriginOf(g.Scope) == r.origin() {
				list = append(list, infoOfRegistration(g))
			}
		}
		return list, ""
	}),
	"registration.update": touching(func(r *Realm, args arguments) (any, error) {
		id := args.number(0)
		g := r.registration(args.number(1))
		if g == nil || g.Gone() {
			r.settle(id, nil, noRegistration)
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
	"registration.unregister": promised(func(r *Realm, args arguments) (any, string) {
		g := r.registration(args.number(0))
		if g == nil || g.Gone() {
			return false, ""
		}
		g.Unregister()
		return true, ""
	}),
	"registration.preload": promised(func(r *Realm, args arguments) (any, string) {
		g := r.registration(args.number(0))
		if g == nil {
			return nil, noRegistration
		}
		switch args.text(1) {
		case "enable":
			g.Preload = true
		case "disable":
			g.Preload = false
		}
		return g.Preload, ""
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
				if w != nil && w.ID == args.number(0) {
					w.PostMessage(m, r.page.Client())
					return nil, nil
				}
			}
		}
		return nil, nil
	}),
}

// PostMessage gives a page's scripts a message of a worker.
func (r *Realm) PostMessage(from *serviceworker.Worker, m serviceworker.Message) {
	r.command("containerMessage", toJSON(r.messageInto(m)), toJSON(infoOfWorker(from)))
}

// WorkerChanged tells them that a worker is in another state, RegistrationChanged that a registration has another worker.
func (r *Realm) WorkerChanged(w *serviceworker.Worker) {
	r.command("workerState", w.ID, string(w.State))
}

// RegistrationChanged tells them that a registration has other workers; found says that a new one is being installed.
func (r *Realm) RegistrationChanged(g *serviceworker.Registration, found bool) {
	event := ""
	if found {
		event = "updatefound"
	}
	r.command("registrationChanged", toJSON(infoOfRegistration(g)), event)
}
