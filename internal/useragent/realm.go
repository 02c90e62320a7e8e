package useragent

import (
	"crypto/sha1"
	"crypto/sha256"
	"crypto/sha512"
	"encoding/json"
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"sync"
	"time"

	whatwg "github.com/nlnwa/whatwg-url/url"

	"tachyform/internal/script"
	"tachyform/internal/site"
	"tachyform/internal/useragent/clock"
	"tachyform/internal/useragent/fetch"
	"tachyform/internal/useragent/storage"
	"tachyform/internal/weburl"
)

// realm is a running worker: an engine, and what its scripts hold on to outside of it.
type realm struct {
	*pooledEngine
	b           *Browser
	w           *Worker
	bodies      map[int]body
	scriptBytes int64                  // bytes of content that scripts made
	opened      map[int]*storage.Cache // caches that scripts hold, by number
	next        int
	timers      map[int]*clock.Task
	events      map[int]*liveEvent
	random      *rand.PCG
	// scripting is true while the worker's script is first evaluated.
	scripting bool
	// clicked is true while a click on a notification is handled.
	clicked bool
	// touchedHost is true once the script asked for something that lives outside of the engine.
	touchedHost bool
	// snapshot is set when the engine can be put back to where the script had just run.
	snapshot *warmEngine
	// stopped says why the realm may not run any more.
	stopped error
}

// body is content that scripts refer to by number.
type body struct {
	body   site.Body
	source fetch.Source
	key    string          // the address that a cache kept it under
	hidden *fetch.Response // of a filtered response
}

// liveEvent is an event that the worker has not finished with.
type liveEvent struct {
	respond func(*fetch.Response, eventAnswer)
	done    func(ok bool)
}

// maxBodies bounds the content that a worker's scripts make.
const maxBodies = script.MemoryLimit

func (r *realm) hold(h body) int {
	if made, ok := h.body.(site.Bytes); ok {
		if r.scriptBytes += int64(len(made)); r.scriptBytes > maxBodies && r.stopped == nil {
			r.stopped = script.ErrMemory
			r.b.exhaust(r.stopped)
		}
	}
	r.next++
	r.bodies[r.next] = h
	return r.next
}

// startRealm starts a worker's engine and runs its script. The error is what the script threw, in words.
func (b *Browser) startRealm(w *Worker) (*realm, error) {
	r := &realm{b: b, w: w, bodies: map[int]body{}, opened: map[int]*storage.Cache{}, timers: map[int]*clock.Task{}, events: map[int]*liveEvent{}, random: rand.NewPCG(1, 2)}
	key := warmKey{w.original, w.State, w.reg.UpdateViaCache, b.clock.Now}
	if w.original != nil {
		if e := b.warmEngines.get(key); e != nil {
			e.Rewind(e.mark)
			r.pooledEngine, r.snapshot = e.pooledEngine, e
			*r.random = e.random
			r.attach()
			for _, n := range e.notes {
				b.note(n)
			}
			return r, nil
		}
	}
	var err error
	if r.pooledEngine, err = getEngine(); err != nil {
		return nil, err
	}
	r.attach()
	before := len(b.notes)
	if err := r.run(); err != nil {
		r.close()
		return nil, err
	}
	if w.original != nil && !r.touchedHost && len(b.notes) < maxNotes {
		r.snapshot = &warmEngine{r.pooledEngine, key, r.Mark(), *r.random, slices.Clone(b.notes[before:])}
	}
	return r, nil
}

// attach makes the realm what the engine's scripts talk to.
func (r *realm) attach() {
	r.Surround(script.Surroundings{Host: r.host, Modules: script.Modules{Normalize: normalizeModule, Load: r.loadModule}, Context: r.b.net.Context})
}

