package conformance

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"sort"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"tachyform/internal/condition"
	"tachyform/internal/recorded"
	"tachyform/internal/rehearsal"
	"tachyform/internal/site"
	"tachyform/internal/useragent"
	"tachyform/internal/useragent/account"
	"tachyform/internal/useragent/document"
)

// sitesDir is where sites with the recorded outcomes of a real browser lie; the format is described there.
func sitesDir(t *testing.T) string {
	dir := os.Getenv("TACHYFORM_SITES")
	if dir == "" {
		dir = "../../../shared/sites"
	}
	if _, err := os.Stat(dir); err != nil {
		t.Skip("SKIPPED: no recorded sites at " + dir + "; set TACHYFORM_SITES")
	}
	return dir
}

// appsDir is where sites lie that frameworks built, recorded alike.
func appsDir() string {
	if dir := os.Getenv("TACHYFORM_APPS"); dir != "" {
		return dir
	}
	return "../../../shared/apps"
}

func TestRecordedSites(t *testing.T) {
	known := readDifferences(t, "site")
	dir := sitesDir(t)
	cases, err := filepath.Glob(filepath.Join(dir, "*", "case.json"))
	require.NoError(t, err)
	require.NotEmpty(t, cases)
	apps, err := filepath.Glob(filepath.Join(appsDir(), "*", "case.json"))
	require.NoError(t, err)
	cases = append(cases, apps...)
	pages, agreed, unknown := 0, 0, 0
	var drawn, visited tallyOfDrawn
	for _, path := range cases {
		folder := filepath.Dir(path)
		t.Run(filepath.Base(folder), func(t *testing.T) {
			var want struct {
				Caches  map[string][]string
				Offline map[string]struct {
					Navigated bool
					Status    int
					Title     string
					Missing   []string
					drawnRecord
				}
				Visits []struct {
					URL, Title string
					Requests   []string
					drawnRecord
				}
				Worker struct {
					Registered bool
					Active     string
				}
				BrowserFetched []string
			}
			c, hosts, err := recorded.Load(folder, &want)
			require.NoError(t, err)
			r := &rehearsal.Rehearsal{Hosts: hosts, Conditions: []condition.Condition{condition.Offline}, HTTPCache: true,
				OneProfile: true}
			for _, p := range c.Visit {
				r.Visit = append(r.Visit, recorded.Origin+p)
			}
			for _, p := range c.Pages {
				r.Pages = append(r.Pages, recorded.Origin+p)
			}
			got, err := r.Run(context.Background())
			require.NoError(t, err)
			for _, p := range got.Pages {
				expected, ok := want.Offline[strings.TrimPrefix(p.URL, recorded.Origin)]
				if !ok {
					continue
				}
				o := p.Under["offline"]
				if o.Doubt != nil {
					unknown++ // what is not claimed to be known need not agree
					continue
				}
				if expected.Text != nil && expected.Navigated {
					if d := drawn.compare(o.View, expected.drawnRecord); d != "" {
						t.Logf("DRAWN %s: %s", p.URL, d)
					}
				}
				pages++
				missing := []string{}
				for _, l := range o.Missing {
					missing = append(missing, l.URL)
				}
				sort.Strings(missing)
				same := expected.Navigated == (o.Outcome != rehearsal.Lost && o.Outcome != rehearsal.Stuck)
				if expected.Navigated {
					same = same && expected.Status == o.Status && expected.Title == o.Title && strings.Join(expected.Missing,
						" ") == strings.Join(missing, " ")
				}
				if same {
					agreed++
				} else {
					known.note(filepath.Base(folder) + " " + strings.TrimPrefix(p.URL, recorded.Origin))
					t.Logf("DIFFERS %s: browser %+v, here %s %d %q missing %v (%s)", p.URL, expected, o.Outcome, o.Status, o.Title,
						missing, o.Reason)
				}
			}
			for i, v := range got.Visits {
				if i >= len(want.Visits) || want.Visits[i].Text == nil {
					continue
				}
				d := visited.compare(v, want.Visits[i].drawnRecord)
				if a, b := strings.Join(want.Visits[i].Requests, " "), strings.Join(v.Asked, " "); a != b {
					d += fmt.Sprintf("\n   requests: browser %s\n   here              %s", a, b)
				} else {
					visited.requests++
				}
				if d != "" {
					t.Logf("VISIT %s: %s", v.URL, d)
				}
			}
			active := ""
			if got.Worker != nil && got.Worker.State == "activated" {
				active = got.Worker.Script
			}
			if want.Worker.Active != active {
				known.note(filepath.Base(folder) + " worker")
				t.Logf("DIFFERS worker: browser %q, here %+v", want.Worker.Active, got.Worker)
				for _, n := range got.Notes {
					t.Logf("   %s %s", n.Level, n.Text)
				}
			}
			for _, cache := range got.Caches {
				var urls []string
				for _, e := range cache.Entries {
					urls = append(urls, e.URL)
				}
				if a, b := strings.Join(without(want.Caches[cache.Name], want.BrowserFetched),
					" "), strings.Join(without(urls, want.BrowserFetched), " "); a != b {
					t.Logf("DIFFERS cache %s: browser %s, here %s", cache.Name, a, b)
				}
			}
		})
	}
	t.Logf("offline outcomes agree on %d of %d pages; of %d more they are said not to be known", agreed, pages, unknown)
	t.Logf("offline, %v", &drawn)
	t.Logf("online, %v, requests %d", &visited, visited.requests)
	known.end(func(string) bool { return true })
}

