// Package confirm opens the pages of a site in a real browser, under conditions of the network, and compares what it shows with what
// was predicted.
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

// Prediction is what the embedded user agent says of a page under a condition.
type Prediction struct {
	// Path is the address of the page on the site, with its query and fragment.
	Path      string
	Condition condition.Condition
	// Outcome is the word for it; Shows says that a page is shown rather than an error or nothing.
	Outcome string
	Shows   bool
	// Whole says that the page shows what it shows online.
	Whole       bool
	Title, Text string
	// Unknown says why it cannot be relied on, "" where it can.
	Unknown string
}

// Sight is what a real browser showed.
type Sight struct {
	Shows       bool
	Title, Text string
}

// Row is a page under a condition, as predicted and as seen.
type Row struct {
	Prediction
	Seen Sight
	// Differs says in what the two differ.
	Differs Difference
}

// Difference is in what a sight differs from its prediction.
type Difference string

// In what that may be.
const (
	Same  Difference = ""
	Shows Difference = "shown" // one shows a page and the other none
	Title Difference = "title"
	Text  Difference = "text"
)

// Site is a site that is served and tried.
type Site struct {
	Server *serve.Server
	// Visit are the paths that are opened online first, so that the worker is installed.
	Visit []string
}

// Bounds of waiting, in real time.
const (
	longestInstall = 20 * time.Second
	longestSettle  = 4 * time.Second
	settled        = 400 * time.Millisecond
)

// Compare visits the site in a browser with a new profile, then opens each page under its condition. done, which may be nil, is told
// of each that is through.
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

// atThisHour looks once more at pages whose text is another than predicted: many show the time, which is another here. One that was
// predicted whole and shows what it shows online is as predicted.
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

// install visits the site online until its worker is active; a site without one is visited as well.
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

// snapshot is an expression for what a page shows.
const snapshot = `JSON.stringify([location.href, document.title, document.body ? document.body.innerText : ''])`

// settle waits until a page shows the same for a while, and gives it.
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
	_ = json.Unmarshal([]byte(before), &shown) // a page that says nothing shows nothing
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

// compared is how much of a text is compared, in characters.
const compared = 400

// Plain gives the beginning of a text with white space collapsed, as it is compared.
func Plain(text string) string {
	letters := []rune(strings.Join(strings.Fields(text), " "))
	return string(letters[:min(compared, len(letters))])
}

// compare says in what a sight differs from its prediction.
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
