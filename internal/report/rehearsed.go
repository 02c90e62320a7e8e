package report

import (
	"bytes"
	_ "embed"
	"encoding/base64"
	"fmt"
	"html/template"
	"slices"
	"strings"

	"tachyform/internal/audit"
	"tachyform/internal/confirm"
)

// Rehearsed is the result of tachyform rehearse.
type Rehearsed struct {
	Site, Origin, Entry string
	// Report has the pages; it is nil if only rehearsals of the project file were run.
	Report *audit.Report
	Played []*audit.PlanResult
	// Browser is the result in a real browser, if there is one.
	Browser *confirm.Result
}

// RehearsedText formats the result for the terminal. account adds all events of each step.
func RehearsedText(r *Rehearsed, account bool, width int) string {
	var b strings.Builder
	if r.Report != nil {
		b.WriteString(Rehearsal(r.Report, width))
	}
	if r.Browser != nil && r.Report != nil {
		b.WriteString(Compared(r.Browser.Browser, r.Browser.Rows, width))
	}
	for i, p := range r.Played {
		b.WriteString(PlanResult(p, account, width))
		if r.Browser != nil {
			b.WriteString(playedText(r.Browser.Browser, r.Browser.Plans[i], width))
		}
	}
	if r.Report != nil {
		b.WriteString(RehearsalNext(r.Report))
	}
	return b.String()
}

// playedText lists the steps of a rehearsal that a real browser carried out differently than predicted, and the skipped ones.
func playedText(browser string, p *confirm.Played, width int) string {
	var b strings.Builder
	same, skipped := 0, 0
	for _, s := range p.Steps {
		switch {
		case s.Skipped != "":
			skipped++
		case !s.Differs():
			same++
		}
	}
	fmt.Fprintf(&b, "\n  in %s: %d of %s as predicted", browser, same, count(len(p.Steps)-skipped, "step", "steps"))
	if skipped > 0 {
		fmt.Fprintf(&b, ", %d not comparable", skipped)
	}
	b.WriteByte('\n')
	for i, s := range p.Steps {
		switch {
		case s.Skipped != "":
			fmt.Fprintf(&b, "     %2d  %s\n", i+1, each(faint, wrap(safe(s.Predicted.Do)+": "+s.Skipped, width-9, 9)))
		case s.Differs():
			predicted, seen := stepWords(s)
			fmt.Fprintf(&b, "%s    %2d  %s\n         predicted  %s\n         seen       %s\n", red.Render("≠"), i+1, wrap(safe(s.Predicted.Do), width-9, 9),
				wrap(predicted, width-20, 20), wrap(seen, width-20, 20))
		}
	}
	return b.String()
}

// stepWords describes the predicted and the seen result of a step.
func stepWords(s confirm.PlayedStep) (predicted, seen string) {
	words := func(wrong []string, title string, shows bool) string {
		switch {
		case len(wrong) > 0:
			return safe(strings.Join(wrong, "; "))
		case !shows:
			return "no page"
		case title != "":
			return "“" + safe(title) + "”"
		}
		return "as expected"
	}
	predicted = words(s.Predicted.Wrong, s.Predicted.Title, true)
	if s.Seen != nil {
		return predicted, words(s.Wrong, s.Seen.Title, s.Seen.Shows)
	}
	return predicted, words(s.Wrong, "", true)
}

type playedJSON struct {
	Name  string           `json:"name"`
	Steps []playedStepJSON `json:"steps"`
}

type playedStepJSON struct {
	Do      string   `json:"do"`
	Title   string   `json:"title,omitempty"`
	Shows   *bool    `json:"shows,omitempty"`
	Wrong   []string `json:"wrong,omitempty"`
	Skipped string   `json:"skipped,omitempty"`
	Differs bool     `json:"differs"`
}

// JSON returns the result as JSON has it.
func (r *Rehearsed) JSON() any {
	out := map[string]any{"schema": "tachyform.rehearsal/1", "site": r.Site, "origin": r.Origin, "entry": r.Entry, "rehearsals": r.Played}
	if r.Report != nil {
		out["worker"], out["pages"], out["gaps"] = r.Report.Worker, r.Report.Pages, append([]string{}, r.Report.Rehearsal.Gaps...)
	}
	if r.Browser == nil {
		return out
	}
	out["browser"], out["seen"] = r.Browser.Browser, ComparedJSON(r.Browser.Rows)
	played := []playedJSON{}
	for _, p := range r.Browser.Plans {
		one := playedJSON{p.Name, []playedStepJSON{}}
		for _, s := range p.Steps {
			step := playedStepJSON{Do: s.Predicted.Do, Wrong: s.Wrong, Skipped: s.Skipped, Differs: s.Differs()}
			if s.Seen != nil {
				step.Title, step.Shows = s.Seen.Title, &s.Seen.Shows
			}
			one.Steps = append(one.Steps, step)
		}
		played = append(played, one)
	}
	out["played"] = played
	return out
}

