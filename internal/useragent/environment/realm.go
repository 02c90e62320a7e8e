// Package environment is what scripts find: the global object with its interfaces, in JavaScript sources by standard,
// and the operations for which these ask the browser.
package environment

import (
	"encoding/json"
	"errors"
	"math/rand/v2"
	"slices"
	"strings"

	whatwg "github.com/nlnwa/whatwg-url/url"

	"tachyform/internal/script"
	"tachyform/internal/useragent/account"
	"tachyform/internal/useragent/clock"
	"tachyform/internal/useragent/indexeddb"
	"tachyform/internal/useragent/serviceworker"
	"tachyform/internal/useragent/storage"
	"tachyform/internal/weburl"
)

// Platform is what the realms of a browser stand on.
type Platform struct {
	Workers *serviceworker.Container
	Bounds  *Bounds
	Engines *WarmEngines
	// Lacks lists what scripts do not find in this kind of browser: see useragent.Kind.
	Lacks []string
	// Otherwise has what may not matter answered in another way than usual; see account.Gap.
	Otherwise bool
	// StandsFor, if set, gives the SHA-256 of the content that some bytes stand for, which nobody has any more.
	StandsFor func(content []byte) (sum []byte, known bool)
}

func (p *Platform) lacks(what string) bool { return slices.Contains(p.Lacks, what) }

func (p *Platform) clock() *clock.Clock { return p.Workers.Fetcher.Clock }

func (p *Platform) account() *account.Account { return p.Workers.Account }

func (p *Platform) store() *storage.Storage { return p.Workers.Store }

// Realm is a running worker: an engine, and what its scripts hold on to outside of it.
// What the browser asks of a worker, and what operations need of their realm, are its methods: they share this state
// and none other.
type Realm struct {
	*pooledEngine
	p    *Platform
	w    *serviceworker.Worker // of a worker's realm
	page Page                  // of a window's
	*contents
	timers      map[int]*clock.Task
	events      map[int]*liveEvent
	databases   *databases
	decodings   map[int]*decoding
	shared      shared
	random      *rand.PCG
	scripting   bool        // the worker's script is being evaluated for the first time
	clicked     bool        // a click on a notification is handled
	touchedHost bool        // the script asked for something that lives outside of the engine
	snapshot    *warmEngine // set when the engine can be put back to where the script had just run
	turns       int         // tasks so far
	turn        *turn
	main        *Realm // of a realm beside another: the one whose engine holds both
	accompanied bool   // there have been realms beside it
	frozen      bool   // kept for going back
	stopped     error  // why the realm may not run any more
	ended       bool   // its page or worker has ended; only its scripts that are running go on
}

// turn is what realms of one engine share while one of them runs.
type turn struct {
	blocked int      // over 0 while a script waits in the middle of a task
	held    []func() // tasks that came meanwhile
	depth   int      // of calls of the engine within each other
	closing []*Realm // realms to close once no call is on the stack
}

// leave is the end of a call of the engine. The last one closes what ended meanwhile.
func (t *turn) leave() {
	if t.depth--; t.depth > 0 {
		return
	}
	closing := t.closing
	t.closing = nil
	for _, r := range closing {
		r.Close()
	}
}

// newRealm makes a realm without an engine.
func (p *Platform) newRealm() *Realm {
	r := &Realm{
		decodings: map[int]*decoding{}, p: p, contents: &contents{bodies: map[int]body{}, opened: map[int]*storage.Cache{}}, timers: map[int]*clock.Task{},
		events: map[int]*liveEvent{}, random: rand.NewPCG(1, 2), turn: &turn{},
	}
	r.shared = shared{map[int]*storage.Lock{}, map[int]*storage.Channel{}, map[string]bool{}}
	r.databases = &databases{
		r: r, connections: map[int]*indexeddb.Connection{}, transactions: map[int]*indexeddb.Transaction{},
	}
	return r
}

// Start starts a worker's engine and runs its script. The error is what the script threw, in words.
func (p *Platform) Start(w *serviceworker.Worker) (serviceworker.Global, error) {
	r := p.newRealm()
	r.w = w
	key := warmKey{w.Original, w.State, w.Registration.UpdateViaCache, p.clock().Now}
	if w.Original != nil {
		if e := p.Engines.get(key); e != nil {
			e.Rewind(e.mark)
			r.pooledEngine, r.snapshot = e.pooledEngine, e
			*r.random = e.random
			r.attach()
			if view := toJSON(w.Registration.View()); view != e.view {
				r.command("registrationChanged", view, "")
			}
			for _, n := range e.notes {
				p.account().Note(n)
			}
			return r, nil
		}
	}
	var err error
	if r.pooledEngine, err = workerEngines.get(); err != nil {
		return nil, err
	}
	r.attach()
	before := len(p.account().Notes)
	if err := r.run(); err != nil {
		r.Close()
		return nil, err
	}
	r.KeepPrototype()
	if notes := p.account().Notes; w.Original != nil && !r.touchedHost && len(notes) < account.MaxNotes {
		r.snapshot = &warmEngine{r.pooledEngine, key, r.Mark(), *r.random, slices.Clone(notes[before:]), toJSON(w.Registration.View())}
	}
	return r, nil
}

// attach makes the realm what the engine's scripts talk to.
func (r *Realm) attach() {
	r.Surround(script.Surroundings{
		Host: r.host, Modules: script.Modules{Normalize: r.normalizeModule, Load: r.loadModule},
		Context: r.p.Workers.Fetcher.Context(),
	})
}

