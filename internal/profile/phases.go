// Package profile shows where an audit spends its time: by phases, and by the JavaScript functions of the environment and of the
// site. It reads the samples of Go's profiler, so that the program itself holds no measuring points.
package profile

import "strings"

// Phase is a part of the work on a site.
type Phase string

// Other is the phase of what no other phase contains.
const Other Phase = "other"

// phases are the phases with the functions that belong to them, by the ends of package paths and the beginnings of names. If a
// stack contains functions of several phases, the first phase in this list counts.
var phases = []struct {
	Phase
	functions []string
}{
	{"rewind", []string{"quickjs.(*Engine).Rewind", "quickjs.(*Engine).Mark"}},
	{"start engines", []string{"quickjs.New", "quickjs.(*Engine).Beside", "quickjs.(*Engine).Install"}},
	{"take back", []string{"document.(*window).takeOver"}},
	{"hand over", []string{"document.(*window).handOver"}},
	{"compile", []string{"quickjs.(*Engine).compile"}},
	{"parse", []string{"markup.", "page.", "csp."}},
	{"icons", []string{"icon."}},
	{"requests", []string{"fetch.", "network.", "site."}},
	{"worker events", []string{"serviceworker."}},
	{"run", []string{"quickjs.(*Engine).Eval", "quickjs.(*Engine).Call", "quickjs.(*Engine).Import"}},
	{"report", []string{"report."}},
	{"survey", []string{"survey."}},
	{"checks", []string{"audit.", "handover."}},
	{"garbage collection", []string{"runtime.gcBgMarkWorker", "runtime.bgsweep", "runtime.bgscavenge"}},
}

// boundary is where a stack is cut: what runs below is a task of its own, whoever waits for it.
const boundary = "clock.(*Clock)."

// Classify gives the phase of a stack of Go functions, innermost first.
func Classify(stack []string) Phase {
	for i, f := range stack {
		if strings.Contains(f, boundary) {
			stack = stack[:i]
			break
		}
	}
	for _, p := range phases {
		for _, f := range stack {
			short := f[strings.LastIndexByte(f, '/')+1:]
			for _, name := range p.functions {
				if strings.HasPrefix(short, name) {
					return p.Phase
				}
			}
		}
	}
	return Other
}
