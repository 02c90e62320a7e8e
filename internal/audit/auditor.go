package audit

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"fmt"
	"maps"
	"net/http"
	"path/filepath"
	"slices"
	"sort"
	"strings"

	whatwg "github.com/nlnwa/whatwg-url/url"

	"tachyform/internal/condition"
	"tachyform/internal/handover"
	"tachyform/internal/page"
	"tachyform/internal/project"
	"tachyform/internal/rehearsal"
	"tachyform/internal/site"
	"tachyform/internal/survey"
	"tachyform/internal/useragent"
	"tachyform/internal/useragent/document"
	"tachyform/internal/useragent/fetch"
	"tachyform/internal/weburl"
	"tachyform/internal/worker"
)

// What is judged here.
var keepPrivate = newCheck(Check{
	Code: "keep.private", Weight: Risk, Rank: 440,
	Title:    "Answers meant for one person are kept",
	Reason:   "On a shared device the next person can read them, also after signing out.",
	Mend:     "answer those requests from the network only, or have signing out call tachyform.forget()",
	Standard: "RFC 9111, 5.2.2.7; RFC 6265, 3",
	Example:  "/account/ sets a cookie, and the worker keeps every page that is visited.",
})

// Input is what is judged.
type Input struct {
	Project *project.Project
	// Name is the site as it was named.
	Name string
	Host site.Host
	// Folder is the host when it is a folder, else nil.
	Folder *site.Folder
	Others []site.Host
	// Conditions are tried beside offline, which always is; nil means stalled.
	Conditions []condition.Condition
	// Kind is the kind of browser that is rehearsed in; nil means desktop Chromium.
	Kind *useragent.Kind
	// Trusted counts the site's origin as secure whatever its scheme.
	Trusted bool
	// HTTPCache gives the browser an HTTP cache. Verdicts do not rely on one: browsers remove entries at any time.
	HTTPCache bool
	// Before are earlier releases, oldest first, that the site is handed over from as well; nil for none.
	Before []handover.Release
	// Confirmed are results of real browsers for the bytes of this site.
	Confirmed []Confirmation
	Progress  func(done, all int)
}

// auditor collects findings.
// Every check is a method of it, in the file of its family.
type auditor struct {
	Input
	ctx    context.Context
	reader *page.Reader
	origin string
	graph  *survey.Graph
	// strained is how many limits scripts have exhausted so far.
	strained int
	report   *Report
	pages    []string // absolute URLs
	ran      *rehearsal.Result
	plan     *rehearsal.Rehearsal
	// iconsLater judges the icons, which are examined meanwhile; nil without any manifest.
	iconsLater func()
	// later judges what was begun beside other work.
	later []func() error
	// judging tells that findings are wanted, not a rehearsal alone.
	judging bool
	// accepted counts by the number of an entry of audit.weights the pages that it has weighed.
	accepted map[int]int
	// byPage are the entries of audit.weights that are for some pages only.
	byPage []pageWeight
	// documents are the pages as served, by absolute URL.
	documents map[string]*page.Document
}

func newAuditor(ctx context.Context, in Input) *auditor {
	return &auditor{Input: in, ctx: ctx, origin: in.Host.Origin(), documents: map[string]*page.Document{}, accepted: map[int]int{},
		byPage: pageWeights(in.Project, in.Host.Origin()),
		reader: &page.Reader{},
		report: &Report{Site: in.Name, Origin: in.Host.Origin(), Entry: in.Project.Audit.Entry,
			Targets: map[string]*TargetVerdict{}, Findings: []*Finding{}, Pages: []*PageReport{}, Visits: []*VisitReport{}}}
}

