package profile

import (
	"bytes"
	"cmp"
	"fmt"
	"io"
	"maps"
	"runtime"
	"runtime/pprof"
	"slices"
	"text/tabwriter"
	"time"

	pprofile "github.com/google/pprof/profile"

	"tachyform/internal/script/quickjs"
)

// sampleEvery is how often the stacks of scripts are sampled.
const sampleEvery = time.Millisecond

// Report is where the time of some runs went.
type Report struct {
	// Runs is how often the work was repeated. All other numbers are of all runs.
	Runs int
	// CPU is processor time, Allocated are bytes.
	CPU       map[Phase]time.Duration
	Allocated map[Phase]int64
	// Functions are the functions of scripts that samples found, Samples the number of samples.
	Functions map[quickjs.Function]Times
	Samples   int
	// Go is the profile of processor time as Go's tools read it.
	Go []byte
	// Unclassified are the innermost functions of the phase Other.
	Unclassified map[string]time.Duration
}

// Times counts the samples in which a function was the innermost one, and in which it was active.
type Times struct{ Self, All int }

// Take repeats work for the given time, and at least once.
func Take(modules Modules, least time.Duration, work func() error) (*Report, error) {
	runtime.MemProfileRate = 64 << 10
	r := &Report{CPU: map[Phase]time.Duration{}, Allocated: map[Phase]int64{}, Functions: map[quickjs.Function]Times{},
		Unclassified: map[string]time.Duration{}}
	var cpu, before, after bytes.Buffer
	if err := work(); err != nil { // what happens once in a process is left out
		return nil, err
	}
	if err := pprof.Lookup("allocs").WriteTo(&before, 0); err != nil {
		return nil, err
	}
	if err := pprof.StartCPUProfile(&cpu); err != nil {
		return nil, err
	}
	stop := quickjs.Sample(sampleEvery)
	var failed error
	for start := time.Now(); failed == nil && (r.Runs == 0 || time.Since(start) < least); r.Runs++ {
		failed = work()
	}
	pprof.StopCPUProfile()
	stacks := stop()
	if failed != nil {
		return nil, failed
	}
	r.Go = slices.Clone(cpu.Bytes())
	runtime.GC() // the profile of allocations is as of the last collection
	if err := pprof.Lookup("allocs").WriteTo(&after, 0); err != nil {
		return nil, err
	}
	for _, part := range []struct {
		profile *bytes.Buffer
		kind    string
		add     func(stack []string, value int64)
	}{
		{&cpu, "cpu", func(stack []string, n int64) {
			phase := Classify(stack)
			r.CPU[phase] += time.Duration(n)
			if phase == Other {
				r.Unclassified[stack[0]] += time.Duration(n)
			}
		}},
		{&after, "alloc_space", func(stack []string, n int64) { r.Allocated[Classify(stack)] += n }},
		{&before, "alloc_space", func(stack []string, n int64) { r.Allocated[Classify(stack)] -= n }},
	} {
		if err := each(part.profile, part.kind, part.add); err != nil {
			return nil, err
		}
	}
	r.Samples = len(stacks)
	for _, stack := range stacks {
		seen := map[quickjs.Function]bool{}
		for i, f := range stack {
			f = modules.locate(f)
			t := r.Functions[f]
			if i == 0 {
				t.Self++
			}
			if !seen[f] {
				t.All++
			}
			seen[f], r.Functions[f] = true, t
		}
	}
	return r, nil
}

// each calls add for each sample of a profile with its stack, innermost function first, and its value of a kind.
func each(encoded io.Reader, kind string, add func(stack []string, value int64)) error {
	p, err := pprofile.Parse(encoded)
	if err != nil {
		return err
	}
	at := slices.IndexFunc(p.SampleType, func(t *pprofile.ValueType) bool { return t.Type == kind })
	if at < 0 {
		return fmt.Errorf("the profile has no values of kind %s", kind)
	}
	for _, s := range p.Sample {
		var stack []string
		for _, l := range s.Location {
			for _, line := range l.Line {
				stack = append(stack, line.Function.Name)
			}
		}
		if len(stack) > 0 {
			add(stack, s.Value[at])
		}
	}
	return nil
}

