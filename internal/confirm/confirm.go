// Package confirm opens the pages of a site in a real browser under network conditions and compares them with the predictions of the
// embedded user agent.
package confirm

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"tachyform/internal/condition"
	"tachyform/internal/driver"
	"tachyform/internal/serve"
	"tachyform/internal/weburl"
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
	// Requests lists what the page requests, with status and source.
	Requests []string
	// Unknown is the reason why the outcome is unknown, or "".
	Unknown string
}

// Sight is the result of a page in a real browser.
type Sight struct {
	Shows bool
	Title string
	// Text is the part of the text that is compared with a prediction; all is the whole text.
	Text string
	all  string
}

// Row compares the prediction for a page with its result in a real browser.
type Row struct {
	Prediction
	Seen    Sight
	Differs Difference
	// Requests lists what reached the host while the page was open, with status and initiator.
	Requests []string
	// ByHTTPCache is true if the page is as predicted only with the HTTP cache.
	ByHTTPCache bool
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
	// Others serve the other origins of the site.
	Others []*serve.Server
	// Visit lists the paths that are opened online first, to install the worker.
	Visit []string
	// Patience is how long a page that differs may take to show what was predicted, 4 seconds by default.
	Patience time.Duration
	// Start, if set, starts the browser again with a new profile. Pages that differ are opened again in one.
	Start func() (driver.Browser, error)
	// Cached, if set, returns the predictions for a browser with an HTTP cache, which real browsers have.
	Cached func() ([]Prediction, error)
}

// Limits.
const (
	mostRepeats    = 12 // pages that are opened again
	longestInstall = 20 * time.Second
	settled        = 400 * time.Millisecond
	patience       = 4 * time.Second
)

// Compare visits the site in a browser with a new profile, then opens each page under its condition. done, if set, is called after
// each page.
func (s *Site) Compare(ctx context.Context, b driver.Browser, list []Prediction, done func(n int)) ([]Row, error) {
	tab, end, err := s.visited(ctx, b)
	if err != nil {
		return nil, err
	}
	defer end()
	var rows []Row
	under := ""
	for i, p := range list {
		if err := ctx.Err(); err != nil {
			return rows, err
		}
		if p.Condition.Name != under {
			if err := s.setCondition(p.Condition); err != nil {
				return rows, err
			}
			under = p.Condition.Name
		}
		s.Server.Log.Drain()
		row := Row{Prediction: p, Seen: s.look(ctx, tab, p), Requests: s.requests()}
		row.Differs = compare(p, row.Seen)
		rows = append(rows, row)
		if done != nil {
			done(i + 1)
		}
	}
	if err := s.atThisHour(ctx, tab, rows); err != nil {
		return rows, err
	}
	return rows, s.repeat(ctx, rows)
}

// repeat compares the pages that differ again: with the predictions for a browser with an HTTP cache, and in a new profile, because
// pages that were opened before may have changed what is stored.
func (s *Site) repeat(ctx context.Context, rows []Row) error {
	var cached map[string]Prediction
	repeats := 0
	for i := range rows {
		r := &rows[i]
		if r.Differs == Same || r.Unknown != "" {
			continue
		}
		if cached == nil && s.Cached != nil {
			list, err := s.Cached()
			if err != nil {
				return err
			}
			cached = map[string]Prediction{}
			for _, p := range list {
				cached[p.Condition.Name+" "+p.Path] = p
			}
		}
		if p, known := cached[r.Condition.Name+" "+r.Path]; known && compare(p, r.Seen) == Same {
			r.Prediction, r.Differs, r.ByHTTPCache = p, Same, true
			continue
		}
		if repeats++; s.Start == nil || repeats > mostRepeats {
			continue
		}
		if err := s.openAgain(ctx, r); err != nil {
			return err
		}
	}
	return ctx.Err()
}

// openAgain opens the page of a row in a new profile.
func (s *Site) openAgain(ctx context.Context, r *Row) error {
	b, err := s.Start()
	if err != nil {
		return err
	}
	defer b.Close()
	tab, end, err := s.visited(ctx, b)
	if err != nil {
		return err
	}
	defer end()
	if err := s.setCondition(r.Condition); err != nil {
		return err
	}
	s.Server.Log.Drain()
	r.Seen, r.Requests = s.look(ctx, tab, r.Prediction), s.requests()
	r.Differs = compare(r.Prediction, r.Seen)
	return nil
}

// atThisHour checks pages with an unexpected text again, online: the text of many pages depends on the time. A page that was predicted
// whole and shows the same text online is as predicted.
func (s *Site) atThisHour(ctx context.Context, tab driver.Tab, rows []Row) error {
	if err := s.setCondition(condition.Online); err != nil {
		return err
	}
	for i := range rows {
		r := &rows[i]
		if r.Differs == Text && r.Whole && ctx.Err() == nil {
			if online := s.look(ctx, tab, Prediction{Path: r.Path, Shows: true, Title: r.Seen.Title, Text: r.Seen.Text}); online == r.Seen {
				r.Differs = Same
			}
		}
	}
	return ctx.Err()
}