// Run judges a site.
func Run(ctx context.Context, in Input) (*Report, error) {
	if err := checkSettings(in.Project); err != nil {
		return nil, err
	}
	ctx, cancel := context.WithCancel(ctx)
	a := newAuditor(ctx, in)
	a.judging = true
	defer func() {
		// What was begun beside other work ends before this does, however it ends.
		cancel()
		for _, judge := range a.later {
			_ = judge()
		}
	}()
	a.report = &Report{Schema: "tachyform.audit/1", Site: in.Name, Origin: a.origin, Entry: in.Project.Audit.Entry,
		Targets: map[string]*TargetVerdict{}, Findings: []*Finding{}, Pages: []*PageReport{}, Visits: []*VisitReport{},
		Name: in.Project.App.Text("name")}
	for _, t := range in.Project.Audit.Targets {
		a.report.Targets[t] = &TargetVerdict{Installable: true, Blockers: []string{}}
	}
	if err := a.collect(); err != nil {
		return nil, err
	}
	start := a.install()
	a.addAppearances(a.documents[a.absolute(in.Project.Audit.Entry)])
	err := a.rehearse(start)
	if a.iconsLater != nil {
		a.iconsLater()
	}
	if err != nil {
		return nil, err
	}
	a.checkHeads()
	a.checkTagNames()
	a.checkLinks()
	a.checkRoutes()
	a.checkRefusedAnswers()
	a.checkContent()
	a.checkCompression()
	a.checkDelivery()
	a.checkAssetLinks()
	a.judgeStart()
	a.checkOffline(start)
	if err := a.checkRequests(); err != nil {
		return nil, err
	}
	err = a.tryVariants()
	for len(a.later) > 0 {
		judge := a.later[0]
		a.later = a.later[1:]
		err = errors.Join(err, judge())
	}
	if err != nil {
		return nil, err
	}
	if len(in.Before) > 0 {
		if a.report.Handover, err = a.handOver(in.Before, nil); err != nil {
			return nil, err
		}
	}
	a.checkLimits()
	a.confirm()
	a.checkKnown()
	a.applyOverrides()
	a.summarise()
	return a.report, nil
}

// Rehearse runs the default rehearsal alone: the report has pages, worker and caches, but no findings.
func Rehearse(ctx context.Context, in Input) (*Report, error) {
	a := newAuditor(ctx, in)
	a.report.Schema = "tachyform.rehearsal/1"
	if err := a.collect(); err != nil {
		return nil, err
	}
	if err := a.rehearse(""); err != nil {
		return nil, err
	}
	a.judgeStart()
	return a.report, nil
}

// collect finds the pages.
func (a *auditor) collect() error {
	entry := a.absolute(a.Project.Audit.Entry)
	if a.Folder != nil {
		var err error
		if a.graph, err = survey.BuildGraph(a.ctx, a.Folder, a.reader); err != nil {
			return err
		}
		a.report.Graph = a.graph
		for _, p := range a.graph.PagePaths() {
			if a.answersOthers(p) || a.graph.Pages[p].Fragment && p != a.Project.Audit.Entry {
				continue
			}
			a.pages = append(a.pages, a.origin+p)
			a.documents[a.origin+p] = a.graph.Pages[p]
		}
	} else {
		a.pages = rehearsal.PagesOf(a.ctx, a.Host, entry, a.Project.Audit.Crawl.AtMost, a.Project.Audit.Crawl.Depth)
	}
	for _, p := range append([]string{a.Project.Audit.Entry},
		append(slices.Clone(a.Project.Audit.Visit), a.Project.Audit.Pages...)...) {
		if u := a.absolute(p); !slices.Contains(a.pages, u) {
			a.pages = append(a.pages, u)
		}
	}
	return a.ctx.Err()
}

// answersOthers says whether a page is none that people open: what the host, or the worker, answers with in the place of
// others.
func (a *auditor) answersOthers(path string) bool {
	s := a.Project.Worker.StandIns
	made := a.Folder.File(strings.TrimPrefix(s.Page, a.Project.Addr))
	return path != a.Project.Audit.Entry &&
		(a.Folder.AnswersWith(path) || s.MakePage && made != nil && a.Folder.PathOf(made) == path)
}

func (a *auditor) absolute(path string) string { return absolute(a.origin, path) }

func absolute(origin, path string) string {
	if u, ok := page.Resolve(origin+"/", path); ok {
		if _, fragment, has := strings.Cut(path, "#"); has {
			u += "#" + fragment // which a router may read
		}
		return u
	}
	return origin + path
}

// local writes URLs on the site's own origin as path and query.
func (a *auditor) local(url string) string {
	if rest, ok := strings.CutPrefix(url, a.origin); ok && strings.HasPrefix(rest, "/") {
		return rest
	}
	if weburl.Hostless(url) && len(url) > mostOfContent {
		return url[:mostOfContent] + "…"
	}
	return url
}

// mostOfContent is how much is shown of an address that holds the content itself, in bytes.
const mostOfContent = 40

