package account

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
