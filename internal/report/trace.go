package report

import (
	"fmt"
	"regexp"
	"strings"

	"tachyform/internal/useragent"
)

// RuleOf names the part of the project file that an answer's source belongs to: "pack", or a rule's pattern; "" for others.
func RuleOf(source string) string {
	name, ok := strings.CutPrefix(source, "cache tachyform ")
	if !ok {
		return ""
	}
	if strings.HasSuffix(name, " pack") {
		return "pack"
	}
	_, rule, _ := strings.Cut(name, " kept ")
	return storeStamp.ReplaceAllString(rule, "")
}

// storeStamp ends the names of stores whose content a release may change.
var storeStamp = regexp.MustCompile(` #[0-9A-Za-z+/]{8}$`)

// sourceText names where an answer came from.
func sourceText(source string) string {
	switch rule := RuleOf(source); {
	case rule == "pack":
		return "the pack"
	case rule != "":
		return "what " + rule + " kept"
	case source == "network":
		return "the network"
	case source == "worker":
		return "the worker itself"
	}
	return "the " + source
}

// sourceWords says in words where an answer came from.
func sourceWords(t *useragent.Traced) string {
	if rule := RuleOf(t.Source); rule == "pack" {
		return "from the pack"
	} else if rule != "" {
		return "from what the rule " + rule + " kept"
	}
	switch {
	case t.Source == "network" && t.Handled == "worker":
		return "from the network, through the worker"
	case t.Source == "network":
		return "from the network"
	case t.Source == "worker":
		return "made by the worker itself"
	}
	return "from the " + t.Source
}

// Trace shows how one request is answered under each condition.
func Trace(url, destination, origin string, list []*useragent.Traced, width int) string {
	var b strings.Builder
	kind := destination
	if kind == "" {
		kind = "data"
	}
	fmt.Fprintf(&b, "%s  %s\n", bold.Render(safe(url)), faint.Render("asked for as "+kind))
	for _, t := range list {
		fmt.Fprintf(&b, "\n%s\n", bold.Render(strings.ToUpper(t.Condition)))
		if t.Source == "" {
			fmt.Fprintf(&b, "  %s  %s\n", red.Render("no answer"), wrap(safe(t.Reason), width-14, 13))
		} else {
			style := green
			if t.Status >= 400 {
				style = red
			}
			words := sourceWords(t)
			if t.Shown != "" {
				words += ": " + safe(strings.TrimPrefix(t.Shown, origin))
			}
			fmt.Fprintf(&b, "  %s  %s  %s\n", style.Render(fmt.Sprint(t.Status)), words, faint.Render(fmt.Sprintf("%d ms, %s", t.Elapsed.Milliseconds(), size(t.Bytes))))
		}
		for _, s := range t.Sent {
			what := "no answer"
			if s.Status > 0 {
				what = fmt.Sprint(s.Status)
			}
			fmt.Fprintf(&b, "  %s %s\n", faint.Render("network"), fitTo(safe(strings.TrimPrefix(s.URL, origin)), width-24)+faint.Render("  "+what))
		}
		for _, s := range t.Stored {
			fmt.Fprintf(&b, "  %s  %s\n", faint.Render("stored"), fitTo(safe(strings.TrimPrefix(s.Request.URL, origin)), width-12)+faint.Render("  in "+safe(storeStamp.ReplaceAllString(s.Cache, ""))))
		}
		for _, n := range t.Notes {
			fmt.Fprintf(&b, "  %s %s\n", yellow.Render(n.Level), wrap(safe(n.Text), width-4-len(n.Level), 3+len(n.Level)))
		}
	}
	return b.String()
}