// drawnRecord is what a real browser showed of a page once its scripts had run.
type drawnRecord struct {
	Text          *string
	Links         []string
	DocumentLoads int
}

// tallyOfDrawn counts how much of what is drawn agrees.
type tallyOfDrawn struct{ pages, texts, links, documents, requests int }

func (n *tallyOfDrawn) compare(v *document.View, want drawnRecord) (differs string) {
	n.pages++
	squeeze := func(s string) string { return strings.Join(strings.Fields(s), "") }
	if squeeze(v.Text()) == squeeze(*want.Text) {
		n.texts++
	} else {
		differs += fmt.Sprintf("\n   text: browser %q\n   here          %q", *want.Text, v.Text())
	}
	if strings.Join(v.Links(), " ") == strings.Join(want.Links, " ") {
		n.links++
	} else {
		differs += fmt.Sprintf("\n   links: browser %q\n   here           %q", want.Links, v.Links())
	}
	if v.Documents == want.DocumentLoads {
		n.documents++
	} else {
		differs += fmt.Sprintf("\n   documents: browser %d, here %d", want.DocumentLoads, v.Documents)
	}
	return differs
}

func (n *tallyOfDrawn) String() string {
	return fmt.Sprintf("texts %d, links %d, documents %d of %d pages", n.texts, n.links, n.documents, n.pages)
}

