package document

import (
	"time"

	"tachyform/internal/page"
	"tachyform/internal/useragent/account"
	"tachyform/internal/useragent/fetch"
)

// View is what opening a page led to.
// It is a value for those who judge; each field is one fact.
type View struct {
	URL string
	// FinalURL is the address after redirects.
	FinalURL string
	Status   int
	Title    string
	// Source tells where the document came from.
	Source fetch.Source
	// FromWorker is true when a service worker answered.
	FromWorker bool
	// Failed is true for a network error page, Stuck when no document came in time; Reason says why.
	Failed, Stuck bool
	Reason        fetch.Failure
	Document      *page.Document
	// Response is the document's response.
	Response *fetch.Response
	Loads    []*Load
	// Controlled tells whether a worker controls the page once it is loaded.
	Controlled bool
	// At is when the document was there, Elapsed when everything was.
	At, Elapsed time.Duration
	// Registrations are the page's calls of navigator.serviceWorker.register.
	Registrations []page.Registration
	// RegisterErrors are refusals of registrations that the page tried.
	RegisterErrors []string
	// Drawn says how far its scripts were run, Documents how many documents its tab has loaded, Asked what these asked for
	// on their own origin; see Tab.Take.
	Drawn     Drawn
	Documents int
	Asked     []string
	// Scripted says that scripts have changed the document.
	Scripted bool
	// Errors are those that no script of the page caught.
	Errors []ScriptError
	// Gaps are what its scripts used and this user agent lacks.
	Gaps []account.Gap
	// Shadows is what stands in shadow trees.
	Shadows Shadows
	// Pressables is what can be pressed on the page, where Options ask for that.
	Pressables []Pressable

	kept      *kept // of a view whose document is gone
	reader    *page.Reader
	hostKnows func(url string) bool
	fallsBack func(url string) bool
	styles    map[string]*page.Style
}

// Missing lists the URLs that the page asked for and did not get, without what is fetched in the background.
func (v *View) Missing() []string {
	var list []string
	seen := map[string]bool{}
	for _, l := range v.Loads {
		if (l.Missing || !l.Done) && !l.Background && !seen[l.URL] {
			seen[l.URL] = true
			list = append(list, l.URL)
		}
	}
	return list
}
