package environment

import (
	"cmp"
	"encoding/json"
	"fmt"
	"slices"

	"tachyform/internal/page"
	"tachyform/internal/useragent/account"
	"tachyform/internal/useragent/fetch"
	"tachyform/internal/useragent/realm"
	"tachyform/internal/useragent/serviceworker"
	"tachyform/internal/useragent/sessionhistory"
	"tachyform/internal/useragent/structured"
	"tachyform/internal/weburl"
)

// Page is what the realm of a document or of one of its workers asks of the page that it belongs to, by role.
type Page interface {
	Owner
	Loader
	ScriptLoader
	History
	Navigation
	Frames
	Workers
	OwnedWorker
}

// Owner is the document or worker itself.
type Owner interface {
	// Address is that of the document now, Current whether the page is still open.
	Address() string
	Current() bool
	// Origin is that of the document, null for one that is kept apart from its own.
	Origin() string
	// Client is the page as service workers know it.
	Client() *serviceworker.Client
	// Session names the storage of the page's tab.
	Session() string
	// Failed tells of an error that no script of the page caught, by its name.
	Failed(name, text string)
	// Gap tells that a script used what this user agent lacks.
	Gap(g account.Gap)
	// Matches says whether a media query holds.
	Matches(query string) bool
	// Contacted tells that somebody sends the document something that is kept for going back, or wants what it holds; it gives
	// whether that ends it.
	Contacted() (ends bool)
	// StorageChanged tells other windows that share an area, local or session, of a change, as JSON: key, old and new value.
	StorageChanged(area, change string)
	// Register is a call of navigator.serviceWorker.register.
	Register(r page.Registration, done func(error))
}

// Loader makes the requests of scripts and elements.
type Loader interface {
	// Fetch makes a request for a script of the page, FetchNow one for which the script waits.
	Fetch(req *fetch.Request, done func(*fetch.Response))
	FetchNow(req *fetch.Request) *fetch.Response
	// Element loads what an element asks for that a script made or changed; markup is the element's.
	Element(markup string)
	// SetBase changes what addresses start from, as scripts have it.
	SetBase(url string)
}

// ScriptLoader fetches scripts and says which may run.
type ScriptLoader interface {
	// Script loads a script that a script put into the page; its text is JSON.
	Script(number int, element string)
	// ModuleDone tells that a module has run, by the parser's number of its element or one of those of Script; external says that its text was fetched.
	ModuleDone(parsed, number int, external bool)
	// Import fetches a module with all that it needs, for import().
	Import(specifier, referrer string, done func(url string, err error))
	// ImportScript fetches a script of importScripts().
	ImportScript(url string) (string, error)
	// ModuleText is the text of a module that has been fetched, ResolveModule its address.
	ModuleText(url string) (string, error)
	ResolveModule(base, name string) (string, error)
	// Imports is the page's import map, nil for none.
	Imports() *page.ImportMap
	// AllowsInline says whether the page's policies let an inline script run.
	AllowsInline(text, nonce string) bool
	// DocumentOpened says that a script has opened the document to write into it, DocumentClosed that it has written all.
	DocumentOpened()
	DocumentClosed()
	// Written takes what the parser's script with that number has written so far, and gives the nodes that it may find at
	// once, as NodeItems writes them, "" for none.
	Written(number int, text string) string
}

// History is the session history of the tab or frame.
type History interface {
	// ChangeHistory changes the address without a navigation, and gives the entry of the history a state, nil for null.
	ChangeHistory(url string, replace bool, state *structured.Value)
	// HistoryLength is how many steps the history has, TraverseHistory goes some back or ahead.
	HistoryLength() int
	TraverseHistory(delta int)
	// HistoryEntries are those of its origin around the one that is shown, KeepState gives that a state for the navigation API.
	HistoryEntries() (list []sessionhistory.Entry, at int)
	KeepState(state *structured.Value)
}

// Navigation leaves the document.
type Navigation interface {
	// Navigate leaves the page, Reload loads it anew.
	Navigate(url string, replace bool, kept *structured.Value)
	Reload()
	// Follow goes where a link or a form leads, in the frame or tab of a name; body is what a form sends by POST.
	Follow(url, target, bodyType string, body []byte)
}

// Frames are the documents within the document, and those around it.
type Frames interface {
	// MakeFrame makes the place of a frame that an element of the document holds, and gives its number, 0 where there may be no more;
	// allows is what the sandbox of one leaves it.
	MakeFrame(name string, sandboxed bool, allows []string) int
	// NavigateFrame shows something in it; text is that of a document that need not be fetched. attribute says that the
	// element's attribute asks for it.
	NavigateFrame(number int, url string, text *string, attribute bool)
	// FrameWindow is the number of the window that it shows, whose realm there is if scripts of this one may reach it.
	FrameWindow(number int) int
	RemoveFrame(number int)
	// RenameFrame gives it the name by which links and forms find it.
	RenameFrame(number int, name string)
	// Around is the number of the window that a window of the page stands in, 0 for none.
	Around(window int) int
	// PostMessage gives another window a message.
	PostMessage(window int, message, targetOrigin string)
}