// mostFunctions bounds the functions that are listed.
const mostFunctions = 25

// Write writes the report as text.
func (r *Report) Write(w io.Writer) error {
	t := tabwriter.NewWriter(w, 0, 0, 2, ' ', tabwriter.AlignRight)
	var all time.Duration
	var bytesOfAll int64
	for _, d := range r.CPU {
		all += d
	}
	for _, n := range r.Allocated {
		bytesOfAll += n
	}
	runs := float64(r.Runs)
	ms := func(d time.Duration) float64 { return d.Seconds() * 1000 / runs }
	mb := func(n int64) float64 { return float64(n) / 1e6 / runs }
	fmt.Fprintf(t, "ms\tshare\tMB allocated\t  phase (processor time of a run, mean of %d)\n", r.Runs)
	for _, p := range byValue(r.CPU) {
		fmt.Fprintf(t, "%.1f\t%.1f %%\t%.1f\t  %s\n", ms(r.CPU[p]), percent(r.CPU[p], all), mb(r.Allocated[p]), p)
	}
	fmt.Fprintf(t, "%.1f\t100 %%\t%.1f\t  all\n", ms(all), mb(bytesOfAll))
	for i, f := range byValue(r.Unclassified) {
		if i == 0 {
			fmt.Fprintf(t, "\n\tshare\t\t  innermost functions of the phase %q\n", Other)
		}
		if i == 10 {
			break
		}
		fmt.Fprintf(t, "%.1f\t%.1f %%\t\t  %s\n", ms(r.Unclassified[f]), percent(r.Unclassified[f], all), f)
	}
	modules := map[string]int{}
	for f, times := range r.Functions {
		if f.Own {
			modules[f.File] += times.Self
		} else {
			modules["(the site)"] += times.Self
		}
	}
	fmt.Fprintf(t, "\nself\t\t\t  modules (of %d samples)\n", r.Samples)
	list := byValue(modules)
	for _, name := range list[:min(len(list), mostFunctions)] {
		fmt.Fprintf(t, "%.1f %%\t\t\t  %s\n", percent(modules[name], r.Samples), name)
	}
	for _, own := range []bool{true, false} {
		title := "JavaScript of the site"
		if own {
			title = "JavaScript of the environment"
		}
		fmt.Fprintf(t, "\nself\twith callees\t\t  %s (of %d samples)\n", title, r.Samples)
		list := slices.SortedFunc(maps.Keys(r.Functions), func(a, b quickjs.Function) int {
			return cmp.Or(r.Functions[b].Self-r.Functions[a].Self, r.Functions[b].All-r.Functions[a].All,
				cmp.Compare(a.Name+a.File, b.Name+b.File))
		})
		list = slices.DeleteFunc(list, func(f quickjs.Function) bool { return f.Own != own })
		for _, f := range list[:min(len(list), mostFunctions)] {
			fmt.Fprintf(t, "%.1f %%\t%.1f %%\t\t  %s\n", percent(r.Functions[f].Self, r.Samples),
				percent(r.Functions[f].All, r.Samples), label(f))
		}
	}
	return t.Flush()
}

func label(f quickjs.Function) string {
	name := cmp.Or(f.Name, "(anonymous)")
	if f.File != "" {
		name += " in " + f.File
	}
	if f.Line > 0 {
		name += fmt.Sprintf(":%d", f.Line)
	}
	return name
}

// byValue lists the keys of a map, those with the highest values first.
func byValue[K cmp.Ordered, V cmp.Ordered](m map[K]V) []K {
	return slices.SortedFunc(maps.Keys(m), func(a, b K) int { return cmp.Or(cmp.Compare(m[b], m[a]), cmp.Compare(a, b)) })
}

func percent[N int | time.Duration](part, of N) float64 {
	return 100 * float64(part) / float64(max(of, 1))
}
