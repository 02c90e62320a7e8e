package handover

import (
	"slices"
)

// Scenario is what a visitor went through. Its fields are the members of the JSON contract.
type Scenario struct {
	Name  string  `json:"name"`
	Steps []*Step `json:"steps"`
	// Pages are the other visited pages as they are shown at the end, of the scenario "returning" alone.
	Pages []*Step `json:"pages,omitempty"`
	// Arrival says when the new release was wholly there.
	Arrival Arrival `json:"arrival"`
	// Mixtures are the moments at which one document ran with files of two releases.
	Mixtures []Mixture `json:"mixtures"`
	// Loops names the steps in which a tab loaded document after document.
	Loops []string `json:"loops,omitempty"`
	// Failed are installations of workers that failed.
	Failed []Failure `json:"failed,omitempty"`
	// Lost names the steps that showed no page of the site at all.
	Lost []string `json:"lost,omitempty"`
	// Requests and Bytes are those of all steps after the old release, Stored is the most that caches held at once.
	Requests int   `json:"requests"`
	Bytes    int64 `json:"bytes"`
	Stored   int64 `json:"stored"`
	// Left are caches of the old release that are there at the end and that nobody has who knows the new one alone.
	Left []string `json:"left,omitempty"`
	// Told names the first step after the old release in which scripts of a page heard of the new worker, "" for none.
	Told string `json:"told,omitempty"`
}

// Arrival says when a release was wholly there.
type Arrival struct {
	// Arrives says that it was, at Step, and at each step after it.
	Arrives bool   `json:"arrives"`
	Step    string `json:"step,omitempty"`
	Moves
	// Why says what kept it from arriving, or what it waited for.
	Why Why `json:"why,omitempty"`
}

// Moves are how often a visitor came, reloaded, or closed all tabs, since the last deployment.
type Moves struct {
	Visits   int `json:"visits"`
	Reloads  int `json:"reloads"`
	Restarts int `json:"restarts"`
}

// Why is what keeps a release.
type Why string

// What that may be.
const (
	Waits    Why = "waits"    // the new worker waits for tabs to be closed
	Frozen   Why = "frozen"   // what was kept is shown, and nothing ever replaces it
	Fails    Why = "fails"    // the new worker cannot be installed
	Mixes    Why = "mixes"    // parts of the old release stay among the new ones
	NotShown Why = "notshown" // no page is shown
)

// Mixture is a moment at which one document ran with files of two releases.
type Mixture struct {
	Step     string `json:"step"`
	URL      string `json:"url"`
	Document Whose  `json:"document"`
	File     string `json:"file"`
	Whose    Whose  `json:"whose"`
	// ByHost says that the host itself served the two, no worker being in between.
	ByHost bool `json:"by_host"`
	// Errors are what scripts of the page said.
	Errors []string `json:"errors,omitempty"`
}

// Failure is an installation that failed.
type Failure struct {
	Step string `json:"step"`
	Text string `json:"text"`
}

// loops is how many documents in one step are one too many: a page may load itself anew once for a release.
const loops = 4

// conclude says what the steps came to.
func (v *visitor) conclude(s *Scenario) {
	s.Mixtures = []Mixture{}
	for i, step := range s.Steps {
		if i > 0 || step.Name != "old" {
			s.Requests += step.Requests
			s.Bytes += step.Bytes
		}
		if step.Documents >= loops {
			s.Loops = append(s.Loops, step.Name)
		}
		if step.Failed != "" {
			s.Failed = append(s.Failed, Failure{step.Name, step.Failed})
		}
		if step.Document == Missing {
			s.Lost = append(s.Lost, step.Name)
		}
		if s.Told == "" && step.Told > 0 && step.Name != "old" {
			s.Told = step.Name
		}
	}
	for _, step := range slices.Concat(s.Steps, s.Pages) {
		if file, mixed := step.Mixed(); mixed {
			s.Mixtures = append(s.Mixtures, Mixture{step.Name, step.URL, step.Document, file, step.Files[file],
				!step.Controlled, step.Errors})
		}
	}
	s.Stored = v.most
	wanted, gone, stay := New, append([]string{earlierCache}, v.truth.oldCaches...), v.truth.newCaches
	if s.Name == RolledBack {
		wanted, gone, stay = Old, v.truth.newCaches, v.truth.oldCaches
	}
	for _, c := range v.b.Caches() {
		if slices.Contains(gone, c.Name) && !slices.Contains(stay, c.Name) {
			s.Left = append(s.Left, c.Name)
		}
	}
	s.Arrival = arrivalOf(s, wanted)
}

// Behind is a page that is not shown at the end as a release has it, though it is shown, nil for none.
func (s *Scenario) Behind(release Whose) *Step {
	for _, p := range s.Pages {
		if p.Document != Missing && p.Document != Other && !p.Arrived(release) {
			return p
		}
	}
	return nil
}

// arrivalOf finds from which step on the new release is shown wholly.
func arrivalOf(s *Scenario, wanted Whose) Arrival {
	// Without a worker there is nothing offline; whether that is lost is another question.
	if n := len(s.Steps); n > 1 && s.Steps[n-1].Name == "offline" && s.Steps[n-1].Document == Missing {
		shorter := *s
		shorter.Steps = s.Steps[:n-1]
		return arrivalOf(&shorter, wanted)
	}
	at := len(s.Steps)
	for at > 0 && s.Steps[at-1].Arrived(wanted) {
		at--
	}
	if s.Behind(wanted) != nil && at < len(s.Steps) {
		return Arrival{Why: Mixes}
	}
	if at < len(s.Steps) {
		a := Arrival{Arrives: true, Step: s.Steps[at].Name, Moves: s.Steps[at].since}
		if at > 0 && s.Steps[at-1].Waiting {
			a.Why = Waits
		}
		return a
	}
	last := s.Steps[len(s.Steps)-1]
	a := Arrival{Moves: last.since}
	switch _, mixed := last.Mixed(); {
	case last.Document == Missing:
		a.Why = NotShown
	case len(s.Failed) > 0:
		a.Why = Fails
	case last.Waiting:
		a.Why = Waits
	case mixed:
		a.Why = Mixes
	default:
		a.Why = Frozen
	}
	return a
}
