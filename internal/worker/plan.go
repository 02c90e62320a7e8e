// Package worker turns the project's pack and rules into a service worker and its page-side script.
package worker

import (
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/base64"
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"

	"tachyform/internal/crash"
	"tachyform/internal/request"
	"tachyform/internal/survey"

	whatwg "github.com/nlnwa/whatwg-url/url"

	"tachyform/internal/page"
	"tachyform/internal/problem"
	"tachyform/internal/project"
	"tachyform/internal/site"
)

// Entry is a file of the pack.
type Entry struct {
	// Path is the URL path the file answers at.
	Path  string `json:"path"`
	Stamp string `json:"stamp"`
	Bytes int64  `json:"bytes"`
	// Why says what put it there: a pattern of the project file, or the pages that ask for it.
	Why string `json:"why"`
	// Hashed tells that the file's name carries a hash of its content.
	Hashed bool `json:"hashed,omitempty"`
	// Rendered tells that a server makes the page, so that its bytes are not known beforehand.
	Rendered bool `json:"rendered,omitempty"`

	page, media bool
}

// Note is something about the pack and rules that is allowed, and perhaps not what was meant.
type Note struct {
	// Where is the place in the project file, as file:line:column.
	Where string `json:"where"`
	What  string `json:"what"`
	Mend  string `json:"mend,omitempty"`
}

// Scripts is what the page-side script depends on; all of it stands in the project file.
type Scripts struct {
	// Script and Scope are URL paths of the worker.
	Script, Scope string
	Register      string
	Registration  project.Register
	Takeover      string
	StandIns      project.StandIns
	// Development asks for a script that registers nothing and removes what is registered.
	Development bool
}

// Plan is all that goes into a generated worker.
// It is what the generator needs to know, a field for each part of the worker.
type Plan struct {
	Scripts
	Pack   []Entry
	Rules  []project.Rule
	Never  []string
	Shell  project.Shell
	Origin string
	// Verify tells that answers with other bytes than the release has make the installation fail.
	Verify bool
	// Extensionless tells that the host answers /about with about.html.
	Extensionless bool
	// Module is the path of the project's own module, or "".
	Module string
	Notes  []Note
	// LeftOut counts pages that were left out of the pack for its weight, FilesLeftOut are pictures and films of the start page that
	// were; AtStart is the weight in bytes of what the start page cannot do without, where the pack has a budget.
	LeftOut      int
	FilesLeftOut []string
	AtStart      int64
	// Replaced are stores of a worker whose place this one takes.
	Replaced []string

	index      []string
	slash      string
	choosing   string              // a regular expression of the query parameters that choose among copies, "" for none
	prefetched map[string][]string // by ruleKey: what is fetched along with the pack
	ofRule     map[string]string   // what a rule's copies depend on, as a short hash, by ruleKey
}

// Bytes is the weight of the pack.
func (p *Plan) Bytes() (n int64) {
	for _, e := range p.Pack {
		n += e.Bytes
	}
	return n
}

// ScopeOf is the scope of a worker at a URL path: its folder.
func ScopeOf(script string) string { return script[:strings.LastIndexByte(script, '/')+1] }

// NewScripts gives what the page-side script of a project depends on.
func NewScripts(p *project.Project) Scripts {
	w := p.Worker
	scope := ScopeOf(w.File)
	return Scripts{Script: w.File, Scope: scope, Register: scope + "register.js", Registration: w.Register,
		Takeover: w.Takeover, StandIns: w.StandIns, Development: p.Development}
}

// planner chooses what goes into a plan.
type planner struct {
	*Plan
	p         *project.Project
	f         *site.Folder
	graph     *survey.Graph
	chosen    map[string]string // path to why
	pagesLeft []string
	leftOut   map[string]bool // files that the start page goes without, for their weight
	// needed holds the pages that ask for a file of a derived pack.
	needed map[string][]string
	// match holds the patterns of the rules, never those of what is left alone, files what of the site each rule is for.
	match, never []*site.Pattern
	files        [][]*site.File
}

// takes says whether rule i is for requests of a URL with that destination.
func (b *planner) takes(i int, url, destination string) bool {
	d := b.Rules[i].Destination
	return (d == "" || d == destination) && b.match[i].Match(url)
}

func (b *planner) where(key string) string {
	place := b.p.PlaceOf(key)
	return fmt.Sprintf("%s:%d:%d", b.p.Path, place.Line, place.Column)
}