// TestRecordedUpdates goes through two releases as the recorded browser did. What only page scripts
// bring about differs: a page that tells a waiting worker to take over.
func TestRecordedUpdates(t *testing.T) {
	updates := readDifferences(t, "update")
	cases, err := filepath.Glob(filepath.Join(sitesDir(t), "*", "next"))
	require.NoError(t, err)
	steps, agreed := 0, 0
	for _, path := range cases {
		folder := filepath.Dir(path)
		t.Run(filepath.Base(folder), func(t *testing.T) {
			var want struct {
				Update struct {
					Steps []struct {
						Step       string
						Navigated  bool
						Controlled bool
						HTML       *string
						Title      string
						Worker     struct{ Active, Waiting, Installing *string }
						Caches     map[string][]string
						Requested  []string
						Settled    *bool
					}
				}
				BrowserFetched []string
			}
			c, hosts, err := recorded.Load(folder, &want)
			require.NoError(t, err)
			s := rehearsal.NewSession(rehearsal.NewEmbedded(context.Background(), hosts, useragent.Options{HTTPCache: true}),
				recorded.Origin)
			defer s.Close()
			numbers := map[int]int{}
			for _, e := range want.Update.Steps {
				var happened []account.Event
				do := func(step rehearsal.Step) {
					r := s.Step(step)
					require.Empty(t, r.Wrong)
					happened = append(happened, r.Events...)
				}
				switch e.Step {
				case "old":
					for _, v := range c.Visit {
						do(rehearsal.Step{Open: recorded.Origin + v})
					}
				case "reload-1":
					do(rehearsal.Step{Deploy: []site.Host{c.Next}})
					do(rehearsal.Step{Reload: "normal"})
				case "reload-2":
					do(rehearsal.Step{Reload: "normal"})
				case "reopen", "offline":
					do(rehearsal.Step{Close: "browser"})
					if e.Step == "offline" {
						do(rehearsal.Step{Condition: &condition.Offline})
					}
					do(rehearsal.Step{Open: recorded.Origin + c.Visit[len(c.Visit)-1]})
				}
				active, waiting, installing := s.Worker()
				name := func(w *useragent.WorkerState) string {
					if w == nil {
						return ""
					}
					if numbers[w.ID] == 0 {
						numbers[w.ID] = len(numbers) + 1
					}
					return fmt.Sprintf("%s#%d", strings.TrimPrefix(w.Script, recorded.Origin), numbers[w.ID])
				}
				text := func(s *string) string {
					if s == nil {
						return ""
					}
					return *s
				}
				v := s.View("")
				var requested []string
				unsettled := e.Settled != nil && !*e.Settled // what was asked for by then is chance
				if e.Step != "offline" && !unsettled {
					for _, h := range happened {
						if u := strings.TrimPrefix(h.String(), recorded.Origin); h.Kind == account.EventNetwork &&
							!slices.Contains(want.BrowserFetched, h.URL) {
							requested = append(requested, fmt.Sprintf("%d %s", h.Status, u))
						}
					}
				}
				sort.Strings(requested)
				caches := map[string][]string{}
				for _, cache := range s.Caches() {
					caches[cache.Name] = []string{}
					for _, entry := range cache.Entries {
						caches[cache.Name] = append(caches[cache.Name], entry.URL)
					}
					caches[cache.Name] = without(caches[cache.Name], want.BrowserFetched)
				}
				for k := range e.Caches {
					e.Caches[k] = without(e.Caches[k], want.BrowserFetched)
				}
				if e.Caches == nil {
					caches = nil
				}
				html := ""
				if m := regexp.MustCompile(`data-html="([^"]*)"`).FindSubmatch(v.Response.Actual().Bytes()); m != nil && !v.Failed {
					html = string(m[1])
				}
				got := fmt.Sprintf("navigated %v controlled %v html %q title %q worker %q %q %q caches %v requested %v",
					!v.Failed &&
						!v.Stuck, v.Controlled, html, v.Title, name(active), name(waiting), name(installing), caches, requested)
				expected := fmt.Sprintf("navigated %v controlled %v html %q title %q worker %q %q %q caches %v requested %v",
					e.Navigated, e.Controlled, text(e.HTML), e.Title, text(e.Worker.Active), text(e.Worker.Waiting),
					text(e.Worker.Installing), e.Caches, e.Requested)
				steps++
				if got == expected {
					agreed++
				} else {
					updates.note(filepath.Base(folder) + " " + e.Step)
					t.Logf("DIFFERS %s\n  browser %s\n  here    %s", e.Step, expected, got)
				}
			}
		})
	}
	t.Logf("steps agree: %d of %d", agreed, steps)
	updates.end(func(string) bool { return true })
}

func without(list, drop []string) []string {
	var out []string
	for _, u := range list {
		if !strings.Contains(" "+strings.Join(drop, " ")+" ", " "+u+" ") {
			out = append(out, u)
		}
	}
	return out
}
