package handover

import (
	"slices"

	"tachyform/internal/rehearsal"
	"tachyform/internal/request"
	"tachyform/internal/site"
	"tachyform/internal/useragent/account"
	"tachyform/internal/useragent/document"
	"tachyform/internal/weburl"
)

// Step is what a visitor has come to at one moment of a scenario. Its fields are the members of the JSON contract.
type Step struct {
	Name string `json:"step"`
	// URL is the page that was asked for, path and query on the site's own origin.
	URL     string            `json:"url"`
	Outcome rehearsal.Outcome `json:"outcome"`
	Title   string            `json:"title"`
	// Document and Files say from which release the bytes are that are shown: of the document, and of all that it asked for.
	Document Whose            `json:"document"`
	Files    map[string]Whose `json:"files"`
	// Controlled says that a worker controls the page, Waiting that another one waits to take over.
	Controlled bool `json:"controlled"`
	Waiting    bool `json:"waiting"`
	// Requests and Bytes are what the hosts answered in the step, to pages and workers, without manifest and icons.
	Requests int   `json:"requests"`
	Bytes    int64 `json:"bytes"`
	// Text is what the page shows, nil where there is no document; Documents how many its tab loaded.
	Text      *string `json:"text"`
	Documents int     `json:"documents"`
	// Stored is how many bytes are in caches at the end of the step, Told how often scripts of pages heard of a worker: by a
	// message of its, or by an event that they listen to.
	Stored int64 `json:"stored"`
	Told   int   `json:"told"`
	// Failed says why a worker could not be installed in the step, "" where none failed.
	Failed string `json:"failed,omitempty"`
	// Errors are those that no script of the page caught.
	Errors []string `json:"errors,omitempty"`

	// since is what the visitor had done since the last deployment.
	since Moves
	// code holds those of Files that make the page what it is; data may be of another day than they.
	code map[string]bool
}

// Mixed says whether one document ran with code, styles or frames of both releases, and names a file that is of another than the document
// (or, where the document is alike in both, one of the old release).
func (s *Step) Mixed() (file string, mixed bool) {
	has := map[Whose]string{}
	if s.Document == Old || s.Document == New {
		has[s.Document] = s.URL
	}
	for _, f := range s.sorted() {
		if w := s.Files[f]; s.code[f] && (w == Old || w == New) && has[w] == "" {
			has[w] = f
		}
	}
	if has[Old] == "" || has[New] == "" {
		return "", false
	}
	for _, w := range []Whose{Old, New} {
		if has[w] != s.URL {
			return has[w], true
		}
	}
	return has[Old], true
}

// Arrived says whether a release is shown wholly: nothing of the other one is.
func (s *Step) Arrived(release Whose) bool {
	if s.Document != release && s.Document != Same {
		return false
	}
	for f, w := range s.Files {
		if s.code[f] && (w == Old || w == New) && w != release {
			return false
		}
	}
	return true
}

func (s *Step) sorted() (list []string) {
	for f := range s.Files {
		list = append(list, f)
	}
	slices.Sort(list)
	return list
}

// watch counts what the hosts answer and what workers tell pages.
func (v *visitor) watch() {
	v.events = nil
	v.b.Record(&v.events)
	v.b.Watch(func(r *site.Request, resp *site.Response) {
		url := r.URL.Href(true)
		if v.truth.aside(url) || resp == nil {
			return
		}
		v.requests++
		if resp.Body != nil {
			v.bytes += resp.Body.Len()
		}
	})
}

// note looks at a tab at the end of a step.
func (v *visitor) note(name, tab string) {
	for _, t := range v.tabs {
		v.b.Take(t)
		t.View.Controlled = t.IsControlled()
	}
	t := v.tabs[tab]
	if t == nil {
		return
	}
	s := v.look(t.View)
	s.Name, s.since = name, v.moves
	s.Requests, s.Bytes, s.Told = v.requests, v.bytes, v.messages
	v.requests, v.bytes, v.messages = 0, 0, 0
	for _, c := range v.b.Caches() {
		for _, e := range c.Entries {
			s.Stored += e.Bytes
		}
	}
	v.most = max(v.most, s.Stored)
	if g, has := v.b.RegistrationFor(t.View.URL); has && g.Waiting != nil {
		s.Waiting = true
	}
	if failures := v.b.Failures(); len(failures) > v.failures {
		v.failures = len(failures)
		s.Failed = failures[len(failures)-1].Error
	}
	v.steps = append(v.steps, s)
}