func (b *planner) usage(key, what, mend string) error {
	return &problem.Problem{Kind: problem.Usage, Where: b.where(key), What: what, Mend: mend}
}

func (b *planner) note(key, what, mend string) {
	b.Notes = append(b.Notes, Note{b.where(key), what, mend})
}

func (b *planner) compile(key string, list []string) ([]*site.Pattern, error) {
	var out []*site.Pattern
	for i, text := range list {
		if _, err := compileMatcher(text, b.f.Origin()); err != nil {
			return nil, b.usage(fmt.Sprintf("%s[%d]", key, i), err.Error(), "patterns look like /assets/* or /timetable/:island")
		}
		pattern, err := site.NewPattern(text, b.f.Origin())
		if err != nil {
			return nil, b.usage(fmt.Sprintf("%s[%d]", key, i), err.Error(), "patterns look like /assets/* or /timetable/:island")
		}
		out = append(out, pattern)
	}
	return out, nil
}

// NewPlan chooses the files of the pack from the folder as it will be deployed. Its pages need what visits have shown and what their
// files say. Every file in the pack must answer with status 200, also to people who are not signed in. known is what was found out
// about the site before, nil for nothing.
func NewPlan(ctx context.Context, p *project.Project, f *site.Folder, known *survey.Graph) (*Plan, error) {
	if known == nil {
		known = &survey.Graph{}
	}
	w := p.Worker
	b := &planner{p: p, f: f, chosen: map[string]string{}, needed: map[string][]string{}, leftOut: map[string]bool{},
		Plan: &Plan{Scripts: NewScripts(p), Rules: slices.Clone(w.Rules), Never: w.Never, Shell: w.Shell,
			Replaced: w.Replaced,
			Origin:   f.Origin(), Verify: w.Pack.Verify != "no", Extensionless: p.Host.Extensionless != "none",
			index: p.Host.Index, slash: p.Host.Slash}}
	if err := b.patterns(); err != nil {
		return nil, err
	}
	b.graph = survey.Outline(f, cmp.Or(known.Reader, &page.Reader{}), known.Seen)
	for _, file := range f.Files() {
		for i := range b.Rules {
			if path := f.PathOf(file); path != b.Script && path != b.Register &&
				b.takes(i, f.Origin()+path, destinationOf(file.Path)) {
				b.files[i] = append(b.files[i], file)
			}
		}
	}
	for _, step := range []func() error{b.module, b.choose, b.shell, b.standIns, b.fill, b.budget, b.prefetch,
		b.releases} {
		if err := step(); err != nil {
			return nil, err
		}
		if err := ctx.Err(); err != nil {
			return nil, err
		}
	}
	if err := b.remark(ctx); err != nil {
		return nil, err
	}
	return b.Plan, b.graph.Err()
}

// patterns checks all patterns that are not those of the pack.
func (b *planner) patterns() (err error) {
	w := b.p.Worker
	b.files = make([][]*site.File, len(w.Rules))
	for i, r := range w.Rules {
		if _, err := compileMatcher(r.Match, b.f.Origin()); err != nil {
			return b.usage(fmt.Sprintf("worker.rules[%d].match", i), err.Error(),
				"patterns look like /data/* or https://tiles.example/*")
		}
		pattern, err := site.NewPattern(r.Match, b.f.Origin())
		if err != nil {
			return err
		}
		b.match = append(b.match, pattern)
	}
	if b.never, err = b.compile("worker.never", w.Never); err != nil {
		return err
	}
	if _, err := b.compile("worker.shell.except", w.Shell.Except); err != nil {
		return err
	}
	if m := w.StandIns.Data.Match; m != "" {
		if _, err := compileMatcher(m, b.f.Origin()); err != nil {
			return b.usage("worker.stand_ins.data.match", err.Error(), "patterns look like /data/*")
		}
	}
	if names := w.Pack.IgnoreQuery; names != nil && !slices.Contains(names, "*") {
		// What chooses is every name but the ignored ones.
		b.choosing = "^"
		if len(names) > 0 {
			b.choosing = "^(?!" + strings.TrimPrefix(namesExpr(names), "^") + ")"
		}
	}
	return nil
}

