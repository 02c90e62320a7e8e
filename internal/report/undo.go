package report

import (
	"fmt"
	"strings"

	"tachyform/internal/fit"
	"tachyform/internal/problem"
)

// Recovery tells what was done about runs that had been killed, and what was passed over; "" where there is nothing to
// tell.
func Recovery(r fit.Recovery, width int) string {
	var b strings.Builder
	for _, run := range r.Runs {
		what := "An earlier fit had been interrupted; it is finished now."
		switch {
		case run.Undo:
			what = "An earlier undo had been interrupted; it is finished now."
		case !run.Finished:
			what = "An earlier fit had been interrupted, and the site was built anew since: what that fit had written is " +
				"taken back."
		}
		if len(run.Left) > 0 {
			what += " " + count(len(run.Left), "file was", "files were") + " changed in between and " + oneOrMany(len(run.Left),
				"stays as it is", "stay as they are") + ": " + few(run.Left) + "."
		}
		fmt.Fprintln(&b, wrap(safe(what), width, 0))
	}
	for _, s := range r.Strays {
		fmt.Fprintln(&b, wrap(safe(fmt.Sprintf("Passed over %s, which is no journal of ours: %s.", s.Name,
			problem.Innermost(s.Reason))), width, 0))
	}
	return b.String()
}

// Undone tells what an undo came to.
func Undone(u *fit.Undone, name string, width int) string {
	var b strings.Builder
	if len(u.Restored) == 0 && len(u.Runs) > 0 {
		fmt.Fprintf(&b, "%s holds nothing of the fit any more.\n", safe(name))
	} else {
		fmt.Fprintf(&b, "%s is as it was before: %s restored or removed.\n", safe(name),
			count(len(u.Restored), "file", "files"))
	}
	if len(u.Left) > 0 {
		fmt.Fprintln(&b, wrap(safe(fmt.Sprintf("%s made anew since an older fit and %s: %s.",
			count(len(u.Left), "file was", "files were"), oneOrMany(len(u.Left), "stays as it is",
				"stay as they are"), few(u.Left))), width, 0))
	}
	return b.String()
}

func oneOrMany(n int, one, many string) string {
	if n == 1 {
		return one
	}
	return many
}

// few lists the first of many names.
func few(names []string) string {
	return strings.Join(names[:min(4, len(names))], ", ") + more(len(names)-4)
}