// Workers are the dedicated and shared workers that a document or worker starts, by numbers of the realm's.
type Workers interface {
	// StartWorker starts a dedicated worker.
	StartWorker(id int, url string, o serviceworker.WorkerOptions)
	// ConnectWorker connects a shared worker, which is started first where there is none yet; m carries its port.
	ConnectWorker(id int, url string, o serviceworker.WorkerOptions, m serviceworker.Message)
	// PostToWorker gives it a message, EndWorker ends it.
	PostToWorker(id int, m serviceworker.Message)
	EndWorker(id int)
}

// OwnedWorker is the worker itself, towards who started it.
type OwnedWorker interface {
	// PostToOwner gives who started this worker a message, WorkerReady says that its module has run, WorkerFailed tells of an error,
	// CloseWorker ends it.
	PostToOwner(m serviceworker.Message)
	WorkerReady()
	WorkerFailed(message, file string, line int)
	CloseWorker()
}

// StartWindow starts the realm of a page, with an empty document. beside, if set, is a realm whose objects those of this
// one can reach; with successor its global object becomes that of this one.
func (p *Platform) StartWindow(in Page, s realm.Settings, beside *Realm, successor bool) (*Realm, error) {
	r := p.newRealm()
	r.page = in
	if beside == nil {
		return r, r.startPage(windowEngines, startOf(in, s))
	}
	engine, err := beside.Beside(windowCode, successor)
	if err != nil {
		return nil, fmt.Errorf("the environment does not start: %w", err)
	}
	r.pooledEngine, r.main = &pooledEngine{Engine: engine}, cmp.Or(beside.main, beside)
	r.main.accompanied = true
	r.turn, r.contents = beside.turn, beside.contents
	r.attach()
	return r, r.begin(startOf(in, s))
}

// Restart has a realm go on with another document, which takes the place of the empty one that its window began with.
func (r *Realm) Restart(in Page, s realm.Settings) error {
	r.page = in
	return r.begin(startOf(in, s))
}

// startOf is what the environment is told of a page.
func startOf(in Page, s realm.Settings) map[string]any {
	return map[string]any{
		"html": s.HTML(), "type": s.MediaType, "quirks": s.Quirks, "charset": s.Charset, "referrer": s.Referrer,
		"opaque": in.Origin() == "null", "state": s.State, "back": s.Back, "parent": s.Parent, "top": s.Top, "reload": s.Reload, "sandbox": s.Sandbox, "noEval": s.NoEval,
		"window": in.Client().ID, "frame": s.Frame, "name": s.Name, "base": s.Base, "complete": s.Complete,
		"width": s.Width, "height": s.Height, "density": s.Density,
	}
}

// startPage starts a realm that belongs to a page in an engine of its own.
func (r *Realm) startPage(engines *enginePool, settings map[string]any) (err error) {
	if r.pooledEngine, err = engines.get(); err != nil {
		return err
	}
	r.attach()
	return r.begin(settings)
}

func (r *Realm) begin(settings map[string]any) error {
	settings["script"], settings["origin"], settings["lacks"], settings["otherwise"] = r.page.Address(), r.page.Origin(), r.p.Lacks, r.p.Otherwise
	if state, ok := settings["state"].(*structured.Value); ok && state != nil {
		settings["state"] = r.valueInto(*state)
	}
	start, _ := json.Marshal(settings)
	if _, err := r.runTask("start", string(start)); err != nil {
		r.Close()
		return err
	}
	r.KeepPrototype()
	return nil
}

// Traverse goes to another place in the history of its document.
func (r *Realm) Traverse(url string, state *structured.Value, key int) {
	text := ""
	if state != nil {
		text = toJSON(r.valueInto(*state))
	}
	r.command("traverse", url, text, key)
}

// Command runs one of the environment's commands in a task, while the page is open.
func (r *Realm) Command(name string, args ...any) (any, error) {
	if !r.Alive() {
		return nil, r.stopped
	}
	v, err := r.runTask(name, args...)
	if err != nil {
		r.failed(err)
	}
	return v, err
}

// HoldsLocks says whether its scripts hold a lock.
func (r *Realm) HoldsLocks() bool {
	held, _ := r.p.store().Locks.Query()
	for _, lock := range r.shared.locks {
		if slices.Contains(held, lock) {
			return true
		}
	}
	return false
}

// Turns is how many tasks the scripts have had.
func (r *Realm) Turns() int { return r.turns }

// Stop says why the scripts may not go on, nil while they may.
func (r *Realm) Stop() error { return r.stopped }

// address is that of the script or document that the realm belongs to.
func (r *Realm) address() string {
	if r.page != nil {
		return r.page.Address()
	}
	return r.w.Script
}

// origin is that of the realm's settings.
func (r *Realm) origin() string {
	if r.page != nil {
		return r.page.Origin()
	}
	return weburl.OriginOf(r.w.Registration.Scope)
}
