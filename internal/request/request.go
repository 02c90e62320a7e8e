// Package request names the modes and destinations of requests (Fetch, 2.2.5).
package request

// Mode says what may come of a request.
type Mode string

// The modes.
const (
	Navigate   Mode = "navigate"
	SameOrigin Mode = "same-origin"
	NoCORS     Mode = "no-cors"
	CORS       Mode = "cors"
)

// Destination says what a request is for.
type Destination string

// The destinations. Data is what scripts fetch.
const (
	Data          Destination = ""
	Document      Destination = "document"
	Frame         Destination = "iframe"
	Image         Destination = "image"
	Style         Destination = "style"
	Script        Destination = "script"
	Font          Destination = "font"
	Audio         Destination = "audio"
	Video         Destination = "video"
	Track         Destination = "track"
	Manifest      Destination = "manifest"
	Worker        Destination = "worker"
	SharedWorker  Destination = "sharedworker"
	ServiceWorker Destination = "serviceworker"
	Object        Destination = "object"
	Embed         Destination = "embed"
	Report        Destination = "report"
	XSLT          Destination = "xslt"
	JSON          Destination = "json"
)