// module finds the project's own module.
func (b *planner) module() error {
	file := b.p.Worker.Module
	if file == "" {
		return nil
	}
	if !filepath.IsAbs(file) {
		file = filepath.Join(b.p.Dir, file)
	}
	abs, err := filepath.Abs(file)
	if err == nil {
		_, err = os.Stat(abs)
	}
	if err != nil {
		return b.usage("worker.module", fmt.Sprintf("the module %s cannot be read", b.p.Worker.Module),
			"the path starts at the project file's folder")
	}
	// The bundler looks for these on the way up, and would wait for a pipe.
	for dir := filepath.Dir(abs); ; dir = filepath.Dir(dir) {
		if info, err := os.Stat(filepath.Join(dir, "package.json")); err == nil && !info.Mode().IsRegular() {
			return b.usage("worker.module", filepath.Join(dir, "package.json")+" is not a file", "remove it")
		}
		if dir == filepath.Dir(dir) {
			break
		}
	}
	b.Module = abs
	return nil
}

// choose takes the files that the patterns of the pack name, and what the pages among them need.
func (b *planner) choose() error {
	pack := b.p.Worker.Pack
	include, err := b.compile("worker.pack.include", pack.Include)
	if err != nil {
		return err
	}
	pages, err := b.compile("worker.pack.pages", pack.Pages)
	if err != nil {
		return err
	}
	leaveOut, err := b.compile("worker.pack.leave_out", pack.LeaveOut)
	if err != nil {
		return err
	}
	left := make([]bool, len(leaveOut))
	out := func(path string) (is bool) {
		for i, l := range leaveOut {
			if l.Match(b.f.Origin() + path) {
				left[i], is = true, true
			}
		}
		return is
	}
	own := map[string]bool{b.Script: true}
	each := func(key, what string, patterns []*site.Pattern, take func(path string, pattern *site.Pattern)) error {
		used := make([]bool, len(patterns))
		for _, file := range b.f.Files() {
			path := b.f.PathOf(file)
			if own[path] || strings.HasSuffix(file.Path, ".map") || key == "worker.pack.pages" && !b.graph.IsPage(path) {
				continue
			}
			for i, pattern := range patterns {
				if pattern.Match(b.f.Origin() + path) {
					used[i] = true
					if !out(path) {
						take(path, pattern)
					}
				}
			}
		}
		for i, pattern := range patterns {
			if !used[i] {
				return b.usage(fmt.Sprintf("%s[%d]", key, i), fmt.Sprintf("the pattern %q matches no %s%s", pattern.Text, what,
					b.within()), "paths start at the origin and include the address; tachyform survey lists the files")
			}
		}
		return nil
	}
	add := func(why string) func(string, *site.Pattern) {
		return func(path string, pattern *site.Pattern) {
			if b.chosen[path] == "" {
				b.chosen[path] = why + pattern.Text
			}
		}
	}
	if err := each("worker.pack.include", "file", include, add("pattern ")); err != nil {
		return err
	}
	if err := each("worker.pack.pages", "page", pages, add("page of ")); err != nil {
		return err
	}
	if len(pages) > 0 {
		takes := func(need string) bool { return !b.ruled(need) && !own[need] && !out(need) && !b.leftOut[need] }
		if b.leavesOut() {
			b.leaveOut(int64(pack.Budget), takes)
		}
		for _, path := range slices.Sorted(maps.Keys(b.chosen)) {
			if !strings.HasPrefix(b.chosen[path], "page of ") {
				continue
			}
			for _, need := range b.graph.Needs(path) {
				if (b.chosen[need] == "" || b.needed[need] != nil) && takes(need) {
					b.chosen[need] = "needed"
					b.needed[need] = append(b.needed[need], path)
				}
			}
		}
		for path, by := range b.needed {
			b.chosen[path] = "for " + by[0]
			if n := len(by) - 1; n > 0 {
				b.chosen[path] += fmt.Sprintf(" and %d more", n)
			}
		}
	}
	for i, pattern := range leaveOut {
		if !left[i] {
			b.note(fmt.Sprintf("worker.pack.leave_out[%d]", i), fmt.Sprintf("%q leaves out nothing: no file that the pack "+
				"takes matches it", pattern.Text), "check its spelling, or remove it")
		}
	}
	return nil
}

// within names the folder, for messages; a live site has none.
func (b *planner) within() string {
	if b.f.Snapshot() {
		return " that was found at " + b.Origin
	}
	return " in " + b.f.Dir
}

