package fetch

// Answerer says who answered a request.
type Answerer uint8

const (
	Nobody    Answerer = iota // no answer came
	ByNetwork                 // no service worker was asked, or it left the request alone
	ByWorker                  // a service worker; it may have asked the network itself
	ByPolicy                  // nobody: the content security policy of who asks forbids the request
)

// AnsweredBy says who answered a request, by what a fetch came to.
func AnsweredBy(resp *Response, why Failure) Answerer {
	switch {
	case resp != nil && resp.ByWorker, why.Kind == WorkerFailed, why.Kind == OpaqueDocument, why.Kind == RedirectedDocument:
		return ByWorker
	case why.Kind == PolicyForbids:
		return ByPolicy
	}
	return ByNetwork
}

func (a Answerer) String() string { return [...]string{"nobody", "network", "worker", "policy"}[a] }

// SourceKind says where content came from.
type SourceKind uint8

const (
	NoSource      SourceKind = iota // nothing came
	NetworkSource                   // the network, or the HTTP cache
	WorkerSource                    // a script of the worker made it
	CacheSource                     // it was kept in a cache
	HistorySource                   // the tab had kept the document as it was, for going back
)

// Source is where the content of an answer came from.
type Source struct {
	Kind SourceKind
	// Cache is the name of the cache for CacheSource.
	Cache string
}

// String gives the words that JSON has for it: network, worker, "cache NAME", history, or "".
func (s Source) String() string {
	switch s.Kind {
	case NetworkSource:
		return "network"
	case WorkerSource:
		return "worker"
	case CacheSource:
		return "cache " + s.Cache
	case HistorySource:
		return "history"
	}
	return ""
}

// Is compares with what a project file expects: network, worker, history, cache for any cache, or "cache NAME".
func (s Source) Is(expected string) bool {
	return s.String() == expected || s.Kind == CacheSource && expected == "cache"
}
