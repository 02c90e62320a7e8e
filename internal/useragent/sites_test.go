package useragent

import (
	"context"
	"encoding/json"
	"os"
	"path/filepath"
	"sort"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"tachyform/internal/project"
	"tachyform/internal/site"
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

type siteCase struct {
	Base    string            `json:"base"`
	Entry   string            `json:"entry"`
	Visit   []string          `json:"visit"`
	Pages   []string          `json:"pages"`
	Other   map[string]string `json:"other"`
	Hosting caseHosting       `json:"hosting"`
}

type caseHosting struct {
	Headers   map[string]map[string]*string `json:"headers"`
	Redirects []struct {
		From, To     string
		Status       int
		UnlessCookie string
	} `json:"redirects"`
	Status       map[string]int                `json:"status"`
	SPA          string                        `json:"spa"`
	NotFound     string                        `json:"notFound"`
	Clean        bool                          `json:"clean"`
	Mime         map[string]string             `json:"mime"`
	OtherHeaders map[string]map[string]*string `json:"otherHeaders"`
	OtherStatus  map[string]int                `json:"otherStatus"`
}

const caseOrigin, caseOther = "http://origin", "http://other"

func caseRules(headers map[string]map[string]*string, status map[string]int) (h project.Hosting) {
	var paths []string
	for path := range headers {
		paths = append(paths, path)
	}
	sort.Strings(paths)
	for _, path := range paths {
		set := map[string]*string{}
		for k, v := range headers[path] {
			if v != nil {
				s := fillOrigins(*v)
				v = &s
			}
			set[k] = v
		}
		h.Headers = append(h.Headers, project.HeaderRule{Match: path, Set: set})
	}
	for path, s := range status {
		h.Statuses = append(h.Statuses, project.StatusRule{Match: path, Status: s})
	}
	return h
}

func fillOrigins(s string) string {
	return strings.NewReplacer("__ORIGIN__", caseOrigin, "__OTHER__", caseOther).Replace(s)
}

func (c siteCase) hosting() project.Hosting {
	h := caseRules(c.Hosting.Headers, c.Hosting.Status)
	for _, r := range c.Hosting.Redirects {
		status := r.Status
		if status == 0 {
			status = 302
		}
		h.Redirects = append(h.Redirects, project.Redirect{Match: r.From, To: fillOrigins(r.To), Status: status, UnlessCookie: r.UnlessCookie})
	}
	rooted := func(file string) string {
		if file == "" || strings.HasPrefix(file, "/") {
			return file
		}
		return c.Base + file
	}
	h.Index, h.Slash, h.Extensionless = []string{"index.html"}, "add", "none"
	if c.Hosting.Clean {
		h.Extensionless = "answer"
	}
	h.SinglePage, h.NotFound, h.MediaTypes = rooted(c.Hosting.SPA), rooted(c.Hosting.NotFound), c.Hosting.Mime
	return h
}

// openCase gives the folder of a case with its placeholders filled in.
func openCase(t *testing.T, dir, origin, address string, h project.Hosting) *site.Folder {
	f, err := site.OpenFolder(dir, origin, address, h)
	require.NoError(t, err)
	changes := map[string][]byte{}
	for _, file := range f.Files() {
		switch filepath.Ext(file.Path) {
		case ".html", ".js", ".mjs", ".css", ".json", ".webmanifest", ".svg", ".txt", ".xml":
			text, err := file.Bytes()
			require.NoError(t, err)
			if filled := fillOrigins(string(text)); filled != string(text) {
				changes[file.Path] = []byte(filled)
			}
		}
	}
	return f.With(changes)
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
			text, err := os.ReadFile(path)
			require.NoError(t, err)
			var c siteCase
			require.NoError(t, json.Unmarshal(text, &c))
			text, err = os.ReadFile(filepath.Join(folder, "expected.json"))
			require.NoError(t, err)
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
			require.NoError(t, json.Unmarshal(text, &want))
			hosts := []site.Host{openCase(t, filepath.Join(folder, "site"), caseOrigin, c.Base, c.hosting())}
			if d := c.Other["dir"]; d != "" {
				hosts = append(hosts, openCase(t, filepath.Join(folder, d), caseOther, "/", caseRules(c.Hosting.OtherHeaders, c.Hosting.OtherStatus)))
			}
			if len(c.Visit) == 0 {
				c.Visit = []string{c.Entry}
			}
			r := &Rehearsal{Hosts: hosts, Conditions: []Condition{Offline}, HTTPCache: true}
			for _, p := range c.Visit {
				r.Visit = append(r.Visit, caseOrigin+p)
			}
			for _, p := range c.Pages {
				r.Pages = append(r.Pages, caseOrigin+p)
			}
			got, err := r.Run(context.Background())
			require.NoError(t, err)
			for _, p := range got.Pages {
				expected, ok := want.Offline[strings.TrimPrefix(p.URL, caseOrigin)]
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