// RehearsalJUnit writes the result as test results: a case for each page and condition, and for each rehearsal. A page fails if a real
// browser shows it differently than predicted.
func RehearsalJUnit(r *Rehearsed) ([]byte, error) {
	pages, rehearsals := junitSuite{Name: "pages"}, junitSuite{Name: "rehearsals"}
	differs := map[string]confirm.Row{}
	if r.Browser != nil {
		for _, row := range r.Browser.Rows {
			if row.Unknown == "" && row.Differs != confirm.Same {
				differs[row.Path+" "+row.Condition.Name] = row
			}
		}
	}
	if r.Report != nil {
		for _, p := range r.Report.Pages {
			for _, c := range conditionsOf(r.Report.Pages) {
				o := p.Under[c]
				if o == nil {
					continue
				}
				one := junitCase{Class: "pages", Name: safe(p.URL) + " " + c, Output: string(o.Outcome)}
				if row, is := differs[p.URL+" "+c]; is {
					one.Failure = &junitFailure{r.Browser.Browser + " shows another result", "prediction", safeLines(row.Seen.Title + "\n" + row.Seen.Text)}
				}
				pages.add(one)
			}
		}
	}
	for i, p := range r.Played {
		one := junitCase{Class: "rehearsals", Name: safe(p.Name)}
		var wrong []string
		for n, s := range p.Steps {
			for _, w := range s.Wrong {
				wrong = append(wrong, fmt.Sprintf("step %d, %s: %s", n+1, s.Do, w))
			}
		}
		if r.Browser != nil {
			for n, s := range r.Browser.Plans[i].Steps {
				if predicted, seen := stepWords(s); s.Differs() {
					wrong = append(wrong, fmt.Sprintf("step %d, %s: predicted %s, %s: %s", n+1, s.Predicted.Do, predicted, r.Browser.Browser, seen))
				}
			}
		}
		if wrong != nil {
			one.Failure = &junitFailure{"expectations are not met", "rehearsal", safeLines(strings.Join(wrong, "\n"))}
		}
		rehearsals.add(one)
	}
	return junitText("Tachyform rehearsal: "+r.Site, pages, rehearsals)
}

// RehearsalMarkdown writes the result for a pull request.
func RehearsalMarkdown(r *Rehearsed) []byte {
	var b strings.Builder
	line := func(format string, args ...any) { fmt.Fprintf(&b, format+"\n", args...) }
	line("## %s: rehearsal", plainMarkdown(r.Site))
	if r.Report != nil {
		conditions := conditionsOf(r.Report.Pages)
		line("")
		line("| page | %s |", strings.Join(conditions, " | "))
		line("|---%s|", strings.Repeat("|---", len(conditions)))
		for i, p := range r.Report.Pages {
			if i == maxMarkdown {
				line("| … %d more | |", len(r.Report.Pages)-i)
				break
			}
			var cells []string
			for _, c := range conditions {
				word := ""
				if o := p.Under[c]; o != nil {
					if word = string(o.Outcome); !o.Known {
						word = "unknown"
					}
				}
				cells = append(cells, word)
			}
			line("| %s | %s |", plainMarkdown(p.URL), strings.Join(cells, " | "))
		}
	}
	if r.Browser != nil && r.Report != nil {
		line("")
		line("In %s:", r.Browser.Browser)
		line("")
		same := true
		for _, row := range r.Browser.Rows {
			if row.Unknown == "" && row.Differs != confirm.Same {
				same = false
				line("- %s, %s: predicted %s, seen %s", plainMarkdown(row.Path), row.Condition.Name, plainMarkdown(sight(row.Shows, row.Outcome, row.Title, row.Text, row.Differs)),
					plainMarkdown(sight(row.Seen.Shows, "", row.Seen.Title, row.Seen.Text, row.Differs)))
			}
		}
		if same {
			line("All pages with a known outcome are as predicted.")
		}
	}
	for _, p := range r.Played {
		line("")
		mark := "expectations met"
		if !p.Holds {
			mark = "**expectations not met**"
		}
		line("### %s: %s", plainMarkdown(p.Name), mark)
		line("")
		for n, s := range p.Steps {
			line("%d. %s%s", n+1, plainMarkdown(s.Do), plainMarkdown(wrongWords(s.Wrong)))
		}
	}
	return []byte(b.String())
}