// run evaluates the worker's script. The error is what it threw, in words.
func (r *realm) run() error {
	w := r.w
	scope, _ := whatwg.Parse(w.reg.Scope)
	start, _ := json.Marshal(map[string]any{"script": w.Script, "scope": w.reg.Scope, "origin": weburl.Origin(scope), "type": w.Type, "state": w.State, "via": w.reg.UpdateViaCache, "lacks": r.b.kind.Lacks})
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
		v, err = r.runTask("script", w.scripts[w.Script].text, w.Script)
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
func (r *realm) runTask(op string, args ...any) (any, error) {
	if r.stopped != nil {
		return nil, r.stopped
	}
	r.Bound(r.b.limits.steps, r.b.limits.patience)
	v, err := r.Call(append([]any{op}, args...)...)
	r.b.clock.Spent += turnSteps + int64(r.Used())
	if script.Fatal(err) {
		r.stopped = err
		if !errors.Is(err, script.ErrCanceled) {
			r.b.exhaust(err)
		}
	}
	return v, err
}

// close ends the realm and lets others have its engine.
func (r *realm) close() {
	switch {
	case r.pooledEngine == nil:
		return
	case script.Fatal(r.stopped):
		r.Close()
	case r.snapshot != nil:
		r.b.warmEngines.put(r.snapshot)
	default:
		putEngine(r.pooledEngine)
	}
	r.pooledEngine = nil
	if r.stopped == nil {
		r.stopped = errEnded
	}
}

var errEnded = errors.New("the worker has ended")

// listens says whether the worker has a listener for an event.
func (r *realm) listens(event string) bool {
	v, _ := r.runTask("listens", event)
	yes, _ := v.(bool)
	return yes
}

// event dispatches an event and calls done when the worker has finished with it. respond, for fetch events, is called once:
// with a nil response where the worker leaves the request alone, or answers with a network error.
func (r *realm) event(name string, detail any, respond func(*fetch.Response, eventAnswer), done func(ok bool)) {
	r.next++
	id := r.next
	r.events[id] = &liveEvent{respond, done}
	if name != "fetch" {
		b := r.b
		b.record(r.w, Event{Kind: EventDispatched, Name: name})
		after := done
		r.events[id].done = func(ok bool) {
			if !ok {
				b.record(r.w, Event{Kind: EventDispatched, Name: name, Failed: true})
			}
			if after != nil {
				after(ok)
			}
		}
	}
	if name == "notificationclick" {
		r.clicked = true
	}
	text, _ := json.Marshal(detail)
	_, err := r.runTask("event", id, name, string(text))
	if err != nil {
		r.failed(err)
	}
}

// failed ends a worker whose engine was stopped, or reports an error of the environment.
func (r *realm) failed(err error) {
	r.b.note(Note{Level: "error", Text: err.Error(), Where: r.w.Script})
	if r.stopped != nil {
		r.w.Failure = err.Error()
		r.b.terminateServiceWorker(r.w)
	}
}

// finish lets go of every event that is still open, as the end of the worker does.
func (r *realm) finish() {
	for id, e := range r.events {
		delete(r.events, id)
		if e.respond != nil {
			e.respond(nil, answeredError)
		}
		if e.done != nil {
			e.done(false)
		}
	}
	for _, t := range r.timers {
		r.b.clock.Cancel(t)
	}
}

// settle resolves or rejects a promise that scripts wait for. An error is "name: message".
func (r *realm) settle(id int, value any, failure string) {
	r.b.clock.After(0, func() {
		if r.stopped != nil || r.w.realm != r {
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

// encode gives a response the form in which it crosses into the realm.
func (r *realm) encode(resp *fetch.Response) *fetch.Response {
	if resp == nil {
		return nil
	}
	out := *resp
	if out.URLs == nil {
		out.URLs = []string{}
	}
	if resp.Internal != nil || resp.Body != nil {
		out.BodyHandle = r.hold(body{resp.Body, resp.Source, resp.Key, resp.Internal})
		out.Partial = resp.Internal != nil && resp.Internal.Status == 206
	}
	return &out
}

// decode reads a response that comes out of the realm.
func (r *realm) decode(text string) (*fetch.Response, error) {
	var resp fetch.Response
	if err := json.Unmarshal([]byte(text), &resp); err != nil {
		return nil, err
	}
	h := r.bodies[resp.BodyHandle]
	resp.Body, resp.Source, resp.Key, resp.Internal = h.body, h.source, h.key, h.hidden
	if resp.Source.Kind == fetch.NoSource {
		resp.Source.Kind = fetch.WorkerSource
	}
	resp.BodyHandle = 0
	return &resp, nil
}

func (r *realm) encodeRequest(req *fetch.Request) *fetch.Request {
	out := *req
	if req.Content != nil {
		out.BodyHandle = r.hold(body{body: req.Content})
	}
	if out.Header == nil {
		out.Header = [][2]string{}
	}
	return &out
}

func (r *realm) decodeRequest(text string) (*fetch.Request, error) {
	var req fetch.Request
	if err := json.Unmarshal([]byte(text), &req); err != nil {
		return nil, err
	}
	req.Content, req.BodyHandle = r.bodies[req.BodyHandle].body, 0
	return &req, nil
}

func number(v any) int {
	switch n := v.(type) {
	case int:
		return n
	case int64:
		return int(n)
	case float64:
		return int(n)
	}
	return 0
}

func duration(v any) time.Duration {
	f, ok := v.(float64)
	if !ok {
		f = float64(number(v))
	}
	if f != f || f < 0 {
		return 0
	}
	return time.Duration(min(f, 1<<31) * float64(time.Millisecond))
}

func word(args []any, i int) string {
	if i < len(args) {
		s, _ := args[i].(string)
		return s
	}
	return ""
}

// leavesNothing are the operations after which nothing refers to the realm from outside of its engine.
var leavesNothing = map[string]bool{"now": true, "random": true, "log": true, "url": true, "urlSet": true, "pattern": true, "patternInput": true, "eval": true, "module": true, "import": true}

// host carries out what the environment asks for. It runs inside a turn and must not start another.
func (r *realm) host(args []any) (any, error) {
	op := word(args, 0)
	r.touchedHost = r.touchedHost || !leavesNothing[op]
	switch op {
	case "now":
		return float64(r.b.clock.Now.Microseconds())/1000 + float64(clock.Epoch.UnixMilli()), nil
	case "random":
		return float64(r.random.Uint64()>>11) / (1 << 53), nil
	case "log":
		r.b.note(Note{Level: word(args, 1), Text: word(args, 2), Where: r.w.Script, Stack: word(args, 3), ErrorName: word(args, 4)})
	case "gap":
		r.b.gap(word(args, 1))
	case "timer":
		id := number(args[1])
		r.timers[id] = r.b.clock.After(duration(args[2]), func() {
			delete(r.timers, id)
			if r.w.realm != r {
				return
			}
			if _, err := r.runTask("timer", id); err != nil {
				r.failed(err)
			}
		})
	case "clearTimer":
		id := number(args[1])
		r.b.clock.Cancel(r.timers[id])
		delete(r.timers, id)
	case "url":
		return knownParts(word(args, 1), word(args, 2), len(args) > 2), nil
	case "urlSet":
		return urlSet(word(args, 1), word(args, 2), word(args, 3)), nil
	case "pattern":
		return readPattern(word(args, 1)), nil
	case "patternInput":
		return patternTarget(word(args, 1)), nil
	case "body.text":
		return r.hold(body{body: site.Bytes(word(args, 1)), source: fetch.Source{Kind: fetch.WorkerSource}}), nil
	case "body.take":
		return r.hold(body{body: site.Bytes(r.TakeBytes()), source: fetch.Source{Kind: fetch.WorkerSource}}), nil
	case "body.give":
		data, err := r.bytes(args[1])
		if err != nil {
			return nil, err
		}
		r.GiveBytes(data)
	case "body.read":
		data, err := r.bytes(args[1])
		if err != nil {
			return nil, err
		}
		return decodeUTF8(data), nil
	case "body.size":
		return float64(fetch.BodyLen(r.bodies[number(args[1])].body)), nil
	case "routes":
		return nil, r.w.addRoutes(word(args, 1))
	case "idbLoad":
		return encoded(r.b.store.Databases), nil
	case "idbSave":
		return r.b.store.KeepDatabase(word(args, 1), word(args, 2)), nil
	case "idbFull":
		r.b.gap(fmt.Sprintf("databases that hold more than %d MB", storage.MaxDatabases>>20))
	case "compress", "decompress":
		return nil, r.compression(op, word(args, 1))
	case "digest":
		return nil, r.digest(word(args, 1))
	case "eval":
		return r.Eval(word(args, 1), word(args, 2)), nil
	case "module":
		r.Import(word(args, 1))
	case "import":
		return r.w.importText(r, word(args, 1))
	case "respond":
		r.respond(args)
	case "eventDone":
		if e := r.events[number(args[1])]; e != nil {
			delete(r.events, number(args[1]))
			ok, _ := args[2].(bool)
			if e.done != nil {
				r.b.clock.After(0, func() {
					e.done(ok && !script.Fatal(r.stopped))
				})
			}
		}
	case "fetch":
		return nil, r.fetch(number(args[1]), word(args, 2))
	default:
		if strings.HasPrefix(op, "cache") {
			return nil, r.cacheOperation(op, number(args[1]), args[2:])
		}
		return r.workerOperation(op, args[1:])
	}
	return nil, nil
}

func (r *realm) bytes(handle any) ([]byte, error) {
	h := r.bodies[number(handle)]
	if h.body == nil {
		return nil, nil
	}
	return h.body.Bytes()
}

func (r *realm) respond(args []any) {
	e := r.events[number(args[1])]
	if e == nil || e.respond == nil {
		return
	}
	respond := e.respond
	e.respond = nil
	var resp *fetch.Response
	what := answeredError
	switch text := word(args, 3); word(args, 2) {
	case "none":
		what = leftAlone
	case "response":
		var err error
		if resp, err = r.decode(text); err == nil {
			what = answered
		}
	default:
		if text != "" {
			r.b.note(Note{Level: "error", Text: text, Where: r.w.Script})
		}
	}
	r.b.clock.After(0, func() { respond(resp, what) })
}

func (r *realm) fetch(id int, text string) error {
	req, err := r.decodeRequest(text)
	if err != nil {
		return err
	}
	scope, err := whatwg.Parse(r.w.reg.Scope)
	if err != nil {
		return err
	}
	if !r.w.policy.Allows("", req.URL, "") {
		r.b.note(Note{Level: "error", Text: "the worker may not fetch " + req.URL + ": the Content-Security-Policy of its script does not allow it", Where: r.w.Script})
		r.b.clock.After(0, func() { r.settle(id, nil, "TypeError: Failed to fetch "+req.URL) })
		return nil
	}
	req.Client.EmbedderPolicy = r.w.embedder
	if r.w.State == Parsed || r.w.State == Installing {
		r.w.requests++
	}
	req.Client.Origin = weburl.Origin(scope)
	r.b.fetcher.Fetch(req, func(resp *fetch.Response) {
		if resp == nil {
			r.settle(id, nil, "TypeError: Failed to fetch "+req.URL)
			return
		}
		r.settle(id, r.encode(resp), "")
	})
	return nil
}

func (r *realm) digest(algorithm string) error {
	data := r.TakeBytes()
	switch strings.ToUpper(algorithm) {
	case "SHA-1":
		s := sha1.Sum(data)
		r.GiveBytes(s[:])
	case "SHA-256":
		s := sha256.Sum256(data)
		r.GiveBytes(s[:])
	case "SHA-384":
		s := sha512.Sum384(data)
		r.GiveBytes(s[:])
	case "SHA-512":
		s := sha512.Sum512(data)
		r.GiveBytes(s[:])
	default:
		return fmt.Errorf("NotSupportedError: %s is no digest algorithm", algorithm)
	}
	return nil
}

// parsed remembers addresses: every page of a site asks for much the same.
var parsed struct {
	sync.RWMutex
	parts map[[2]string]string
}

// knownParts is urlParts for addresses that may have been parsed before.
func knownParts(ref, base string, hasBase bool) string {
	key := [2]string{ref, ""}
	if hasBase {
		key[1] = "from " + base
	}
	parsed.RLock()
	text, ok := parsed.parts[key]
	parsed.RUnlock()
	if ok || len(ref) > 1000 {
		if !ok {
			text = urlParts(ref, base, hasBase)
		}
		return text
	}
	text = urlParts(ref, base, hasBase)
	parsed.Lock()
	if parsed.parts == nil || len(parsed.parts) > 10_000 {
		parsed.parts = map[[2]string]string{}
	}
	parsed.parts[key] = text
	parsed.Unlock()
	return text
}

// urlParts parses a URL by the URL standard; "" means that it is none.
func urlParts(ref, base string, hasBase bool) string {
	var u *whatwg.Url
	var err error
	if hasBase {
		u, err = whatwg.ParseRef(base, ref)
	} else {
		u, err = whatwg.Parse(ref)
	}
	if err != nil {
		return ""
	}
	return partsJSON(u)
}

func partsJSON(u *whatwg.Url) string {
	origin := "null"
	switch u.Scheme() {
	case "http", "https", "ws", "wss", "ftp":
		origin = weburl.Origin(u)
	case "blob":
		if inner, err := whatwg.Parse(u.Pathname()); err == nil && (inner.Scheme() == "http" || inner.Scheme() == "https") {
			origin = weburl.Origin(inner)
		}
	}
	text, _ := json.Marshal([]string{u.Href(false), origin, u.Protocol(), u.Username(), u.Password(), u.Host(), u.Hostname(), u.Port(), u.Pathname(), u.Search(), u.Hash()})
	return string(text)
}

func urlSet(href, field, value string) string {
	u, err := whatwg.Parse(href)
	if err != nil {
		return ""
	}
	switch field {
	case "protocol":
		u.SetProtocol(value)
	case "username":
		u.SetUsername(value)
	case "password":
		u.SetPassword(value)
	case "host":
		u.SetHost(value)
	case "hostname":
		u.SetHostname(value)
	case "port":
		u.SetPort(value)
	case "pathname":
		u.SetPathname(value)
	case "search":
		u.SetSearch(value)
	case "hash":
		u.SetHash(value)
	}
	return partsJSON(u)
}
