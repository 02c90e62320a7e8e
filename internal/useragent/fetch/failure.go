package fetch

import (
	"fmt"
)

// FailureKind says why a request came to nothing, or a page to no document.
type FailureKind uint8

const (
	NoFailure FailureKind = iota // it came to something
	// the host could not be reached, or the answer was refused (Fetch, "network error")
	NetworkFailed
	WorkerFailed       // the service worker answered with a network error
	TooManyRedirects   // more than twenty
	RedirectsElsewhere // to what is no web address, Detail
	OpaqueDocument     // a worker answered a page load with an opaque response
	RedirectedDocument // … with a response that had been redirected
	Download           // a file to be saved, Detail says why
	SourceShown        // the source text is shown, since the answer is Detail
	NoContent          // a status that is no page, Status
	NoDocument         // none within DocumentLimit
	NoAnswer           // the same for what is no page
	BusyWorker         // scripts never came to rest
	BadStatus          // Status
	UncheckedIntegrity // integrity without crossorigin on what lies elsewhere
	WrongIntegrity     // other content than the integrity attribute says
	WrongStyleType     // served as Detail
	WrongScriptType    // served as Detail
	PolicyForbids      // the page's Content-Security-Policy
	FrameForbids       // the headers of what was to stand in a frame
	NothingAnswers     // to the question that a browser asks when it installs
	ToldOnConsole      // the console says it, Detail
	InternalError      // of this program
	UnknownOrigin      // nobody said what answers at the origin Detail
	MixedContent       // asked without https by a page that came over https
)

// Failure is why a request came to nothing. Its zero value is none.
type Failure struct {
	Kind FailureKind
	// Status is that of NoContent and BadStatus, Detail what the kind names.
	Status int
	Detail string
}

// String says it in words, "" for none.
func (f Failure) String() string {
	switch f.Kind {
	case NetworkFailed:
		return "the network failed"
	case WorkerFailed:
		return "the worker answered with an error"
	case TooManyRedirects:
		return "it redirects more than twenty times"
	case RedirectsElsewhere:
		return "it redirects to " + f.Detail + ", which is not a web address"
	case OpaqueDocument:
		return "the worker answered with an opaque response, which no page load may have"
	case RedirectedDocument:
		return "the worker answered with a response that had been redirected, which no page load may have"
	case Download:
		return "the browser saves it as a file instead of showing it, because the response has " + f.Detail
	case SourceShown:
		return "the browser shows the source text, because the response has the media type " + f.Detail
	case NoContent:
		return fmt.Sprintf("it answered with status %d, which is no page: the browser stays where it was", f.Status)
	case NoDocument:
		return "no document came within ten seconds"
	case NoAnswer:
		return "no answer came within ten seconds"
	case BusyWorker:
		return "the worker keeps the browser busy without end"
	case BadStatus:
		return fmt.Sprintf("it answered with status %d", f.Status)
	case UncheckedIntegrity:
		return "it lies on another origin, and its tag has integrity without crossorigin: browsers can't check it and " +
			"refuse it"
	case WrongIntegrity:
		return "its content is not what the integrity attribute of its tag says"
	case WrongStyleType:
		return "it is served as " + f.Detail + ", not as a style sheet"
	case WrongScriptType:
		return "it is served as " + f.Detail + ", not as a script"
	case PolicyForbids:
		return "the page's Content-Security-Policy does not allow it"
	case FrameForbids:
		return "its headers do not let it stand in a frame"
	case NothingAnswers:
		return "nothing answers"
	case ToldOnConsole:
		return f.Detail
	case InternalError:
		return "an internal error of Tachyform ended the visit"
	case UnknownOrigin:
		return "it lies on " + f.Detail + ", which other_origins does not list, so it was not asked for"
	case MixedContent:
		return "its address begins with http:, and pages loaded over https may not ask for it"
	}
	return ""
}