// run evaluates the worker's script. The error is what it threw, in words.
func (r *Realm) run() error {
	w := r.w
	scope, _ := whatwg.Parse(w.Registration.Scope)
	start, _ := json.Marshal(map[string]any{
		"script": w.Script, "scope": w.Registration.Scope, "origin": weburl.Origin(scope), "type": w.Type, "state": w.State,
		"via": w.Registration.UpdateViaCache, "lacks": r.p.Lacks, "worker": w.View(), "registration": w.Registration.View(),
	})
	if _, err := r.runTask("start", string(start)); err != nil {
		return err
	}
	r.scripting = true
	defer func() { r.scripting = false }()
	var v any
	var err error
	if w.Type == "module" {
		if _, err = r.runTask("module", w.Script); err == nil {
			v, err = r.runTask("moduleResult")
		}
	} else {
		v, err = r.runTask("script", w.Source(), w.Script)
	}
	failure, _ := v.(string)
	switch {
	case err != nil || failure == "":
		return err
	case strings.HasPrefix(failure, "InternalError: out of memory"):
		return script.ErrMemory
	}
	return errors.New(failure)
}

// runTask runs one task of the event loop in the realm.
func (r *Realm) runTask(op string, args ...any) (any, error) {
	if r.stopped != nil {
		return nil, r.stopped
	}
	if r.turn.blocked > 0 {
		r.turn.held = append(r.turn.held, func() { _, _ = r.runTask(op, args...) })
		return nil, nil
	}
	r.turns++
	r.turn.depth++
	defer r.turn.leave()
	r.Bound(r.p.Bounds.now.steps, r.p.Bounds.now.patience)
	v, err := r.Call(append([]any{op}, args...)...)
	r.p.clock().Spent += turnSteps
	if r.turn.depth == 1 { // calls within others count for the turn already
		r.p.clock().Spent += int64(r.Used())
	}
	if errors.Is(err, script.ErrTooDeep) {
		r.gap(account.Gap{What: err.Error()})
	}
	if script.Fatal(err) {
		r.stopped = err
		if !errors.Is(err, script.ErrCanceled) {
			if r.page != nil {
				r.p.Bounds.ExhaustByPage(err)
			} else {
				r.p.Bounds.Exhaust(err)
			}
		}
	}
	return v, err
}

// Close ends the realm and lets others have its engine. If a call of the engine is on the stack, the end is only marked:
// the last call to return carries it out.
func (r *Realm) Close() {
	r.ended = true
	switch {
	case r.pooledEngine == nil:
		return
	case r.turn.depth > 0:
		if r.stopped == nil {
			r.stopped = errEnded
		}
		if r.page == nil || r.alone() {
			r.Interrupt()
		}
		if !slices.Contains(r.turn.closing, r) {
			r.turn.closing = append(r.turn.closing, r)
		}
		return
	case r.main != nil:
		if r.main.pooledEngine != nil { // else the engine has gone, or belongs to another page
			r.pooledEngine.Close()
		}
	case script.Fatal(r.stopped):
		r.pooledEngine.Close()
	case r.snapshot != nil:
		r.p.Engines.put(r.snapshot)
	default:
		r.pool.put(r.pooledEngine)
	}
	r.pooledEngine = nil
	if r.stopped == nil {
		r.stopped = errEnded
	}
}

// bytesOfStep is how much text is parsed in the time of a step.
const bytesOfStep = 4

// ChargeText counts that the browser parses so many bytes for the realm's scripts.
func (r *Realm) ChargeText(size int) {
	if steps := size / bytesOfStep; r.turn.depth > 0 && r.pooledEngine != nil {
		r.Charge(steps)
	} else {
		r.p.clock().Spent += int64(steps)
	}
}

var errEnded = errors.New("the worker has ended")

// alone reports whether the engine runs no other realm.
func (r *Realm) alone() bool { return r.main == nil && !r.accompanied }

// Alive says whether its scripts may still run.
func (r *Realm) Alive() bool { return r.stopped == nil }

// current says whether the worker still runs in this realm.
func (r *Realm) current() bool {
	if r.page != nil {
		return r.page.Current()
	}
	return r.w.RunsIn(r)
}

// failed ends a worker whose engine was stopped, or reports an error of the environment.
func (r *Realm) failed(err error) {
	r.p.account().Note(account.Note{Level: "error", Text: err.Error(), Where: r.address()})
	if r.stopped != nil && r.w != nil {
		r.w.Stopped(err)
	}
}

// command runs one of the environment's commands in the current task, while the worker runs.
func (r *Realm) command(name string, args ...any) {
	if !r.Alive() || !r.current() {
		return
	}
	if _, err := r.runTask(name, args...); err != nil {
		r.failed(err)
	}
}

// settle resolves or rejects a promise that scripts wait for. An error is "name: message".
func (r *Realm) settle(id int, value any, failure string) {
	r.p.clock().After(0, func() {
		if r.stopped != nil || !r.current() {
			return
		}
		text, err := json.Marshal(value)
		if err != nil {
			failure = "Error: " + err.Error()
		}
		if _, err := r.runTask("settle", id, failure, string(text)); err != nil {
			r.failed(err)
		}
	})
}

// settleNow settles a promise in a task of its own, now.
func (r *Realm) settleNow(id int, value any) {
	text, err := json.Marshal(value)
	if err != nil {
		text = []byte("null")
	}
	if _, err := r.runTask("settle", id, "", string(text)); err != nil {
		r.failed(err)
	}
}
