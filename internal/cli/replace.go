package cli

import (
	"context"
	"encoding/json"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"tachyform/internal/audit"
	"tachyform/internal/fit"
	"tachyform/internal/problem"
)

var replacedList = regexp.MustCompile(`REPLACED\s*=\s*(\[[^\]]*\])`)

// learnReplaced finds out what the worker keeps whose place another is to take: from a visit with it, or, where that
// has happened before, from the one that is there now.
func (a *app) learnReplaced(ctx context.Context, o *opened) error {
	w := &o.project.Worker
	if w.Replace != "yes" || o.folder == nil {
		return nil
	}
	if file := o.folder.FileAt(w.Present.File); file != nil {
		text, err := file.Bytes()
		if err != nil {
			return wrapRead(file.Abs, err)
		}
		if m := replacedList.FindSubmatch(text); m != nil && json.Unmarshal(m[1], &w.Replaced) == nil {
			return nil
		}
	}
	in, err := a.input(o)
	if err != nil {
		return err
	}
	w.Replaced, err = audit.StoresOf(ctx, in)
	return err
}

// tryReplacing rehearses what a visitor goes through who has the site's own worker, before anything is written.
func (a *app) tryReplacing(ctx context.Context, o *opened, plan *fit.Plan) error {
	if o.project.Worker.Replace != "yes" || plan.Worker == nil || !slices.ContainsFunc(plan.Changes,
		func(c fit.Change) bool { return c.What == "worker" }) {
		return nil
	}
	in, err := a.input(o)
	if err != nil {
		return err
	}
	r, err := audit.Replace(ctx, in, plan.View)
	if err != nil {
		return wrapRead(o.name, err)
	}
	what := ""
	switch {
	case r.Failure != "":
		what = "the new worker cannot be installed where the old one is: " + r.Failure
	case r.Stays:
		what = "the old worker stays in its place although all pages were closed"
	case len(r.Left) > 0:
		what = "what the old worker kept stays behind: " + strings.Join(r.Left, ", ")
	default:
		return nil
	}
	return &problem.Problem{Kind: problem.Usage, Where: o.project.Worker.Present.File,
		What: fmt.Sprintf("tried from the old worker to the new one, %s; nothing was written",
			what), Mend: "tachyform retire makes a worker that removes the old one first"}
}
