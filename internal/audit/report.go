// Package audit judges a site: would each kind of browser install it, does every page work offline, and why not.
package audit

import (
	"tachyform/internal/icon"
	"tachyform/internal/manifest"
	"tachyform/internal/rehearsal"
	"tachyform/internal/survey"
	"tachyform/internal/useragent/account"
	"tachyform/internal/useragent/document"
)

// Weights of findings, heaviest first.
const (
	Blocker = "blocker"
	Risk    = "risk"
	Polish  = "polish"
)

// Heavier says whether weight a is at least as heavy as b.
func Heavier(a, b string) bool { return rank(a) <= rank(b) }

func rank(w string) int {
	switch w {
	case Blocker:
		return 0
	case Risk:
		return 1
	}
	return 2
}

// Report is the audit's result in the form of its JSON contract.
// Its fields are the members of the JSON contract.
type Report struct {
	Schema   string                    `json:"schema"`
	Site     string                    `json:"site"`
	Origin   string                    `json:"origin"`
	Entry    string                    `json:"entry"`
	Targets  map[string]*TargetVerdict `json:"targets"`
	Manifest *ManifestReport           `json:"manifest"`
	Worker   *WorkerReport             `json:"worker"`
	Visits   []*VisitReport            `json:"visits"`
	Pages    []*PageReport             `json:"pages"`
	// Unclicked counts pages whose links were not clicked, since there are so many.
	Unclicked int `json:"unclicked,omitempty"`
	// Unpressed counts buttons that were not pressed, since there are so many.
	Unpressed int `json:"unpressed,omitempty"`
	// NotSent are requests that scripts made and that a live site was not sent.
	NotSent  []string   `json:"not_sent,omitempty"`
	Findings []*Finding `json:"findings"`
	Summary  Summary    `json:"summary"`
	// Override lists the checks whose weight the project file changes, Since what changed after an earlier audit.
	Changed []Override `json:"changed,omitempty"`
	// Handover is what people get who have an earlier release, nil where that was not asked for.
	Handover *HandoverReport `json:"handover,omitempty"`
	Since    *Comparison     `json:"since,omitempty"`
	// Browser is what a real browser reported, nil without one.
	Browser *BrowserReport `json:"browser,omitempty"`

	// Name is the app's name in the project file.
	Name string `json:"-"`
	// Sheet is a contact sheet of the icons, if one was asked for.
	Sheet *icon.Sheet `json:"-"`
	// Rehearsal and Graph hold what the report was made from.
	Rehearsal *rehearsal.Result `json:"-"`
	Graph     *survey.Graph     `json:"-"`
}

// BrowserReport is what a real browser reported about installing.
type BrowserReport struct {
	Name string `json:"name"`
	// Installable is nil if the browser does not report it. Refusals are its reasons.
	Installable *bool    `json:"installable"`
	Refusals    []string `json:"refusals"`
}

// TargetVerdict says whether a kind of browser would install the app, and which findings stand in the way.
type TargetVerdict struct {
	Installable bool     `json:"installable"`
	Blockers    []string `json:"blockers"`
	// Risks and Polish count the findings of these weights there.
	Risks  int `json:"risks"`
	Polish int `json:"polish"`
	// Appearance is what a person meets there, nil where the manifest tells nothing.
	Sees *Appearance `json:"sees,omitempty"`
}

// ManifestReport is the manifest as the browser reads it.
type ManifestReport struct {
	URL       string              `json:"url"`
	Processed *manifest.Processed `json:"processed"`
}

// WorkerReport is what the visited pages' registration came to.
type WorkerReport struct {
	URL    string              `json:"url"`
	Scope  string              `json:"scope"`
	State  account.State       `json:"state"`
	Error  *string             `json:"error"`
	Caches map[string][]string `json:"caches"`
}

// PageReport is one page under every condition tried.
type PageReport struct {
	URL   string                 `json:"url"`
	Title string                 `json:"title"`
	Under map[string]*PageResult `json:"under"`
	// Variants are other ways in which the start page was opened offline, and had another outcome.
	Variants []VariantReport `json:"variants,omitempty"`
}

