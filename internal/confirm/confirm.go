// Package confirm opens the pages of a site in a real browser under network conditions and compares them with the predictions of the
// embedded user agent.
package confirm

import (
	"context"
	"encoding/json"
	"strings"
	"time"

	"tachyform/internal/condition"
	"tachyform/internal/driver"
	"tachyform/internal/serve"
)

// Prediction is the predicted result of a page under a condition.
type Prediction struct {
	// Path is the URL of the page without its origin.
	Path      string
	Condition condition.Condition
	// Outcome is the predicted outcome. Shows is false if the browser shows an error or nothing.
	Outcome string
	Shows   bool
	// Whole is true if the page shows the same as online.
	Whole       bool
	Title, Text string
	// Unknown is the reason why the outcome is unknown, or "".
	Unknown string
}

// Sight is the result of a page in a real browser.
type Sight struct {
	Shows       bool
	Title, Text string
}

// Row compares the prediction for a page with its result in a real browser.
type Row struct {
	Prediction
	Seen    Sight
	Differs Difference
}

// Difference is the first property in which a result differs from its prediction.
type Difference string

// Differences.
const (
	Same  Difference = ""
	Shows Difference = "shown" // only one of the two shows a page
	Title Difference = "title"
	Text  Difference = "text"
)

// Site is a served site.
type Site struct {
	Server *serve.Server
	// Visit lists the paths that are opened online first, to install the worker.
	Visit []string
}

// Limits of waiting.
const (
	longestInstall = 20 * time.Second
	longestSettle  = 4 * time.Second
	settled        = 400 * time.Millisecond
)

// Compare visits the site in a browser with a new profile, then opens each page under its condition. done, if set, is called after
// each page.
func (s *Site) Compare(ctx context.Context, b driver.Browser, list []Prediction, done func(n int)) ([]Row, error) {
	tab, err := b.NewTab()
	if err != nil {
		return nil, err
	}
	defer tab.Close()
	if err := s.install(ctx, tab); err != nil {
		return nil, err
	}
	defer s.Server.Online()
	var rows []Row
	under := ""
	for i, p := range list {
		if err := ctx.Err(); err != nil {
			return rows, err
		}
		if p.Condition.Name != under {
			if err := s.Server.SetCondition(p.Condition); err != nil {
				return rows, err
			}
			under = p.Condition.Name
		}
		row := Row{Prediction: p, Seen: s.look(ctx, tab, p.Path)}
		row.Differs = compare(p, row.Seen)
		rows = append(rows, row)
		if done != nil {
			done(i + 1)
		}
	}
	return rows, s.atThisHour(ctx, tab, rows)
}

// atThisHour checks pages with an unexpected text again, online: the text of many pages depends on the time. A page that was predicted
// whole and shows the same text online is as predicted.
func (s *Site) atThisHour(ctx context.Context, tab driver.Tab, rows []Row) error {
	if err := s.Server.Online(); err != nil {
		return err
	}
	for i := range rows {
		r := &rows[i]
		if r.Differs == Text && r.Whole && ctx.Err() == nil {
			if online := s.look(ctx, tab, r.Path); online == r.Seen {
				r.Differs = Same
			}
		}
	}
	return ctx.Err()
}

// install visits the site online and waits until its worker, if it has one, is active.
func (s *Site) install(ctx context.Context, tab driver.Tab) error {
	if err := s.Server.Online(); err != nil {
		return err
	}
	const active = `navigator.serviceWorker === undefined ? 'none' : navigator.serviceWorker.getRegistrations().then((list) =>
		list.length === 0 ? 'none' : list.every((r) => r.active && r.active.state === 'activated' && !r.installing) ? 'active' : 'wait')`
	for _, path := range s.Visit {
		if err := tab.Load(s.Server.Origin() + path); err != nil {
			return err
		}
		s.settle(ctx, tab)
		until := time.Now().Add(longestInstall)
		for time.Now().Before(until) && ctx.Err() == nil {
			if state, err := tab.Evaluate("Promise.resolve(" + active + ")"); err == nil && state != "wait" {
				break
			}
			time.Sleep(100 * time.Millisecond)
		}
	}
	return ctx.Err()
}

// snapshot is an expression for the URL, the title and the visible text of a page.
const snapshot = `JSON.stringify([location.href, document.title, document.body ? document.body.innerText : ''])`

// settle waits until the snapshot of a page no longer changes, and returns it.
func (s *Site) settle(ctx context.Context, tab driver.Tab) (shown [3]string) {
	before, since, until := "", time.Now(), time.Now().Add(longestSettle)
	for time.Now().Before(until) && ctx.Err() == nil {
		text, err := tab.Evaluate("Promise.resolve(" + snapshot + ")")
		if err != nil {
			text = ""
		}
		if text != before {
			before, since = text, time.Now()
		}
		if time.Since(since) > settled {
			break
		}
		time.Sleep(80 * time.Millisecond)
	}
	_ = json.Unmarshal([]byte(before), &shown) // a failed evaluation leaves shown empty
	return shown
}

func (s *Site) look(ctx context.Context, tab driver.Tab, path string) Sight {
	if tab.Load("about:blank") != nil || tab.Load(s.Server.Origin()+path) != nil {
		return Sight{}
	}
	shown := s.settle(ctx, tab)
	if !strings.HasPrefix(shown[0], s.Server.Origin()+"/") {
		return Sight{}
	}
	return Sight{true, shown[1], Plain(shown[2])}
}

// compared is the length of the text that is compared, in characters.
const compared = 400

// Plain returns the start of a text with collapsed white space, for the comparison.
func Plain(text string) string {
	letters := []rune(strings.Join(strings.Fields(text), " "))
	return string(letters[:min(compared, len(letters))])
}

// compare returns the first difference of a result from its prediction.
func compare(p Prediction, seen Sight) Difference {
	switch {
	case p.Shows != seen.Shows:
		return Shows
	case !p.Shows:
		return Same
	case strings.TrimSpace(p.Title) != strings.TrimSpace(seen.Title) && p.Title != "":
		return Title
	case strings.ReplaceAll(Plain(p.Text), " ", "") != strings.ReplaceAll(seen.Text, " ", ""):
		return Text
	}
	return Same
}
