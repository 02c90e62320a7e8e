package rehearsal

import (
	"strings"

	"tachyform/internal/request"
	"tachyform/internal/useragent/document"
)

// undrawn lists the words and pictures that a page draws online, and that are not there in a view of it, in their
// order. Pages whose scripts have not run draw what they hold.
func undrawn(v, reference *document.View) (list []string) {
	if v.Document == nil || reference.Document == nil || v.Drawn != document.DrawnRun ||
		reference.Drawn != document.DrawnRun {
		return nil
	}
	have := map[string]int{}
	text, online := v.DrawnText(), reference.DrawnText()
	if text != online {
		for _, word := range strings.Fields(text) {
			have[word]++
		}
		for _, word := range strings.Fields(online) {
			if have[word]--; have[word] < 0 {
				list = append(list, word)
			}
		}
	}
	asked := map[string]bool{}
	for _, l := range v.Loads {
		asked[l.URL] = true
	}
	for _, l := range reference.Loads {
		if l.Destination == request.Image && l.Done && !l.Missing && !l.Background && !asked[l.URL] {
			list = append(list, l.URL)
			asked[l.URL] = true
		}
	}
	return list
}

// settleDrawn decides what a page lacks: again is the page online once more, later and as the visits have left the
// profile. What it lacks as well changes from load to load.
func (o *PageOutcome) settleDrawn(again *document.View) {
	changes := map[string]int{}
	for _, word := range strings.Fields(again.DrawnText()) {
		changes[word]++
	}
	for _, l := range again.Loads {
		changes[l.URL]++
	}
	here := map[string]int{}
	for _, word := range strings.Fields(o.View.DrawnText()) {
		here[word]++
	}
	var lacks []string
	counted := map[string]int{}
	for _, word := range o.Lacks {
		if _, known := counted[word]; !known {
			counted[word] = changes[word] - here[word]
		}
		if counted[word] > 0 {
			lacks = append(lacks, word)
		}
		counted[word]--
	}
	o.Lacks = lacks
	switch {
	case len(lacks) > 0 && o.Outcome == Whole:
		o.Outcome = Partial
	case o.View.ShowsNothing() && o.Doubt == nil && o.Outcome == Whole:
		o.Doubt = &Doubt{Kind: DoubtNothing} // what it draws online comes and goes
	}
}