// visited opens a tab in a browser with a new profile and makes the visits that install the worker. end closes the tab and sets the
// condition to online.
func (s *Site) visited(ctx context.Context, b driver.Browser) (tab driver.Tab, end func(), err error) {
	if tab, err = b.NewTab(); err != nil {
		return nil, nil, err
	}
	end = func() {
		_ = s.setCondition(condition.Online)
		tab.Close()
	}
	if err = s.install(ctx, tab); err != nil {
		end()
		return nil, nil, err
	}
	return tab, end, nil
}

// install visits the site online and waits until its worker, if it has one, is active.
func (s *Site) install(ctx context.Context, tab driver.Tab) error {
	if err := s.setCondition(condition.Online); err != nil {
		return err
	}
	for _, path := range s.Visit {
		if err := tab.Load(s.Server.Origin() + path); err != nil {
			return err
		}
		s.settle(ctx, tab, anything)
		s.awaitWorker(ctx, tab)
	}
	return ctx.Err()
}

// awaitWorker waits until no worker of the page's origin is being installed.
func (s *Site) awaitWorker(ctx context.Context, tab driver.Tab) {
	const active = `navigator.serviceWorker === undefined ? 'none' : navigator.serviceWorker.getRegistrations().then((list) =>
		list.length === 0 ? 'none' : list.every((r) => r.active && r.active.state === 'activated' && !r.installing) ? 'active' : 'wait')`
	until := time.Now().Add(longestInstall)
	for time.Now().Before(until) && ctx.Err() == nil {
		if state, err := tab.Evaluate("Promise.resolve(" + active + ")"); err == nil && state != "wait" {
			return
		}
		time.Sleep(100 * time.Millisecond)
	}
}

// setCondition sets the condition of all servers. Online has no delays here.
func (s *Site) setCondition(c condition.Condition) error {
	if c.Name == condition.Online.Name {
		c = condition.Condition{Name: c.Name}
	}
	for _, server := range append([]*serve.Server{s.Server}, s.Others...) {
		if err := server.SetCondition(c); err != nil {
			return err
		}
	}
	return nil
}

// snapshot is an expression for the URL, the title and the visible text of a page.
const snapshot = `JSON.stringify([location.href, document.title, document.body ? document.body.innerText : ''])`

// requests describes the requests since the previous call, without queries.
func (s *Site) requests() (list []string) {
	for _, e := range s.Server.Log.Drain() {
		list = append(list, fmt.Sprintf("%s %s %d, %s", e.Method, weburl.WithoutQuery(e.Path), e.Status, e.By))
	}
	return list
}

// settle waits until the snapshot of a page no longer changes and is as expected, or until the limit, and returns it. Some pages
// change a second time, long after they have loaded.
func (s *Site) settle(ctx context.Context, tab driver.Tab, expected func(Sight) bool) Sight {
	var seen Sight
	before, since, until := "", time.Now(), time.Now().Add(cmp.Or(s.Patience, patience))
	for time.Now().Before(until) && ctx.Err() == nil {
		text, err := tab.Evaluate("Promise.resolve(" + snapshot + ")")
		if err != nil {
			text = ""
		}
		if text != before {
			before, since, seen = text, time.Now(), s.sightOf(text)
		}
		if time.Since(since) > settled && expected(seen) {
			break
		}
		time.Sleep(80 * time.Millisecond)
	}
	return seen
}

// anything accepts every result.
func anything(Sight) bool { return true }

// sightOf returns the result that a snapshot shows. A failed evaluation or an error page of the browser shows nothing.
func (s *Site) sightOf(snapshot string) Sight {
	var shown [3]string
	if json.Unmarshal([]byte(snapshot), &shown) != nil || !strings.HasPrefix(shown[0], s.Server.Origin()+"/") {
		return Sight{}
	}
	return Sight{true, shown[1], Plain(shown[2]), Collapsed(shown[2])}
}

func (s *Site) look(ctx context.Context, tab driver.Tab, p Prediction) Sight {
	if tab.Load("about:blank") != nil || tab.Load(s.Server.Origin()+p.Path) != nil {
		return Sight{}
	}
	return s.settle(ctx, tab, func(seen Sight) bool { return compare(p, seen) == Same })
}

// compared is the length of the text that is compared, in characters.
const compared = 400

// Collapsed returns a text with collapsed white space.
func Collapsed(text string) string { return strings.Join(strings.Fields(text), " ") }

// Plain returns the start of a text with collapsed white space, for the comparison.
func Plain(text string) string {
	letters := []rune(Collapsed(text))
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