// VariantReport is the outcome of the start page in one variant.
type VariantReport struct {
	Variant string            `json:"variant"`
	Outcome rehearsal.Outcome `json:"outcome"`
	Known   bool              `json:"known"`
}

// Drawing is what a page showed once its scripts had run.
type Drawing struct {
	// Text is the beginning of what it shows as text, nil where there is no document; Links are paths on its own origin.
	Text  *string  `json:"text"`
	Links []string `json:"links"`
	// Documents is how many documents its tab loaded, 0 where only the fragment changed; Address is where it ended.
	Documents int    `json:"documents"`
	Address   string `json:"address"`
	// Drawn says how far scripts ran.
	Drawn document.Drawn `json:"drawn"`
}

// VisitReport is one of the visits that are made online first.
type VisitReport struct {
	URL   string `json:"url"`
	Title string `json:"title"`
	Drawing
	// Requests are the paths on the page's own origin that were asked for, whoever answered.
	Requests []string `json:"requests"`
}

// PageResult is what a visitor gets.
type PageResult struct {
	Drawing
	Outcome    rehearsal.Outcome `json:"outcome"`
	Status     int               `json:"status"`
	Title      string            `json:"title"`
	AnsweredBy string            `json:"answered_by"`
	Missing    []string          `json:"missing"`
	MS         int64             `json:"ms"`
	// Known is false where the outcome can't be relied on, for the reason that Why gives.
	Known bool   `json:"known"`
	Why   string `json:"why,omitempty"`
	// Confirmed is the result of a real browser, which Outcome is taken from.
	Confirmed *Confirmation `json:"confirmed,omitempty"`
	// ClickedOn is the page on which the link stands whose click had this outcome; opened by its address the page is whole.
	ClickedOn string `json:"clicked_on,omitempty"`
	// Pressed is the name of the button on the page whose press had this outcome; before it the page is whole.
	Pressed string `json:"pressed,omitempty"`
	// Lacks is what the page draws online and not here, shortened.
	Lacks string `json:"lacks,omitempty"`
}

// Finding is one thing the audit says.
type Finding struct {
	Code     string `json:"code"`
	Weight   string `json:"weight"`
	Title    string `json:"title"`
	Where    Where  `json:"where"`
	Evidence string `json:"evidence"`
	Reason   string `json:"reason"`
	Mend     string `json:"mend"`
	Standard string `json:"standard,omitempty"`
	// Pages is how many pages the evidence speaks of, 0 where it is one place alone.
	Pages int `json:"-"`
	// Targets are those on which it is felt, Weights how heavily on each.
	Targets []string          `json:"targets,omitempty"`
	Weights map[string]string `json:"weights,omitempty"`
	// settled are the targets on which an entry of audit.weights for some pages has given the weight.
	settled []string
}

// Where is a finding's place.
type Where struct {
	File   string `json:"file,omitempty"`
	Line   int    `json:"line,omitempty"`
	Column int    `json:"column,omitempty"`
	URL    string `json:"url,omitempty"`
}

// Summary counts the findings. Verdict is "ready", "not ready" or "not known": nothing speaks against it, but of
// Unknown pages the outcome is not known.
type Summary struct {
	Verdict  string `json:"verdict"`
	Blockers int    `json:"blockers"`
	Risks    int    `json:"risks"`
	Polish   int    `json:"polish"`
	Unknown  int    `json:"unknown"`
	// Confirmed counts pages whose outcome a real browser confirmed; ConfirmedBy lists browser and date.
	Confirmed   int      `json:"confirmed,omitempty"`
	ConfirmedBy []string `json:"confirmed_by,omitempty"`
	// Whole counts the pages that are whole offline, StandIn those that the stand-in is shown for; AfterFirst counts those
	// of the whole ones that are so after the first visit alone.
	Whole      int `json:"whole"`
	StandIn    int `json:"stand_in"`
	AfterFirst int `json:"whole_after_first"`
}
