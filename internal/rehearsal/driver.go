package rehearsal

import (
	"time"

	"tachyform/internal/condition"
	"tachyform/internal/site"
	"tachyform/internal/useragent"
	"tachyform/internal/useragent/account"
	"tachyform/internal/useragent/document"
)

// Driver is a browser with one profile that the steps of a rehearsal are carried out on. Each call returns once what
// it sets off has come to rest. Tabs go by names, "" for the first.
type Driver interface {
	// Open opens a URL in a tab, which is made where there is none.
	Open(tab, url string)
	// Reload loads a tab's page anew; pastWorker as a reload that asks the network alone.
	Reload(tab string, pastWorker bool)
	// Traverse goes some steps back or ahead in a tab's history; it reports whether there are so many.
	Traverse(tab string, delta int) bool
	// Close closes a tab, CloseAll all of the browser, which then stops its workers.
	Close(tab string)
	CloseAll()
	SetCondition(c condition.Condition)
	// Deploy puts hosts in the place of those with the same origin.
	Deploy(hosts []site.Host)
	// StopWorkers ends running workers, as browsers do with idle ones.
	StopWorkers()
	// Evict throws away caches, databases, cookies or everything.
	Evict(what string)
	// Deliver gives the active workers an event that needs no page, ClickNotification clicks on one by its tag or title;
	// both report whether there is a worker, or a notification, for it.
	Deliver(event string, detail map[string]any) bool
	ClickNotification(which string) bool
	// Act lets a person do something on the page in a tab; it gives why that could not be done, "" where it was. Stored gives
	// a value of that page's local storage.
	Act(tab string, a document.Action) (wrong string)
	Stored(tab, key string) (value string, there bool)
	// SetCookie keeps a cookie for the first host.
	SetCookie(name, value string)
	// Wait lets time pass.
	Wait(d time.Duration)

	// View is what a tab shows, nil where there is no such tab.
	View(tab string) *document.View
	// Judge gives the outcome of what a tab shows, nil where there is no such tab.
	Judge(tab string) *PageOutcome
	// Profile is what is kept, as values.
	Profile() Profile
	// Events is the account of all that came about so far, Now the time since it began.
	Events() []account.Event
	Now() time.Duration
	// Lacks lists what scripts used and this browser lacks.
	Lacks() []string
	// End gives back what the browser holds.
	End()
}

// Profile is what a browser keeps for the sites that were visited.
type Profile struct {
	Registrations []useragent.RegistrationState
	Caches        []useragent.CacheContent
	Notifications []useragent.Notification
}
