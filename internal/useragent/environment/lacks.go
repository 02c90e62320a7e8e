package environment

// Habits of real browsers, beside the standard, that kinds of browser name under Lacks; measured, see
// testdata/snippets.json.
const (
	// CopiesByVary: of one address only the answer that was put last is kept, whatever it varies by.
	CopiesByVary = "copies by Vary"
	// WholeKeys: the requests that Cache.keys() gives have lost mode, credentials and referrer.
	WholeKeys = "whole keys"
	// ImmutableCopies: the headers of answers from a cache can be changed.
	ImmutableCopies = "immutable copies"
	// RejectionsOfJSON: unhandledrejection is not dispatched for errors of Response.json() with a body from the network.
	RejectionsOfJSON = "rejections of json"
	// Touch: there is no screen that could be touched, and no handlers for it.
	Touch = "touch"
)
