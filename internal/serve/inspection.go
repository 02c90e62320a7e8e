package serve

// Inspection is what a browser stores for the site, and what its worker does.
type Inspection struct {
	// Source is the browser: "embedded user agent", or the name and version of a real one.
	Source string `json:"source"`
	// Embedded is true for the embedded user agent, whose data is not that of the user's browser.
	Embedded bool          `json:"embedded"`
	Workers  []WorkerState `json:"workers"`
	Caches   []CacheState  `json:"caches"`
	// Answers lists requests with the source of their response, Console the output of the worker and of pages.
	Answers []string `json:"answers"`
	Console []string `json:"console"`
	// Notifications are the titles of shown notifications.
	Notifications []string `json:"notifications"`
}

// WorkerState is a service worker of the site.
type WorkerState struct {
	Script string `json:"script"`
	Scope  string `json:"scope"`
	State  string `json:"state"` // such as activated, or waiting
}

// CacheState is a cache of the site.
type CacheState struct {
	Name    string       `json:"name"`
	Count   int          `json:"count"`
	Bytes   int64        `json:"bytes"`
	Entries []EntryState `json:"entries"` // the first ones
}

// EntryState is an entry of a cache.
type EntryState struct {
	URL   string `json:"url"`
	Bytes int64  `json:"bytes"`
	// Age is in seconds since the response was made, -1 if unknown.
	Age int64 `json:"age"`
}

// MostCacheEntries is the number of entries that a CacheState lists.
const MostCacheEntries = 100

// Browser is the browser whose state the control page shows.
type Browser interface {
	// Inspect returns the state. ok is false while it is being determined.
	Inspect() (state *Inspection, ok bool)
	// Deliver delivers a push, sync or message event to the active worker and describes what happened, one line each.
	Deliver(event, text string) ([]string, error)
}