// notePages opens the other pages that were visited on the old release, as they are shown at the end.
func (v *visitor) notePages() {
	for i, url := range v.in.Visit {
		if url == v.entry() || slices.Contains(v.in.Visit[:i], url) {
			continue
		}
		v.open("", url)
		v.note(v.steps[len(v.steps)-1].Name, "")
		v.pages = append(v.pages, v.steps[len(v.steps)-1])
		v.steps = v.steps[:len(v.steps)-1]
	}
}

// look says of a view from which release it is.
func (v *visitor) look(view *document.View) *Step {
	s := &Step{URL: v.truth.local(view.URL), Title: view.Title, Files: map[string]Whose{}, code: map[string]bool{}, Controlled: view.Controlled,
		Documents: view.Documents}
	for _, e := range view.Errors {
		s.Errors = append(s.Errors, e.Text)
	}
	if view.Failed || view.Stuck || view.Response == nil {
		s.Document = Missing
	} else {
		s.Document = v.truth.whose(view.FinalURL, view.Response.Actual())
		text := view.Text()
		s.Text = &text
	}
	for _, l := range view.Loads {
		if l.Background || l.Destination == request.Manifest || v.truth.aside(l.URL) {
			continue
		}
		whose := Missing
		if !l.Missing && l.Done && l.Answer != nil {
			whose = v.truth.whose(l.URL, l.Answer)
		} else if !l.Missing && l.Done {
			whose = Other
		}
		// A file that a page has twice, from both releases, counts as the worse of them.
		path := v.truth.local(l.URL)
		switch l.Destination {
		case request.Script, request.Style, request.Frame, request.Worker, request.SharedWorker:
			s.code[path] = true
		}
		if there, twice := s.Files[path]; !twice || there == Same || whose == Old {
			s.Files[path] = whose
		}
	}
	delete(s.Files, v.truth.local(weburl.WithoutFragment(view.FinalURL)))
	s.Outcome = v.judge(view, s).Outcome
	return s
}

// judge compares with the release that the document is of, online and without a worker.
func (v *visitor) judge(view *document.View, s *Step) *rehearsal.PageOutcome {
	of := v.in.newest()
	if s.Document == Old || s.Document == Same && slices.ContainsFunc(s.sorted(), func(f string) bool { return s.Files[f] == Old }) {
		of = v.truth.oldOf(view)
	}
	return rehearsal.Judge(v.b, view, v.truth.reference(of, view.URL, false),
		func() *document.View { return v.truth.reference(of, view.URL, true) })
}

// What a visitor does.

// arrive opens the pages that are visited, one after the other in one tab.
func (v *visitor) arrive() {
	for _, url := range v.in.Visit {
		v.open("", url)
	}
}

func (v *visitor) open(tab, url string) {
	v.moves.Visits++
	v.listen(func() { v.tabs[tab] = v.b.Open(url, v.tabs[tab]) })
}

func (v *visitor) reload(tab string) {
	if t := v.tabs[tab]; t != nil {
		v.moves.Reloads++
		v.listen(func() { v.tabs[tab] = v.b.Reload(t, false) })
	}
}

func (v *visitor) close(tab string) {
	if t := v.tabs[tab]; t != nil {
		v.listen(func() { v.b.CloseTab(t) })
		delete(v.tabs, tab)
	}
}

// quit closes all tabs and ends the browser.
func (v *visitor) quit() {
	v.moves.Restarts++
	for tab := range v.tabs {
		v.b.CloseTab(v.tabs[tab])
	}
	clear(v.tabs)
	v.listen(func() {})
	v.b.StopWorkers()
}

// listen does something, lets it come to rest, and counts how often pages heard of workers meanwhile.
func (v *visitor) listen(do func()) {
	first := len(v.events)
	do()
	v.b.Settle()
	for _, e := range v.events[first:] {
		switch {
		case e.Kind == account.EventMessage && !e.Received, e.Kind == account.EventPage && e.Page == account.PageHears:
			v.messages++
		}
	}
}

// deploy puts a release in its place. What the visitor did and fetched before is no part of the update.
func (v *visitor) deploy(hosts ...site.Host) {
	v.moves, v.requests, v.bytes, v.messages = Moves{}, 0, 0, 0
	v.b.Deploy(hosts...)
}
