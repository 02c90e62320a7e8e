package environment

import (
	"encoding/json"
	"strings"

	"tachyform/internal/script"
	"tachyform/internal/useragent/account"
	"tachyform/internal/useragent/fetch"
	"tachyform/internal/useragent/serviceworker"
)

// liveEvent is an event that the worker has not finished with.
type liveEvent struct {
	respond func(*fetch.Response, account.Answer)
	done    func(ok bool)
}

// Busy says whether events are open.
func (r *Realm) Busy() bool { return len(r.events) > 0 }

// EventTypes lists the events that the worker has listeners for.
func (r *Realm) EventTypes() []string {
	v, _ := r.runTask("listens")
	list, _ := v.(string)
	return strings.Fields(list)
}

// Dispatch gives the worker an event; done, which may be nil, is told once the worker has finished with it.
func (r *Realm) Dispatch(event string, init map[string]any, done func(ok bool)) {
	r.record(account.Event{Kind: account.EventDispatched, Name: event})
	if event == "notificationclick" {
		r.clicked = true
	}
	r.dispatch(event, init, &liveEvent{done: func(ok bool) {
		if !ok {
			r.record(account.Event{Kind: account.EventDispatched, Name: event, Failed: true})
		}
		if done != nil {
			done(ok)
		}
	}})
}

// DispatchSerialized gives the worker a message that a page's script has sent.
func (r *Realm) DispatchSerialized(m serviceworker.Message, from *serviceworker.Client) {
	r.Dispatch("message", map[string]any{"sent": r.messageInto(m), "source": infoOf(from)}, nil)
}

// DispatchFromWorker gives the worker a message that a worker's script has sent.
func (r *Realm) DispatchFromWorker(m serviceworker.Message, from *serviceworker.Worker) {
	r.Dispatch("message", map[string]any{"sent": r.messageInto(m), "worker": from.View()}, nil)
}

// DispatchFetch gives the worker a fetch event. respond is called once: with a nil response where the worker leaves
// the request alone, or answers with a network error.
func (r *Realm) DispatchFetch(e serviceworker.FetchEvent, respond func(*fetch.Response, account.Answer)) {
	init := map[string]any{"request": r.encodeRequest(e.Request)}
	if e.Client != "" {
		init["clientId"] = e.Client
	}
	if e.Resulting != "" {
		init["resultingClientId"] = e.Resulting
	}
	if e.Preload {
		init["preload"] = r.preload(e.Request)
	}
	r.dispatch("fetch", init, &liveEvent{respond: respond})
}

// preload asks the network for a page at the same time as the worker is asked (navigation preload). It gives the
// number of the promise that the event's preloadResponse is.
func (r *Realm) preload(req *fetch.Request) int {
	r.next++
	id := -r.next
	ahead := *req
	ahead.Header = append(append([][2]string{}, req.Header...), [2]string{"Service-Worker-Navigation-Preload", r.w.Registration.PreloadHeader})
	ahead.HandleFetch = nil
	r.p.Workers.Fetcher.Fetch(&ahead, func(resp *fetch.Response, _ fetch.Error) {
		if resp == nil {
			r.settle(id, nil, "NetworkError: the preload of "+req.URL+" failed")
			return
		}
		r.settle(id, r.encode(resp), "")
	})
	return id
}

func (r *Realm) dispatch(event string, init map[string]any, live *liveEvent) {
	r.next++
	r.events[r.next] = live
	text, _ := json.Marshal(init)
	id := r.next
	if _, err := r.runTask("event", id, event, string(text)); err != nil {
		r.failed(err)
		return
	}
	// What its listeners left in the queue of microtasks still belongs to the event.
	if _, err := r.runTask("eventOver", id); err != nil {
		r.failed(err)
	}
}

func (r *Realm) record(e account.Event) {
	if r.w != nil {
		e.Worker = r.w.ID
	}
	r.p.account().Record(e)
}

// Finish lets go of every event that is still open, as the end of the worker does.
func (r *Realm) Finish() {
	r.ended = true
	for id, e := range r.events {
		delete(r.events, id)
		if e.respond != nil {
			e.respond(nil, account.AnsweredError)
		}
		if e.done != nil {
			e.done(false)
		}
	}
	for _, t := range r.timers {
		r.p.clock().Cancel(t)
	}
	r.databases.drop()
	r.shared.drop(r.p.store())
}

var eventOperations = operations{
	"respond": touching((*Realm).respond),
	"eventDone": touching(func(r *Realm, args arguments) (any, error) {
		id := args.number(0)
		e := r.events[id]
		if e == nil {
			return nil, nil
		}
		delete(r.events, id)
		if e.done != nil {
			ok := args.flag(1)
			r.p.clock().After(0, func() { e.done(ok && !script.Fatal(r.stopped)) })
		}
		return nil, nil
	}),
}

func (r *Realm) respond(args arguments) (any, error) {
	e := r.events[args.number(0)]
	if e == nil || e.respond == nil {
		return nil, nil
	}
	respond := e.respond
	e.respond = nil
	var resp *fetch.Response
	what := account.AnsweredError
	switch text := args.text(2); args.text(1) {
	case "none":
		what = account.LeftAlone
	case "response":
		var err error
		if resp, err = r.decode(text); err == nil {
			what = account.Answered
		}
	default:
		if text != "" {
			r.p.account().Note(account.Note{Level: "error", Text: text, Where: r.w.Script})
		}
	}
	r.p.clock().After(0, func() { respond(resp, what) })
	return nil, nil
}
