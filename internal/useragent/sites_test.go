package useragent

import (
	"context"
	"os"
	"path/filepath"
	"sort"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"tachyform/internal/recorded"
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

func TestRecordedSites(t *testing.T) {
	dir := sitesDir(t)
	cases, err := filepath.Glob(filepath.Join(dir, "*", "case.json"))
	require.NoError(t, err)
	require.NotEmpty(t, cases)
	pages, agreed := 0, 0
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
				}
				Worker struct {
					Registered bool
					Active     string
				}
				BrowserFetched []string
			}
			c, hosts, err := recorded.Load(folder, &want)
			require.NoError(t, err)
			r := &Rehearsal{Hosts: hosts, Conditions: []Condition{Offline}, HTTPCache: true}
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
				pages++
				o := p.Under["offline"]
				missing := []string{}
				for _, l := range o.Missing {
					missing = append(missing, l.URL)
				}
				sort.Strings(missing)
				same := expected.Navigated == (o.Outcome != Lost && o.Outcome != Stuck)
				if expected.Navigated {
					same = same && expected.Status == o.Status && expected.Title == o.Title && strings.Join(expected.Missing, " ") == strings.Join(missing, " ")
				}
				if same {
					agreed++
				} else {
					t.Logf("DIFFERS %s: browser %+v, here %s %d %q missing %v (%s)", p.URL, expected, o.Outcome, o.Status, o.Title, missing, o.Reason)
				}
			}
			active := ""
			if got.Worker != nil && got.Worker.State == "activated" {
				active = got.Worker.Script
			}
			if want.Worker.Active != active {
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
				if a, b := strings.Join(without(want.Caches[cache.Name], want.BrowserFetched), " "), strings.Join(without(urls, want.BrowserFetched), " "); a != b {
					t.Logf("DIFFERS cache %s: browser %s, here %s", cache.Name, a, b)
				}
			}
		})
	}
	t.Logf("offline outcomes agree on %d of %d pages", agreed, pages)
	require.GreaterOrEqual(t, agreed*100, pages*94, "what was reached before has to hold")
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