func wrongWords(wrong []string) string {
	if len(wrong) == 0 {
		return ""
	}
	return ": " + strings.Join(wrong, "; ")
}

//go:embed rehearsed.html
var rehearsedText string

var rehearsedTemplate = template.Must(template.New("rehearsed").Funcs(template.FuncMap{"plural": count}).Parse(scenariosText + rehearsedText))

// rehearsedView is the data of the template.
type rehearsedView struct {
	*Rehearsed
	Conditions []string
	Pages      []rehearsedPage
	Plans      []rehearsedPlan
	Compared   int // pages with a known prediction
	Differing  int
	More       int // pages without a row
}

type rehearsedPage struct {
	URL, Title string
	Cells      []rehearsedCell
	Pictures   []rehearsedPicture
}

type rehearsedCell struct {
	Outcome, Why, Seen string
	Differs, Compared  bool
}

type rehearsedPicture struct {
	Words string
	Phone bool
	Image template.URL
}

type rehearsedPlan struct {
	Name  string
	Holds bool
	Steps []rehearsedStep
}

type rehearsedStep struct {
	Do, Outcome, Predicted, Seen, Skipped string
	Wrong, Differs                        bool
}

// RehearsalHTML writes the result as a self-contained page.
func RehearsalHTML(r *Rehearsed) ([]byte, error) {
	v := rehearsedView{Rehearsed: r}
	rows := map[string]confirm.Row{}
	pictures := map[string][]rehearsedPicture{}
	if r.Browser != nil {
		for _, row := range r.Browser.Rows {
			rows[row.Path+" "+row.Condition.Name] = row
			if row.Unknown == "" {
				v.Compared++
				if row.Differs != confirm.Same {
					v.Differing++
				}
			}
		}
		for _, size := range confirm.Sizes {
			for _, p := range slices.Backward(r.Browser.Pictures) { // online first
				if p.Size == size.Name {
					pictures[p.Path] = append(pictures[p.Path], rehearsedPicture{p.Condition, size.Width < 600,
						template.URL("data:image/jpeg;base64," + base64.StdEncoding.EncodeToString(p.JPEG))})
				}
			}
		}
	}
	if r.Report != nil {
		v.Conditions = conditionsOf(r.Report.Pages)
		v.More = max(0, len(r.Report.Pages)-maxPageRows)
		for _, p := range r.Report.Pages[:min(len(r.Report.Pages), maxPageRows)] {
			one := rehearsedPage{URL: p.URL, Title: p.Title, Pictures: pictures[p.URL]}
			for _, c := range v.Conditions {
				cell := rehearsedCell{}
				if o := p.Under[c]; o != nil {
					if cell.Outcome = string(o.Outcome); !o.Known {
						cell.Outcome, cell.Why = "unknown", o.Why
					}
				}
				if row, is := rows[p.URL+" "+c]; is && row.Unknown == "" {
					cell.Compared, cell.Differs = true, row.Differs != confirm.Same
					cell.Seen = sight(row.Seen.Shows, "", row.Seen.Title, row.Seen.Text, row.Differs)
				}
				one.Cells = append(one.Cells, cell)
			}
			v.Pages = append(v.Pages, one)
		}
	}
	for i, p := range r.Played {
		plan := rehearsedPlan{Name: p.Name, Holds: p.Holds}
		for n, s := range p.Steps {
			step := rehearsedStep{Do: s.Do, Outcome: string(s.Outcome), Wrong: len(s.Wrong) > 0, Predicted: strings.TrimPrefix(wrongWords(s.Wrong), ": ")}
			if r.Browser != nil {
				seen := r.Browser.Plans[i].Steps[n]
				if step.Skipped, step.Differs = seen.Skipped, seen.Differs(); step.Differs {
					step.Predicted, step.Seen = stepWords(seen)
				}
			}
			plan.Steps = append(plan.Steps, step)
		}
		v.Plans = append(v.Plans, plan)
	}
	var b bytes.Buffer
	err := rehearsedTemplate.Execute(&b, v)
	return b.Bytes(), err
}