// file names the file that answers at a URL, as a path that an editor opens, or "".
func (a *auditor) file(url string) string {
	if a.Folder == nil {
		return ""
	}
	if path, ok := strings.CutPrefix(url, a.origin); ok {
		path, _, _ = strings.Cut(path, "?")
		if f := a.Folder.FileAt(path); f != nil {
			return filepath.Join(a.Name, filepath.FromSlash(f.Path))
		}
	}
	return ""
}

// isRoute says whether a URL is one of several that the same file answers.
func (a *auditor) isRoute(url string) bool {
	path, ok := strings.CutPrefix(url, a.origin)
	if !ok || a.Folder == nil {
		return false
	}
	plain := weburl.WithoutQuery(weburl.WithoutFragment(path))
	f := a.Folder.FileAt(plain)
	return f != nil && (a.Folder.PathOf(f) != plain || strings.Contains(path, "#"))
}

func (a *auditor) place(url string, line, column int) Where {
	return Where{File: a.file(url), Line: line, Column: column, URL: a.local(url)}
}

// find adds a finding where one of the targets feels it; mend may be "" for the check's own.
func (a *auditor) find(check *Check, where Where, evidence, mend string) {
	a.findOn(a.Project.Audit.Targets, check, where, evidence, mend)
}

// findOn adds a finding that is about some targets only.
func (a *auditor) findOn(targets []string, check *Check, where Where, evidence, mend string) {
	f := a.add(targets, check, where, evidence, mend)
	if f == nil || where.URL == "" {
		return
	}
	if i := a.weighing(check.Code, a.absolute(where.URL)); i >= 0 {
		a.accepted[i]++
		a.reweigh(f, a.Project.Audit.Weights[i])
	}
}

// add adds a finding with the weights of its check, nil where none of the targets feels it.
func (a *auditor) add(targets []string, c *Check, where Where, evidence, mend string) *Finding {
	targets = slices.DeleteFunc(slices.Clone(targets), func(t string) bool { return a.report.Targets[t] == nil })
	heaviest, by := c.weighted(targets)
	if heaviest == "" {
		return nil
	}
	f := &Finding{Code: c.Code, Weight: heaviest, Title: c.Title, Where: where, Evidence: evidence, Reason: c.Reason,
		Mend: c.Mend, Standard: c.Standard, Weights: by}
	if mend != "" {
		f.Mend = mend
	}
	for _, t := range targets {
		if by[t] == "" {
			continue
		}
		f.Targets = append(f.Targets, t)
		if v := a.report.Targets[t]; slices.Contains(c.Stops, t) {
			v.Installable = false
			if !slices.Contains(v.Blockers, c.Code) {
				v.Blockers = append(v.Blockers, c.Code)
			}
		}
	}
	a.report.Findings = append(a.report.Findings, f)
	return f
}

// findPages adds one finding for several pages, and one for those that the project file weighs otherwise.
func (a *auditor) findPages(check *Check, urls []string, line, column int, what string) {
	plain, by := a.weighed(check.Code, urls)
	if len(plain) > 0 {
		a.addTogether(check, plain, line, column, what)
	}
	for _, i := range slices.Sorted(maps.Keys(by)) {
		if f := a.addTogether(check, by[i], line, column, what); f != nil {
			a.reweigh(f, a.Project.Audit.Weights[i])
		}
	}
}

// addTogether adds one finding for one or more pages.
func (a *auditor) addTogether(check *Check, urls []string, line, column int, what string) *Finding {
	evidence := what
	switch {
	case evidence == "":
		evidence = a.local(urls[0])
	case len(urls) == 1 && a.isRoute(urls[0]):
		evidence = a.local(urls[0]) + ": " + what
	}
	if len(urls) > 1 {
		var names []string
		for _, u := range urls[:min(len(urls), 4)] {
			names = append(names, a.local(u))
		}
		evidence = fmt.Sprintf("%d pages: %s", len(urls), strings.Join(names, ", "))
		if len(urls) > 4 {
			evidence += " …"
		}
		if what != "" {
			evidence += "; " + what
		}
	}
	f := a.add(a.Project.Audit.Targets, check, a.place(urls[0], line, column), evidence, "")
	if f != nil && len(urls) > 1 {
		f.Pages = len(urls)
	}
	return f
}

// request asks the site's own host for a URL, without following redirects.
func (a *auditor) request(url string) *site.Response { return a.requestFrom(a.Host, url) }