// withNeeds packs a page, named under a key of the project file, with everything it asks for.
func (b *planner) withNeeds(key, what, path string) (string, error) {
	file := b.f.FileAt(path)
	if file == nil {
		return "", b.usage(key, fmt.Sprintf("there is no file at %s%s", path, b.otherwise(path)),
			"name a page or file that the site has, and that answers without signing in")
	}
	actual := b.f.PathOf(file)
	if b.chosen[actual] == "" {
		b.chosen[actual] = what
	}
	for _, need := range b.graph.Needs(actual) {
		// What a rule answers is left to the rule: in the pack it would never be asked for again.
		if b.chosen[need] == "" && !b.ruled(need) && !b.leftOut[need] && need != b.Script {
			b.chosen[need] = "for the " + strings.Fields(what)[0] + " " + actual
		}
	}
	return actual, nil
}

func (b *planner) shell() (err error) {
	if b.Shell.Page != "" {
		b.Shell.Page, err = b.withNeeds("worker.shell.page", "shell of all pages", b.Shell.Page)
	}
	return err
}

func (b *planner) standIns() (err error) {
	s := &b.StandIns
	for _, of := range []struct {
		key, what string
		path      *string
	}{{"page", "pages", &s.Page}, {"image", "pictures", &s.Image}, {"font", "fonts", &s.Font}} {
		if *of.path != "" {
			if *of.path, err = b.withNeeds("worker.stand_ins."+of.key, "stand-in for "+of.what, *of.path); err != nil {
				return err
			}
		}
	}
	return nil
}

// otherwise says what the host answers at a path that it does not answer with status 200.
func (b *planner) otherwise(path string) string {
	u, err := whatwg.ParseRef(b.f.Origin()+"/", path)
	if err != nil {
		return ""
	}
	resp, err := b.f.Answer(context.Background(), &site.Request{Method: "GET", URL: u})
	switch {
	case err != nil || resp.Status == 404:
		return ""
	case resp.Header.Get("Location") != "":
		return fmt.Sprintf(": the host sends whoever asks on to %s (%d)", resp.Header.Get("Location"), resp.Status)
	}
	return fmt.Sprintf(": the host answers with status %d", resp.Status)
}

var (
	mediaFile = regexp.MustCompile(`(?i)\.(mp4|m4v|webm|ogv|mov|mp3|m4a|ogg|oga|opus|wav|flac|aac)$`)
	hashPart  = regexp.MustCompile(`[.\-_~]([0-9A-Za-z_-]{8,64})(?:\.[0-9a-z]{1,12}){1,2}$`)
	hexPart   = regexp.MustCompile(`^[0-9a-f]+$`)
)

// HashedName says whether a file's name carries a hash, as build tools write it: eight or more characters between the
// name and the extension, hexadecimal or of both cases, with digits and letters among them.
func HashedName(path string) bool {
	m := hashPart.FindStringSubmatch(path[strings.LastIndexByte(path, '/')+1:])
	if m == nil {
		return false
	}
	part := m[1]
	digits, lower, upper := strings.ContainsAny(part,
		"0123456789"), strings.ToUpper(part) != part, strings.ToLower(part) != part
	return digits && (hexPart.MatchString(part) && lower || lower && upper)
}

// fill makes entries of the chosen paths; files are read and hashed in parallel.
func (b *planner) fill() error {
	if len(b.chosen) > 0 && b.f.FileAt(b.Register) != nil {
		b.chosen[b.Register] = "for every page"
	}
	paths := slices.Sorted(maps.Keys(b.chosen))
	entries := make([]Entry, len(paths))
	problems := make([]error, len(paths))
	crash.Each(len(paths), func(i int) {
		path := paths[i]
		file := b.f.FileAt(path)
		if file == nil {
			problems[i] = &problem.Problem{Kind: problem.Read, Where: path,
				What: "this file of the pack cannot be fetched at installation, so the worker could never be installed" +
					b.otherwise(path),
				Mend: "mend the hosting rule that redirects or refuses it, or name it under worker.pack.leave_out"}
			return
		}
		stamp, err := file.Stamp()
		if err != nil {
			problems[i] = &problem.Problem{Kind: problem.Read, Where: file.Abs, What: "cannot be read: " + err.Error(),
				Cause: err}
			return
		}
		entries[i] = Entry{Path: path, Stamp: stamp, Bytes: file.Size, Why: b.chosen[path], Hashed: HashedName(path),
			Rendered: file.Rendered(), page: b.graph.IsPage(path), media: mediaFile.MatchString(file.Path)}
	})
	b.Pack = entries
	for _, err := range problems {
		if err != nil {
			return err
		}
	}
	return nil
}

