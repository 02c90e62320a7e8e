package useragent

// State is the state of a worker (Service Workers, 2.1).
type State string

// The states, by the words that scripts read them by.
const (
	Parsed     State = "parsed"
	Installing State = "installing"
	Installed  State = "installed"
	Activating State = "activating"
	Activated  State = "activated"
	Redundant  State = "redundant"
)

// Outcome is what a visitor gets of a page.
type Outcome string

// The outcomes, as the design has them.
const (
	Whole   Outcome = "whole"    // its own content and all that it asks for
	Partial Outcome = "partial"  // its own content, something is missing
	StandIn Outcome = "stand-in" // another document in its place
	Lost    Outcome = "lost"     // a network error page
	Stuck   Outcome = "stuck"    // no document in time
)