// requestFrom asks one host for a URL, without following redirects.
func (a *auditor) requestFrom(host site.Host, url string) *site.Response {
	u, err := whatwg.Parse(url)
	if err != nil {
		return nil
	}
	resp, err := host.Answer(a.ctx, &site.Request{Method: "GET", URL: u})
	if err != nil {
		return nil
	}
	return resp
}

// follow asks the host for a URL and follows redirects. It gives nil when nothing answers.
func (a *auditor) follow(url string) (*site.Response, string) {
	u, err := whatwg.Parse(url)
	for range 10 {
		if err != nil {
			return nil, url
		}
		host := a.Host
		for _, o := range a.Others {
			if o.Origin() == weburl.Origin(u) {
				host = o
			}
		}
		if weburl.Origin(u) != host.Origin() {
			return nil, u.Href(true)
		}
		ask := &site.Request{Method: "GET", URL: u, Header: http.Header{}}
		if a.ran != nil {
			if cookies := a.ran.Cookies(u); cookies != "" {
				ask.Header.Set("Cookie", cookies)
			}
		}
		resp, e := host.Answer(a.ctx, ask)
		if e != nil {
			return nil, u.Href(true)
		}
		if to := resp.Header.Get("Location"); resp.Status >= 300 && resp.Status < 400 && to != "" {
			u, err = u.Parse(to)
			continue
		}
		return resp, u.Href(true)
	}
	return nil, url
}

// Visits returns the URLs of the pages that are opened online first.
func (in *Input) Visits() (list []string) {
	for _, v := range in.Project.Audit.Visit {
		list = append(list, absolute(in.Host.Origin(), v))
	}
	return list
}

// rehearse runs the default rehearsal over all pages.
func (a *auditor) rehearse(start string) error {
	r := &rehearsal.Rehearsal{Strained: a.strained, Hosts: append([]site.Host{a.Host}, a.Others...), Progress: a.Progress, Reader: a.reader,
		ReadScripts: a.Project.Audit.Scripts == "read", OneProfile: a.Project.Audit.Profile == "yes",
		HostKnows: a.hostKnows(), HTTPCache: a.HTTPCache, Lean: true}
	r.Visit = a.Visits()
	if start != "" && !slices.Contains(a.pages, start) {
		a.pages = append([]string{start}, a.pages...)
	}
	r.Pages = a.pages
	r.Follow = &rehearsal.Following{AtMost: len(a.pages) + mostFound, Depth: a.Project.Audit.Crawl.Depth}
	if a.Folder != nil {
		r.Follow.Same = a.Folder.WithSlash
	} else {
		r.Follow.AtMost, r.Follow.Allows = a.Project.Audit.Crawl.AtMost, site.AskRobots(a.ctx, a.Host).Allows
	}
	r.Known = a.knownScript()
	r.Clicks = rehearsal.MostClicks
	if presses(a.Project, a.Folder != nil) {
		r.Presses = rehearsal.MostPresses
	}
	if !r.OneProfile && !r.ReadScripts {
		r.Start = cmp.Or(start, a.absolute(a.Project.Audit.Entry))
	}
	r.Asks, r.Kind, r.Present = a.scriptedRequests(), a.Kind, a.present()
	if a.judging {
		r.Probes, r.Series = a.probes()
	}
	conditions := a.Conditions
	if conditions == nil {
		conditions = []condition.Condition{condition.Stalled}
	}
	r.Conditions = []condition.Condition{condition.Offline}
	for _, c := range conditions {
		if c.Name != condition.Offline.Name {
			r.Conditions = append(r.Conditions, c)
		}
	}
	var err error
	if a.ran, err = r.Run(a.ctx); a.ran != nil {
		a.strained = max(a.strained, a.ran.Strained)
	}
	if err != nil {
		return err
	}
	a.report.Rehearsal = a.ran
	a.plan = r
	for _, v := range a.ran.Visits {
		a.report.Visits = append(a.report.Visits, &VisitReport{URL: a.local(v.URL), Title: v.Title, Drawing: a.drawing(v),
			Requests: append([]string{}, v.Asked...)})
		if v.Document != nil && a.documents[v.URL] == nil {
			a.documents[v.URL] = v.Document
		}
	}
	a.worker()
	for _, n := range a.ran.NotSent {
		a.report.NotSent = append(a.report.NotSent, a.localRequest(n))
	}
	slices.Sort(a.report.NotSent)
	a.report.Unclicked, a.report.Unpressed = a.ran.Unclicked, a.ran.Unpressed
	for _, p := range a.ran.Pages {
		if p.Found {
			a.pages = append(a.pages, p.URL)
		} else if a.documents[p.URL] != nil && p.Document != nil && p.Seen.Scripted {
			a.documents[p.URL] = p.Document
		}
		out := &PageReport{URL: a.local(p.URL), Title: p.Title, Under: map[string]*PageResult{}}
		for name, o := range p.Under {
			out.Under[name] = a.pageResult(o)
		}
		a.report.Pages = append(a.report.Pages, out)
	}
	return nil
}

