// Package worker turns the project's pack and rules into a service worker and its page-side script.
package worker

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"slices"
	"strings"

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
	// Why says what put it there: a pattern of the project file, or the page stand-in that needs it.
	Why string `json:"why"`
}

// Plan is all that goes into a generated worker.
type Plan struct {
	// Script and Scope are URL paths.
	Script, Scope string
	Register      string
	Pack          []Entry
	Rules         []project.Rule
	StandIns      project.StandIns
	Takeover      string
	Origin        string
	// Extensionless tells that the host answers /about with about.html.
	Extensionless bool
	index         []string
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

// RegisterPath is the URL path of the page-side script.
func RegisterPath(p *project.Project) string {
	return ScopeOf(p.Worker.File) + "register.js"
}

// NewPlan chooses the files of the pack from the folder as it will be deployed. Every file in it must answer with status 200.
func NewPlan(ctx context.Context, p *project.Project, f *site.Folder) (*Plan, error) {
	w := p.Worker
	plan := &Plan{Script: w.File, Scope: ScopeOf(w.File), Register: RegisterPath(p), Rules: w.Rules,
		StandIns: w.StandIns, Takeover: w.Takeover, Origin: f.Origin(), Extensionless: p.Host.Extensionless != "none", index: p.Host.Index}
	where := func(key string) string {
		place := p.PlaceOf(key)
		return fmt.Sprintf("%s:%d:%d", p.Path, place.Line, place.Column)
	}
	usage := func(key, what, mend string) error {
		return &problem.Problem{Kind: problem.Usage, Where: where(key), What: what, Mend: mend}
	}
	compile := func(key string, list []string) ([]*site.Pattern, error) {
		var out []*site.Pattern
		for i, text := range list {
			pattern, err := site.NewPattern(text, f.Origin())
			if err != nil {
				return nil, usage(fmt.Sprintf("%s[%d]", key, i), fmt.Sprintf("%q is not a URL pattern: %v", text, err), "patterns look like /assets/* or /timetable/:island")
			}
			out = append(out, pattern)
		}
		return out, nil
	}
	include, err := compile("worker.pack.include", w.Pack.Include)
	if err != nil {
		return nil, err
	}
	leaveOut, err := compile("worker.pack.leave_out", w.Pack.LeaveOut)
	if err != nil {
		return nil, err
	}
	for i, r := range w.Rules {
		if _, err := compileMatcher(r.Match, f.Origin()); err != nil {
			return nil, usage(fmt.Sprintf("worker.rules[%d].match", i), err.Error(), "patterns look like /data/* or https://tiles.example/*")
		}
	}
	chosen := map[string]string{}
	used := make([]bool, len(include))
	for _, file := range f.Files() {
		path := f.PathOf(file)
		if path == plan.Script || strings.HasSuffix(file.Path, ".map") {
			continue
		}
		for i, pattern := range include {
			if !pattern.Match(f.Origin() + path) {
				continue
			}
			used[i] = true
			if !slices.ContainsFunc(leaveOut, func(l *site.Pattern) bool { return l.Match(f.Origin() + path) }) && chosen[path] == "" {
				chosen[path] = "pattern " + pattern.Text
			}
		}
	}
	for i, pattern := range include {
		if !used[i] {
			return nil, usage(fmt.Sprintf("worker.pack.include[%d]", i), fmt.Sprintf("the pattern %q matches no file in %s", pattern.Text, f.Dir), "paths start at the origin and include the address; tachyform survey lists the files")
		}
	}
	if err := plan.standIns(ctx, p, f, chosen, usage); err != nil {
		return nil, err
	}
	if len(chosen) > 0 && f.FileAt(plan.Register) != nil {
		chosen[plan.Register] = "every page asks for it"
	}
	paths := make([]string, 0, len(chosen))
	for path := range chosen {
		paths = append(paths, path)
	}
	slices.Sort(paths)
	for _, path := range paths {
		file := f.FileAt(path)
		if file == nil {
			return nil, &problem.Problem{Kind: problem.Read, Where: path, What: "this file of the pack does not answer with status 200, so the worker could never be installed",
				Mend: "mend the hosting rule that redirects or refuses it, or name it under worker.pack.leave_out"}
		}
		stamp, err := file.Stamp()
		if err != nil {
			return nil, &problem.Problem{Kind: problem.Read, Where: file.Abs, What: "cannot be read: " + err.Error(), Cause: err}
		}
		plan.Pack = append(plan.Pack, Entry{path, stamp, file.Size, chosen[path]})
	}
	if total := plan.Bytes(); w.Pack.Budget > 0 && total > int64(w.Pack.Budget) {
		heavy := slices.Clone(plan.Pack)
		slices.SortFunc(heavy, func(a, b Entry) int { return int(b.Bytes - a.Bytes) })
		var names []string
		for _, e := range heavy[:min(3, len(heavy))] {
			names = append(names, fmt.Sprintf("%s (%s)", e.Path, project.Size(e.Bytes)))
		}
		return nil, usage("worker.pack.budget", fmt.Sprintf("the pack weighs %s, over its budget of %s; the heaviest are %s", project.Size(total), w.Pack.Budget, strings.Join(names, ", ")),
			"name files under worker.pack.leave_out, or raise the budget")
	}
	return plan, nil
}

// standIns adds the stand-ins with everything they ask for.
func (plan *Plan) standIns(ctx context.Context, p *project.Project, f *site.Folder, chosen map[string]string, usage func(string, string, string) error) error {
	for key, path := range map[string]string{"page": p.Worker.StandIns.Page, "image": p.Worker.StandIns.Image} {
		if path == "" {
			continue
		}
		file := f.FileAt(path)
		if file == nil {
			return usage("worker.stand_ins."+key, fmt.Sprintf("there is no file at %s", path), "name a page or picture that the site has")
		}
		actual := f.PathOf(file)
		if key == "page" {
			plan.StandIns.Page = actual
		} else {
			plan.StandIns.Image = actual
		}
		if chosen[actual] == "" {
			chosen[actual] = "stand-in for a " + key
		}
	}
	if plan.StandIns.Page == "" {
		return nil
	}
	g, err := page.BuildGraph(ctx, f, &page.Reader{})
	if err != nil {
		return err
	}
	for _, need := range g.Needs(plan.StandIns.Page) {
		// What a rule answers is left to the rule: in the pack it would never be asked for again.
		if chosen[need] == "" && !plan.ruled(need) {
			chosen[need] = "the stand-in " + plan.StandIns.Page + " asks for it"
		}
	}
	return nil
}

// ruled says whether a rule for any destination matches a path of the site.
func (p *Plan) ruled(path string) bool {
	for _, r := range p.Rules {
		if r.Destination != "" {
			continue
		}
		if pattern, err := site.NewPattern(r.Match, p.Origin); err == nil && pattern.Match(p.Origin+path) {
			return true
		}
	}
	return false
}

// Release is a short name for this release: it changes when a file of the pack or a setting does.
func (p *Plan) Release() string {
	h := sha256.New()
	for _, e := range p.Pack {
		fmt.Fprintln(h, e.Path, e.Stamp)
	}
	fmt.Fprintln(h, p.Rules, p.StandIns, p.Takeover, p.Scope)
	return hex.EncodeToString(h.Sum(nil)[:4])
}
