package environment

import (
	_ "embed" // for the bytecode
	"encoding/json"

	"tachyform/internal/useragent/fetch"
	"tachyform/internal/useragent/serviceworker"
)

// dedicatedCode is the bytecode of what dedicated and shared workers find, made of the sources in shared and dedicated.
//
//go:embed dedicated.bytecode
var dedicatedCode []byte

var dedicatedEngines = &enginePool{code: dedicatedCode}

// StartDedicated starts the realm of a dedicated or shared worker (HTML, 10.2.4); no script has run in it yet.
func (p *Platform) StartDedicated(in Page, o serviceworker.WorkerOptions) (*Realm, error) {
	r := p.newRealm()
	r.page = in
	return r, r.startPage(dedicatedEngines, map[string]any{"name": o.Name, "type": o.Type, "shared": o.Shared})
}

// dedicatedOperations are of Worker and DedicatedWorkerGlobalScope (HTML, 10.2.6 and 10.2.1.2).
var dedicatedOperations = operations{
	"dedicated.start": touching(func(r *Realm, args arguments) (any, error) {
		id, url := args.number(0), args.text(1)
		var o serviceworker.WorkerOptions
		if err := json.Unmarshal([]byte(args.text(2)), &o); err != nil {
			return nil, err
		}
		r.page.StartWorker(id, url, o)
		return nil, nil
	}),
	// The message carries the port that the worker gets.
	"shared.connect": withMessage(func(r *Realm, args arguments, m serviceworker.Message) {
		var o serviceworker.WorkerOptions
		if json.Unmarshal([]byte(args.text(2)), &o) == nil {
			r.page.ConnectWorker(args.number(0), args.text(1), o, m)
		}
	}, 3),
	"dedicated.post":  withMessage(func(r *Realm, args arguments, m serviceworker.Message) { r.page.PostToWorker(args.number(0), m) }, 1),
	"dedicated.reply": withMessage(func(r *Realm, _ arguments, m serviceworker.Message) { r.page.PostToOwner(m) }, 0),
	"dedicated.end": touching(func(r *Realm, args arguments) (any, error) {
		r.page.EndWorker(args.number(0))
		return nil, nil
	}),
	"dedicated.close": touching(func(r *Realm, _ arguments) (any, error) {
		r.page.CloseWorker()
		return nil, nil
	}),
	"dedicated.ready": touching(func(r *Realm, _ arguments) (any, error) {
		r.page.WorkerReady()
		return nil, nil
	}),
	"dedicated.failed": touching(func(r *Realm, args arguments) (any, error) {
		r.page.WorkerFailed(args.text(0), args.text(1), args.number(2))
		return nil, nil
	}),
	// A request for which the script waits. Everything else goes on meanwhile, but for this realm's own tasks.
	"fetch.now": touching(func(r *Realm, args arguments) (any, error) {
		req, err := r.decodeRequest(args.text(0))
		if err != nil {
			return nil, err
		}
		var resp *fetch.Response
		r.waiting(func() { resp = r.page.FetchNow(req) })
		if resp == nil {
			return "", nil
		}
		return toJSON(r.encode(resp)), nil
	}),
}

// withMessage is an operation with a message, whose text is the argument at a place.
func withMessage(run func(*Realm, arguments, serviceworker.Message), at int) operation {
	return touching(func(r *Realm, args arguments) (any, error) {
		var kept keptMessage
		if err := json.Unmarshal([]byte(args.text(at)), &kept); err != nil {
			return nil, err
		}
		run(r, args, r.messageFrom(kept))
		return nil, nil
	})
}

// waiting runs something that other tasks may run in, while a script of this realm waits for it. What comes for this
// realm meanwhile is held back.
func (r *Realm) waiting(run func()) {
	r.turn.blocked++
	run()
	r.release()
}

// Freeze holds back what comes for the realm until Thaw, since its document is kept for going back.
func (r *Realm) Freeze() {
	r.frozen = true
	r.turn.blocked++
}

// Thaw lets a realm go on that was frozen.
func (r *Realm) Thaw() {
	r.frozen = false
	r.release()
}

// contacted says whether something that is there for the realm ends it, since its document is kept for going back; where
// that stays all the same, giveWay lets go of what others want of it.
func (r *Realm) contacted(giveWay func()) bool {
	if !r.frozen {
		return false
	}
	if !r.page.Contacted() {
		giveWay()
	}
	return true
}

// release lets the tasks come that were held back.
func (r *Realm) release() {
	if r.turn.blocked--; r.turn.blocked > 0 {
		return
	}
	held := r.turn.held
	r.turn.held = nil
	for _, task := range held {
		r.p.clock().After(0, task)
	}
}

// FromDedicated gives the realm a message of a worker that it started, ToWorker a message for the worker itself.
func (r *Realm) FromDedicated(id int, m serviceworker.Message) {
	r.command("fromDedicated", id, toJSON(r.messageInto(m)))
}

// ToWorker gives a dedicated worker a message, a shared one a connection.
func (r *Realm) ToWorker(m serviceworker.Message) {
	r.command("toWorker", toJSON(r.messageInto(m)))
}
