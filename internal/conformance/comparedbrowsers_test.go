package conformance

import (
	"context"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"tachyform/internal/audit"
	"tachyform/internal/condition"
	"tachyform/internal/confirm"
	"tachyform/internal/driver"
	"tachyform/internal/driver/chromium"
	"tachyform/internal/driver/firefox"
	"tachyform/internal/driver/webkit"
	"tachyform/internal/project"
	"tachyform/internal/recorded"
	"tachyform/internal/serve"
	"tachyform/internal/site"
	"tachyform/internal/target"
	"tachyform/internal/testsite/demo"
	"tachyform/internal/useragent"
)

// comparedSite is a site on servers of this machine, with its predictions for them.
type comparedSite struct {
	name    string
	project *project.Project
	site    confirm.Site
	host    site.Host
	others  []site.Host
}

// servedCase starts the servers of a recorded case.
func servedCase(t *testing.T, folder string) *comparedSite {
	s, err := serve.Start(http.NotFoundHandler())
	require.NoError(t, err)
	t.Cleanup(s.Close)
	other, err := serve.Start(http.NotFoundHandler())
	require.NoError(t, err)
	t.Cleanup(other.Close)
	var ignored any
	c, hosts, err := recorded.LoadAt(folder, s.Origin(), other.Origin(), &ignored)
	require.NoError(t, err)
	p := project.Default("")
	p.Addr, p.Origin, p.Host = c.Base, s.Origin(), c.Hosts()
	p.Audit.Entry, p.Audit.Visit, p.Audit.Pages = c.Entry, c.Visit, c.Pages
	s.Answer(serve.HostHandler(hosts[0]))
	if len(hosts) > 1 {
		other.Answer(serve.HostHandler(hosts[1]))
	}
	return &comparedSite{filepath.Base(folder), p, confirm.Site{Server: s, Others: []*serve.Server{other}, Visit: c.Visit}, hosts[0], hosts[1:]}
}

// servedDemo starts a server with the fitted demo.
func servedDemo(t *testing.T) *comparedSite {
	dir, p := demo.Fitted(t)
	s, err := serve.Start(http.NotFoundHandler())
	require.NoError(t, err)
	t.Cleanup(s.Close)
	p.Origin = s.Origin()
	f, err := site.OpenFolder(filepath.Join(dir, "site"), s.Origin(), p.Addr, p.Host)
	require.NoError(t, err)
	s.Answer(serve.HostHandler(f))
	return &comparedSite{"demo", p, confirm.Site{Server: s, Visit: p.Audit.Visit}, f, nil}
}

// comparedSites lists the demo, the apps and the sites: all in a full run, else a sample. TACHYFORM_CASE selects cases by a part of
// their name.
func comparedSites(t *testing.T) (list []*comparedSite) {
	list = append(list, servedDemo(t))
	apps, err := filepath.Glob(filepath.Join(appsDir(), "*", "case.json"))
	require.NoError(t, err)
	cases, err := filepath.Glob(filepath.Join(sitesDir(t), "*", "case.json"))
	require.NoError(t, err)
	for i, path := range append(apps, cases...) {
		if only := os.Getenv("TACHYFORM_CASE"); only != "" && strings.Contains(path, only) || only == "" && sampled(i, 16) {
			list = append(list, servedCase(t, filepath.Dir(path)))
		}
	}
	return list
}

// comparedEngines are the engines with the kind of browser that predicts each.
var comparedEngines = []struct {
	name  string
	kind  *useragent.Kind
	start func() (driver.Browser, error)
}{
	{"chromium", useragent.Kinds[target.ChromiumDesktop], func() (driver.Browser, error) { return chromium.Start(context.Background()) }},
	{"firefox", useragent.Kinds[target.FirefoxAndroid], func() (driver.Browser, error) { return firefox.Start() }},
	{"webkit", useragent.Kinds[target.SafariMacOS], func() (driver.Browser, error) { return webkit.Start() }},
}

// The pages of each site, offline in each engine, show what was predicted. The list of differences may only shrink.
func TestPredictionsInBrowsers(t *testing.T) {
	t.Parallel()
	for _, engine := range comparedEngines {
		t.Run(engine.name, func(t *testing.T) {
			t.Parallel()
			known := readDifferences(t, "predicted "+engine.name)
			b, err := engine.start()
			notHere(t, err)
			defer b.Close()
			pages, same, unknown := 0, 0, 0
			tried := map[string]bool{}
			for _, s := range comparedSites(t) {
				begin := time.Now()
				in := audit.Input{Project: s.project, Host: s.host, Others: s.others, Kind: engine.kind, Conditions: []condition.Condition{condition.Offline}}
				r, err := audit.Rehearse(context.Background(), in)
				require.NoError(t, err, s.name)
				s.site.Start = engine.start
				s.site.Cached = func() ([]confirm.Prediction, error) {
					in.HTTPCache = true
					again, err := audit.Rehearse(context.Background(), in)
					return confirm.Predictions(again, in.Conditions), err
				}
				rows, err := s.site.Compare(context.Background(), b, confirm.Predictions(r, in.Conditions), nil)
				require.NoError(t, err, s.name)
				for _, row := range rows {
					name := s.name + " " + row.Path
					tried[name] = true
					switch {
					case row.Unknown != "":
						unknown++
						continue
					case row.Differs == confirm.Same:
						same++
					default:
						known.note(name)
						t.Logf("DIFFERS %s: %s\n  predicted %s %q %q\n  seen      %v %q %q", name, row.Differs, row.Outcome, row.Title, confirm.Plain(row.Text), row.Seen.Shows, row.Seen.Title, row.Seen.Text)
					}
					pages++
				}
				t.Logf("%s %v", s.name, time.Since(begin).Round(100*time.Millisecond))
			}
			known.end(func(name string) bool { return tried[name] })
			t.Logf("PREDICTED %s: %d of %d pages, %d more unknown", engine.name, same, pages, unknown)
		})
	}
}