// leftAlone says whether a URL is one that the worker never touches.
func (b *planner) leftAlone(url string) bool {
	return slices.ContainsFunc(b.never, func(p *site.Pattern) bool { return p.Match(url) })
}

// ruled says whether a rule for any destination, or a pattern of what is never touched, matches a path of the site.
func (b *planner) ruled(path string) bool {
	for i, r := range b.Rules {
		if r.Destination == "" && b.match[i].Match(b.Origin+path) {
			return true
		}
	}
	return b.leftAlone(b.Origin + path)
}

// ruleKey names a rule by what chooses its store.
func ruleKey(r project.Rule) string { return r.Match + " " + r.Destination }

// prefetch finds what packed pages ask for and a rule answers, for rules that fetch it along with the pack: files of the
// site, and whatever else visits have shown, with the query it was asked for with.
func (b *planner) prefetch() error {
	b.prefetched = map[string][]string{}
	atInstall := func(r project.Rule) bool { return r.AtInstall == "yes" || r.AtInstall == "all" }
	if !slices.ContainsFunc(b.Rules, atInstall) {
		return nil
	}
	asked := map[string]string{} // to the destination
	for i, r := range b.Rules {
		for _, file := range b.files[i] {
			if r.AtInstall == "all" {
				asked[b.Origin+b.f.PathOf(file)] = destinationOf(file.Path)
			}
		}
	}
	for _, e := range b.Pack {
		if !e.page {
			continue
		}
		for _, need := range b.graph.Needs(e.Path) {
			asked[b.Origin+need] = destinationOf(b.graph.Files[need].Path)
		}
		for _, r := range b.graph.AsksElsewhere(e.Path) {
			asked[r.URL] = string(r.Destination)
		}
		for _, r := range b.graph.Shown(e.Path) {
			path, own := b.graph.Local(r.URL)
			if r.Missing || r.Method != "" || own && b.chosen[path] != "" {
				continue
			}
			if file := b.graph.Files[path]; own && file != nil && r.URL != b.Origin+path {
				delete(asked, b.Origin+path) // it is asked for with a query
			}
			asked[r.URL] = string(r.Destination)
			if r.Destination == request.Data {
				asked[r.URL] = "data"
			}
		}
	}
	for _, url := range slices.Sorted(maps.Keys(asked)) {
		path, own := b.graph.Local(url)
		if own && b.chosen[path] != "" {
			continue
		}
		// The first rule that matches decides, as it will in the worker.
		for i, r := range b.Rules {
			if methodOf(r) != "" || !b.takes(i, url, asked[url]) {
				continue
			}
			if atInstall(r) {
				b.prefetched[ruleKey(r)] = append(b.prefetched[ruleKey(r)], strings.TrimPrefix(url, b.Origin))
			}
			break
		}
	}
	return nil
}

// releases finds out what each rule's copies depend on: the site's own files that the rule matches, and for pages the
// pack, from which they take their parts. With it the copies are fetched again when a release changes any of that.
func (b *planner) releases() error {
	b.ofRule = map[string]string{}
	for i := range b.Rules {
		r := &b.Rules[i]
		if !storing(*r) {
			continue
		}
		h := sha256.New()
		for _, file := range b.files[i] {
			stamp, err := file.Stamp()
			if err != nil {
				return &problem.Problem{Kind: problem.Read, Where: file.Abs, What: "cannot be read: " + err.Error(), Cause: err}
			}
			fmt.Fprintln(h, b.f.PathOf(file), stamp)
		}
		if r.Destination == "document" || r.Destination == "" {
			for _, e := range b.Pack {
				fmt.Fprintln(h, e.Path, e.Stamp)
			}
		}
		if r.OnRelease == "" {
			r.OnRelease = "keep"
			if len(b.files[i]) > 0 || r.Destination == "document" {
				r.OnRelease = "refresh"
			}
		}
		b.ofRule[ruleKey(*r)] = base64.StdEncoding.EncodeToString(h.Sum(nil)[:6])
	}
	return nil
}

// Release is a short name for this release: it changes when a file of the pack or a setting does.
func (p *Plan) Release() string {
	h := sha256.New()
	for _, e := range p.Pack {
		fmt.Fprintln(h, e.Path, e.Stamp)
	}
	fmt.Fprintln(h, p.Rules, p.ofRule, p.StandIns, p.Takeover, p.Scope, p.Never, p.Shell)
	return base64.RawURLEncoding.EncodeToString(h.Sum(nil)[:6])
}
