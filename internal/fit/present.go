package fit

import (
	"fmt"
	"path/filepath"
	"slices"
	"strings"

	"tachyform/internal/page"
	"tachyform/internal/problem"
	"tachyform/internal/project"
	"tachyform/internal/worker"
)

// alone makes sure that the worker to be written is the only one of its scope: two take turns in replacing each other,
// and pages that load again at each takeover never come to rest. A worker of the site's own keeps its place until the
// project file says otherwise.
func (o *output) alone(s worker.Scripts) error {
	if o.p.Worker.Replace == "yes" {
		return nil
	}
	stop := func(where, what string) error {
		return &problem.Problem{Kind: problem.Usage, Where: where,
			What: what + "; two workers for the same pages take turns in replacing each other. Nothing was written",
			Mend: "to keep the site's own, write worker: {present: {file: /its-address.js}}, and it is what is rehearsed " +
				"and judged; to put this one in its place, add replace: yes; else take the register call out of the site"}
	}
	found := o.seen.Registrations()
	for _, r := range found {
		if r.Covers() == o.f.Origin()+s.Scope && r.Script != o.f.Origin()+s.Script {
			return stop(o.spot(page.PlaceOf(r, o.f, s.Register)),
				"the site registers a worker of its own, "+strings.TrimPrefix(r.Script, o.f.Origin()))
		}
	}
	if file := o.f.FileAt(s.Script); file != nil && o.f.PathOf(file) == s.Script {
		text, err := file.Bytes()
		if err != nil {
			return err
		}
		if ours, err := madeHere(o.plan.State, o.f.Dir, file.Path, text); err != nil {
			return err
		} else if !ours && !worker.IsWorker(text) && slices.ContainsFunc(found, func(r page.Registration) bool {
			return r.Script == o.f.Origin()+s.Script
		}) {
			return stop(file.Abs, "a worker of the site's own stands at "+s.Script)
		}
	}
	if perhaps := page.PerhapsRegisters(o.f, o.seen, s.Register); len(perhaps) > 0 && !slices.ContainsFunc(found, func(r page.Registration) bool {
		return r.Script != o.f.Origin()+s.Script
	}) {
		return stop(o.spot(perhaps[0]), "the site seems to register a worker there, and the script could not be run to its end")
	}
	return nil
}

// spot names a place in the site's files as file:line:column.
func (o *output) spot(p page.Place) string {
	name := p.URL
	if file := o.f.FileAt(p.URL); file != nil {
		name = filepath.Join(o.f.Dir, filepath.FromSlash(file.Path))
	}
	if p.Line > 0 {
		return fmt.Sprintf("%s:%d:%d", name, p.Line, p.Column)
	}
	return name
}

// settle gives the worker that takes the place of another that one's address.
func settle(p *project.Project) error {
	w := &p.Worker
	if w.Replace != "yes" {
		return nil
	}
	at := p.PlaceOf("worker.present")
	refuse := func(what, mend string) error {
		return &problem.Problem{Kind: problem.Usage, Where: fmt.Sprintf("%s:%d:%d", orDefault(p.Path, project.FileName),
			at.Line, at.Column), What: what, Mend: mend}
	}
	scope := w.Present.Scope
	if scope == "" {
		scope = worker.ScopeOf(w.Present.File)
	}
	switch {
	case w.Present.Type == "module":
		return refuse("the worker that is to be replaced is registered as a module, and the one that fit writes is a "+
			"classic script: pages that go on registering it would bring it back at each visit",
			"take the register call out of the site, and the key replace as well")
	case scope != worker.ScopeOf(w.Present.File):
		return refuse(fmt.Sprintf("the worker that is to be replaced has the scope %s, which is not its folder", scope),
			"take the register call out of the site, and the key replace as well")
	}
	w.File = w.Present.File
	return nil
}
