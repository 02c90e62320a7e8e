// Package profile shows where an audit spends its time: by phases, and by the JavaScript functions of the environment and of the
// site. It reads the samples of Go's profiler, so that the program itself holds no measuring points.
package profile

import "strings"

// Phase is a part of the work on a site.
type Phase string

// Other is the phase of what no other phase contains.
const Other Phase = "other"

// Scripts run in the phases run and workerEvents, by who called them.
const (
	run          Phase = "run"
	workerEvents Phase = "worker events"
)

// phase is a phase with the functions that belong to it, by the ends of package paths and the beginnings of names.
type phase struct {
	Phase
	functions []string
}

// whole are phases that contain all that is called in them, including scripts. The first one in this list counts.
var whole = []phase{
	{"rewind", []string{"quickjs.(*Engine).Rewind", "quickjs.(*Engine).Mark"}},
	{"start engines", []string{"quickjs.New", "quickjs.(*Engine).Beside", "quickjs.(*Engine).Install"}},
	{"take back", []string{"document.(*window).takeOver"}},
	{"hand over", []string{"document.(*scripting).handOver"}},
}

// parts are all other phases. The innermost function counts.
var parts = []phase{
	{"compile", []string{"quickjs.(*Engine).compile"}},
	{run, []string{"quickjs.(*Engine).Eval", "quickjs.(*Engine).Call", "quickjs.(*Engine).Import"}},
	{"parse", []string{"markup.", "page.", "csp."}},
	{"icons", []string{"icon."}},
	{"requests", []string{"fetch.", "network.", "site."}},
	{workerEvents, []string{"serviceworker."}},
	{"report", []string{"report."}},
	{"survey", []string{"survey."}},
	{"fit", []string{"fit.", "worker."}},
	{"checks", []string{"audit.", "handover."}},
	{"garbage collection", []string{"runtime.gcBgMarkWorker", "runtime.bgsweep", "runtime.bgscavenge"}},
}

// callers are the packages that run scripts, with the phase that this is.
var callers = []phase{{workerEvents, []string{"serviceworker."}}, {run, []string{"document."}}}

// boundary is where a stack is cut: what runs below is a separate task, even if others wait for it.
const boundary = "clock.(*Clock)."

// Classify gives the phase of a stack of Go functions, innermost first.
func Classify(stack []string) Phase {
	for i, f := range stack {
		if strings.Contains(f, boundary) {
			stack = stack[:i]
			break
		}
	}
	for i := range whole {
		if at, _ := innermost(stack, whole[i:i+1]); at >= 0 {
			return whole[i].Phase
		}
	}
	at, found := innermost(stack, parts)
	if found == run {
		if at, caller := innermost(stack[at:], callers); at >= 0 {
			return caller
		}
	}
	return found
}

// innermost finds the innermost function that belongs to one of some phases: its place in the stack, -1 for none, and the phase.
func innermost(stack []string, among []phase) (at int, found Phase) {
	for at, f := range stack {
		short := f[strings.LastIndexByte(f, '/')+1:]
		for _, p := range among {
			for _, name := range p.functions {
				if strings.HasPrefix(short, name) {
					return at, p.Phase
				}
			}
		}
	}
	return -1, Other
}