// pageResult is an outcome as the report has it.
func (a *auditor) pageResult(o *rehearsal.PageOutcome) *PageResult {
	res := &PageResult{Outcome: o.Outcome, Status: o.Status, Title: o.Title, AnsweredBy: answeredBy(o.AnsweredBy),
		Missing: []string{}, MS: o.Elapsed.Milliseconds(), Known: o.Doubt == nil, Why: a.why(o.Doubt),
		Drawing: a.drawing(o.View), Lacks: a.lacks(o)}
	if o.From != "" {
		res.ClickedOn = a.local(o.From)
	}
	res.Pressed = o.Pressed
	for _, l := range o.Missing {
		res.Missing = append(res.Missing, a.local(l.URL))
	}
	sort.Strings(res.Missing)
	return res
}

// drawing is what a view showed.
func (a *auditor) drawing(v *document.View) Drawing {
	d := Drawing{Links: v.Links(), Documents: v.Documents, Address: a.local(orDefault(v.FinalURL, v.URL)), Drawn: v.Drawn}
	if !v.Failed && !v.Stuck {
		text := v.Text()
		d.Text = &text
	}
	return d
}

// mostLacking bounds how much of what is not drawn is shown, in characters.
const mostLacking = 80

// lacks is what a page draws online and not here, shortened, "" for nothing.
func (a *auditor) lacks(o *rehearsal.PageOutcome) string {
	var list []string
	for _, word := range o.Lacks {
		list = append(list, a.local(word))
	}
	letters := []rune(strings.Join(list, " "))
	if len(letters) > mostLacking {
		return string(letters[:mostLacking-1]) + "…"
	}
	return string(letters)
}

// hostKnows says of addresses whether the project file tells how the host answers there; nil for a host that is asked
// itself.
func (a *auditor) hostKnows() func(url string) bool {
	if a.Folder == nil {
		return nil
	}
	var patterns []*site.Pattern
	add := func(match string) {
		if p, err := site.NewPattern(match, a.origin); err == nil {
			patterns = append(patterns, p)
		}
	}
	for _, s := range a.Project.Host.Statuses {
		add(s.Match)
	}
	for _, r := range a.Project.Host.Redirects {
		add(r.Match)
	}
	return func(url string) bool {
		return a.Folder.States(url) || slices.ContainsFunc(patterns, func(p *site.Pattern) bool { return p.Match(url) })
	}
}

// mostFound bounds how many pages of a folder are tried that no file stands for, which links led to.
const mostFound = 200

// presses says whether buttons of a site are pressed. What a press does at a live site nobody knows, so it has to be asked for there.
func presses(p *project.Project, folder bool) bool {
	return p.Audit.Presses == "yes" || folder && p.Audit.Presses != "no"
}

// knownScript gives the script that registers our worker, where the host answers with it as it was made; nil else.
func (a *auditor) knownScript() *document.KnownScript {
	p := a.Project
	if !p.HasWorker() {
		return nil
	}
	scripts := worker.NewScripts(p)
	made, err := worker.RegisterScript(&worker.Plan{Scripts: scripts}, worker.OptionsOf(p))
	if err != nil {
		return nil
	}
	resp := a.request(a.origin + scripts.Register)
	if resp == nil || resp.Status != 200 || resp.Body == nil {
		return nil
	}
	if there, err := resp.Body.Bytes(); err != nil || !bytes.Equal(there, made) {
		return nil
	}
	return &document.KnownScript{URL: a.origin + scripts.Register, Registration: page.Registration{Script: a.origin + scripts.Script,
		Scope: a.origin + scripts.Scope, Type: "classic", UpdateViaCache: "imports", From: a.origin + scripts.Register}}
}

// session begins a rehearsal of steps on the embedded user agent.
func (a *auditor) session(o useragent.Options) *rehearsal.Session {
	o.HostKnows = a.hostKnows()
	o.Strained = a.strained
	o.Reader, o.ReadScripts = a.reader, a.Project.Audit.Scripts == "read"
	return rehearsal.NewSession(rehearsal.NewEmbedded(a.ctx, append([]site.Host{a.Host}, a.Others...), o), a.origin)
}

