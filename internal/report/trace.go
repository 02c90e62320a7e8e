package report

import (
	"fmt"
	"strings"

	"tachyform/internal/rehearsal"
	"tachyform/internal/useragent/fetch"
	"tachyform/internal/worker"
)

// RuleOf names the part of the project file that an answer's source belongs to: "pack", or a rule's pattern; "" for
// others.
func RuleOf(source fetch.Source) string {
	store, ours := worker.ParseStore(source.Cache)
	switch {
	case ours && store.Kind == worker.PackStore:
		return "pack"
	case ours && store.Kind == worker.RuleStore:
		return store.Rule
	}
	return ""
}

// sourceText names where an answer came from.
func sourceText(source fetch.Source) string {
	switch rule := RuleOf(source); {
	case rule == "pack":
		return "the pack"
	case rule != "":
		return "what " + rule + " kept"
	case source.Kind == fetch.NetworkSource:
		return "the network"
	case source.Kind == fetch.WorkerSource:
		return "the worker itself"
	case source.Kind == fetch.HistorySource:
		return "the tab, as it was left"
	}
	return "the " + source.String()
}

// sourceWords says in words where an answer came from.
func sourceWords(t *rehearsal.Traced) string {
	if rule := RuleOf(t.Source); rule == "pack" {
		return "from the pack"
	} else if rule != "" {
		return "from what the rule " + rule + " kept"
	}
	switch {
	case t.Source.Kind == fetch.NetworkSource && t.Handled == fetch.ByWorker:
		return "from the network, through the worker"
	case t.Source.Kind == fetch.NetworkSource:
		return "from the network"
	case t.Source.Kind == fetch.WorkerSource:
		return "made by the worker itself"
	}
	return "from the " + t.Source.String()
}

// storeText names a cache: ours by what it is for.
func storeText(name string) string {
	store, ours := worker.ParseStore(name)
	switch {
	case ours && store.Kind == worker.PackStore:
		return "the pack"
	case ours && store.Kind == worker.RuleStore:
		return "what " + store.Rule + " kept"
	case ours:
		return "the list of releases"
	}
	return "the cache " + name
}

// Trace shows how one request is answered under each condition.
func Trace(url, destination, origin string, list []*rehearsal.Traced, width int) string {
	var b strings.Builder
	kind := destination
	if kind == "" {
		kind = "data"
	}
	fmt.Fprintf(&b, "%s  %s\n", bold.Render(safe(url)), faint.Render("asked for as "+kind))
	for _, t := range list {
		fmt.Fprintf(&b, "\n%s\n", bold.Render(strings.ToUpper(t.Condition)))
		if t.Source.Kind == fetch.NoSource {
			fmt.Fprintf(&b, "  %s  %s\n", red.Render("no answer"), wrap(safe(t.Reason.String()), width-14, 13))
		} else {
			style := green
			if t.Status >= 400 {
				style = red
			}
			words := sourceWords(t)
			if t.Shown != "" {
				words += ": " + safe(strings.TrimPrefix(t.Shown, origin))
			}
			fmt.Fprintf(&b, "  %s  %s  %s\n", style.Render(fmt.Sprint(t.Status)), words,
				faint.Render(fmt.Sprintf("%d ms, %s", t.Elapsed.Milliseconds(), size(t.Bytes))))
		}
		for _, s := range t.Sent {
			what := "no answer"
			if s.Status > 0 {
				what = fmt.Sprint(s.Status)
			}
			fmt.Fprintf(&b, "  %s %s\n", faint.Render("network"), fitTo(safe(strings.TrimPrefix(s.URL, origin)), width-24)+
				faint.Render("  "+what))
		}
		for _, s := range t.Stored {
			fmt.Fprintf(&b, "  %s  %s\n", faint.Render("stored"),
				fitTo(safe(strings.TrimPrefix(s.Request.URL, origin)), width-12)+faint.Render("  in "+safe(storeText(s.Cache))))
		}
		for _, n := range t.Notes {
			fmt.Fprintf(&b, "  %s %s\n", yellow.Render(n.Level), wrap(safe(n.Text), width-4-len(n.Level), 3+len(n.Level)))
		}
	}
	return b.String()
}
