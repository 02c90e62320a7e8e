package report

import (
	"fmt"
	"strings"

	"tachyform/internal/confirm"
)

// comparedJSON is the JSON form of a confirm.Row.
type comparedJSON struct {
	URL       string `json:"url"`
	Condition string `json:"condition"`
	Predicted string `json:"predicted"`
	Unknown   string `json:"unknown,omitempty"`
	Shows     bool   `json:"shows"`
	Title     string `json:"title"`
	Differs   string `json:"differs,omitempty"`
}

// ComparedJSON returns the JSON form of a comparison.
func ComparedJSON(rows []confirm.Row) []comparedJSON {
	list := []comparedJSON{}
	for _, r := range rows {
		list = append(list, comparedJSON{r.Path, r.Condition.Name, r.Outcome, r.Unknown, r.Seen.Shows, r.Seen.Title, string(r.Differs)})
	}
	return list
}

// Compared lists the pages that a real browser showed differently than predicted.
func Compared(browser string, rows []confirm.Row, width int) string {
	var b strings.Builder
	same, unknown, cached := 0, 0, 0
	var differs []confirm.Row
	for _, r := range rows {
		switch {
		case r.Unknown != "":
			unknown++
		case r.Differs == confirm.Same:
			if same++; r.ByHTTPCache {
				cached++
			}
		default:
			differs = append(differs, r)
		}
	}
	fmt.Fprintf(&b, "\n%s\n", bold.Render("SEEN IN "+strings.ToUpper(browser)))
	fmt.Fprintf(&b, "  %d of %d as predicted", same, len(rows)-unknown)
	if cached > 0 {
		fmt.Fprintf(&b, ", %d of them with what the HTTP cache stored", cached)
	}
	if unknown > 0 {
		fmt.Fprintf(&b, "; %s without a prediction", count(unknown, "page", "pages"))
	}
	b.WriteByte('\n')
	for _, r := range differs {
		fmt.Fprintf(&b, "\n  %s  %s\n", safe(r.Path), faint.Render(r.Condition.Name))
		predicted, seen := apart(confirm.Plain(r.Text), r.Seen.Text)
		fmt.Fprintf(&b, "    predicted  %s\n", wrap(sight(r.Shows, r.Outcome, r.Title, predicted, r.Differs), width-15, 15))
		fmt.Fprintf(&b, "    seen       %s\n", wrap(sight(r.Seen.Shows, "", r.Seen.Title, seen, r.Differs), width-15, 15))
	}
	for _, r := range rows {
		if r.Unknown != "" {
			fmt.Fprintf(&b, "\n  %s  %s\n    %s\n", safe(r.Path), faint.Render(r.Condition.Name), wrap("prediction unknown: "+safe(r.Unknown)+"; seen: "+
				sight(r.Seen.Shows, "", r.Seen.Title, r.Seen.Text, confirm.Title), width-4, 4))
		}
	}
	return b.String()
}

// apart returns the first difference of two texts with some words of context.
func apart(a, b string) (string, string) {
	before, shown := 4, 16
	x, y := strings.Fields(a), strings.Fields(b)
	at := 0
	for at < len(x) && at < len(y) && x[at] == y[at] {
		at++
	}
	part := func(words []string) string {
		from := max(0, min(at-before, len(words)))
		to := min(from+shown, len(words))
		text := strings.Join(words[from:to], " ")
		if from > 0 {
			text = "… " + text
		}
		if to < len(words) {
			text += " …"
		}
		return text
	}
	return part(x), part(y)
}

// sight describes the result of a page.
func sight(shows bool, outcome, title, text string, differs confirm.Difference) string {
	words := outcome
	if !shows {
		return strings.TrimPrefix(words+", no page", ", ")
	}
	if differs == confirm.Text {
		words += ": " + text
	} else {
		words += ", “" + title + "”"
	}
	return safe(strings.TrimLeft(words, ",: "))
}
