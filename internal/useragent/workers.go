package useragent

import (
	"cmp"

	"tachyform/internal/useragent/account"
	"tachyform/internal/useragent/serviceworker"
)

// WorkerState is a worker as a value.
type WorkerState struct {
	ID     int
	Script string
	Scope  string
	State  account.State
	// Error says why it could not be installed or was ended, ErrorName is the name of the error that it was, where it was
	// one.
	Error, ErrorName string
	// Imports are the scripts that it is made of beside its own, Requests how many more it asked for until it was
	// installed.
	Imports  []string
	Requests int
}

func describe(w *serviceworker.Worker, scope string) *WorkerState {
	if w == nil {
		return nil
	}
	return &WorkerState{
		ID: w.ID, Script: w.Script, Scope: scope, State: w.State, Error: w.Failure, ErrorName: w.FailureName,
		Imports: w.Imports(), Requests: w.Requests,
	}
}

// RegistrationState is a registration as a value; slots that hold no worker are nil.
type RegistrationState struct {
	Scope                       string
	Installing, Waiting, Active *WorkerState
}

// Newest is the registration's newest worker (Service Workers, "Get Newest Worker"), nil when it has none.
func (r RegistrationState) Newest() *WorkerState { return cmp.Or(r.Installing, r.Waiting, r.Active) }

func describeRegistration(g *serviceworker.Registration) RegistrationState {
	return RegistrationState{
		g.Scope, describe(g.Installing, g.Scope), describe(g.Waiting, g.Scope), describe(g.Active, g.Scope),
	}
}

// Registrations lists the registrations that pages can have; those that are unregistered and still used are not among
// them.
func (b *Browser) Registrations() (list []RegistrationState) {
	for _, g := range b.workers.Registrations() {
		if !g.Gone() {
			list = append(list, describeRegistration(g))
		}
	}
	return list
}

// RegistrationFor is the registration whose scope holds a URL; ok is false where there is none.
func (b *Browser) RegistrationFor(url string) (r RegistrationState, ok bool) {
	g := b.workers.MatchServiceWorkerRegistration(url)
	if g == nil {
		return r, false
	}
	return describeRegistration(g), true
}

// Failures lists the workers that could not be installed, oldest first.
func (b *Browser) Failures() (list []*WorkerState) {
	for _, w := range b.workers.Failures() {
		list = append(list, describe(w, w.Registration.Scope))
	}
	return list
}

// KnowsWorkers says whether any worker was registered, or could not be installed.
func (b *Browser) KnowsWorkers() bool {
	return len(b.workers.Registrations())+len(b.workers.Failures()) > 0
}

// CheckForUpdate looks for a new version of the worker of a scope, as browsers do after a navigation (Service Workers,
// "Soft Update").
func (b *Browser) CheckForUpdate(scope string) {
	if g := b.workers.GetRegistration(scope); g != nil {
		g.SoftUpdate()
	}
}

// StopWorkers ends all running workers, as browsers do with idle ones.
func (b *Browser) StopWorkers() { b.workers.StopWorkers() }

// Rivals lists the scopes that workers compete for.
func (b *Browser) Rivals() []serviceworker.Rival { return b.workers.Rivals() }

// Deliver gives every active worker an event that needs no page. It reports whether there is any.
func (b *Browser) Deliver(name string, detail map[string]any) bool {
	return b.workers.Deliver(name, detail)
}

// SendSyncs sends the registered sync events to workers, unless there is no connection.
func (b *Browser) SendSyncs() { b.workers.SendSyncs() }

// ClickNotification clicks on a shown notification with a tag or title. It reports whether there is one.
func (b *Browser) ClickNotification(which, action string) bool {
	return b.workers.ClickNotification(which, action)
}

// Notification is one that is shown.
type Notification struct{ Title, Tag string }

// Notifications lists those that are shown.
func (b *Browser) Notifications() (list []Notification) {
	for _, g := range b.workers.Registrations() {
		for _, n := range g.Messages.Notifications {
			list = append(list, Notification{n.Text("title"), n.Text("tag")})
		}
	}
	return list
}