// answeredBy names the source of an answer: our own caches go by what they are for.
func answeredBy(source fetch.Source) string {
	if store, ours := worker.ParseStore(source.Cache); ours && store.Kind == worker.PackStore {
		return "pack"
	} else if ours {
		return "kept"
	}
	return source.String()
}

func (a *auditor) worker() {
	w := a.ran.Worker
	if w == nil {
		return
	}
	out := &WorkerReport{URL: a.local(w.Script), Scope: a.local(w.Scope), State: w.State, Caches: map[string][]string{}}
	if w.Error != "" {
		out.Error = &w.Error
	}
	var personal []string
	why := ""
	for _, c := range a.ran.Caches {
		out.Caches[c.Name] = []string{}
		store, ours := worker.ParseStore(c.Name)
		packed := ours && store.Kind == worker.PackStore
		for _, e := range c.Entries {
			out.Caches[c.Name] = append(out.Caches[c.Name], a.local(e.URL))
			// What the pack keeps was named on purpose, and fit says so.
			if e.Personal != "" && !packed {
				personal, why = append(personal, e.URL), e.Personal+", in the cache "+c.Name
			}
		}
	}
	if len(personal) > 0 {
		evidence := a.local(personal[0])
		if n := len(personal) - 1; n > 0 {
			evidence += fmt.Sprintf(" and %d more", n)
		}
		a.find(keepPrivate, a.place(personal[0], 0, 0), evidence+": "+why, "")
	}
	a.report.Worker = out
}

// sortFindings puts the heaviest first.
func (a *auditor) sortFindings() {
	slices.SortStableFunc(a.report.Findings, func(x, y *Finding) int {
		if d := rank(x.Weight) - rank(y.Weight); d != 0 {
			return d
		}
		return CheckOf(x.Code).Rank - CheckOf(y.Code).Rank
	})
}

// countWeights counts findings by their weights.
func countWeights(findings []*Finding) (blockers, risks, polish int) {
	for _, f := range findings {
		switch f.Weight {
		case Blocker:
			blockers++
		case Risk:
			risks++
		default:
			polish++
		}
	}
	return blockers, risks, polish
}

// summarise orders the findings and counts them.
func (a *auditor) summarise() {
	r := a.report
	a.sortFindings()
	for _, f := range r.Findings {
		for t, w := range f.Weights {
			if v := r.Targets[t]; w == Risk {
				v.Risks++
			} else if w == Polish {
				v.Polish++
			}
		}
	}
	r.Summary.Blockers, r.Summary.Risks, r.Summary.Polish = countWeights(r.Findings)
	for _, p := range r.Pages {
		o := p.Under[condition.Offline.Name]
		switch {
		case o == nil || !o.Known:
		case o.Outcome == rehearsal.Whole:
			r.Summary.Whole++
			if a.ran.AfterFirst[a.absolute(p.URL)] == nil {
				r.Summary.AfterFirst++
			}
		case o.Outcome == rehearsal.StandIn && a.standIn() != "":
			r.Summary.StandIn++
		}
	}
	r.Summary.Verdict = "ready"
	against := func(f *Finding) bool {
		return f.Code != offlineUnknown.Code && Heavier(f.Weight, a.Project.Audit.FailOn)
	}
	switch {
	case slices.ContainsFunc(r.Findings, against):
		r.Summary.Verdict = "not ready"
	case r.Summary.Unknown > 0:
		r.Summary.Verdict = "not known"
	}
}

// present is the worker that the project file says pages register.
func (a *auditor) present() *page.Registration {
	p := a.Project.Worker.Present
	if p.File == "" || a.Project.Worker.Replace == "yes" {
		return nil
	}
	r := &page.Registration{Script: a.absolute(p.File), Type: orDefault(p.Type, "classic"), UpdateViaCache: "imports",
		From: a.absolute(a.Project.Audit.Entry)}
	if p.Scope != "" {
		r.Scope = a.absolute(p.Scope)
	}
	return r
}

// FailsOn says whether there is a finding at least as heavy as weight.
func (r *Report) FailsOn(weight string) bool {
	return slices.ContainsFunc(r.Findings, func(f *Finding) bool { return Heavier(f.Weight, weight) })
}
