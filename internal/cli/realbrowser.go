package cli

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"regexp"
	"slices"
	"strings"

	"tachyform/internal/audit"
	"tachyform/internal/condition"
	"tachyform/internal/confirm"
	"tachyform/internal/driver"
	"tachyform/internal/driver/chromium"
	"tachyform/internal/driver/firefox"
	"tachyform/internal/driver/webkit"
	"tachyform/internal/problem"
	"tachyform/internal/rehearsal"
	"tachyform/internal/serve"
	"tachyform/internal/weburl"
)

// realBrowsers are those that rehearse can look with: what starts one, and the package that has it on Debian.
var realBrowsers = map[string]struct {
	start   func(ctx context.Context, path string) (driver.Browser, error)
	pattern string // of its version in what it says of itself
	install string
}{
	"chromium": {func(ctx context.Context, path string) (driver.Browser, error) { return chromium.StartAt(ctx, path) }, `Chrome/(\d+)`, "chromium"},
	"firefox":  {func(_ context.Context, path string) (driver.Browser, error) { return firefox.StartAt(path) }, `Firefox/(\d+)`, "firefox-esr"},
	"webkit":   {func(_ context.Context, path string) (driver.Browser, error) { return webkit.StartAt(path) }, `MiniBrowser/(\d+)`, "webkit2gtk-driver and xvfb"},
}

// realNames lists them.
func realNames() (names []string) {
	for name := range realBrowsers {
		names = append(names, name)
	}
	slices.Sort(names)
	return names
}

// realBrowser is a real browser that was asked for on the command line.
type realBrowser struct{ name, path string }

func (b realBrowser) check() error {
	if _, known := realBrowsers[b.name]; b.name != "" && !known {
		return usagef("--browser is one of %s, not %q", strings.Join(realNames(), ", "), b.name)
	}
	if b.path != "" && b.name == "" {
		return usagef("--browser-path names the program of a browser; say which it is with --browser")
	}
	return nil
}

// compare opens the pages of a rehearsal in a real browser, and gives what it is called with its version.
func (a *app) compare(ctx context.Context, o *opened, r *audit.Report, conditions []condition.Condition, with realBrowser) (rows []confirm.Row, called string, err error) {
	if err := o.needFolder("rehearse --browser"); err != nil {
		return nil, "", err
	}
	s, err := serve.Start(http.NotFoundHandler())
	if err != nil {
		return nil, "", &problem.Problem{Kind: problem.Read, What: "the site cannot be served: " + err.Error(), Cause: err}
	}
	defer s.Close()
	s.Answer(serve.Named(nil, serve.Handler(o.folder.Dir, s.Origin(), o.project)))
	kind := realBrowsers[with.name]
	b, err := kind.start(ctx, with.path)
	if errors.Is(err, driver.ErrNotHere) {
		return nil, "", &problem.Problem{Kind: problem.Usage, What: with.name + " does not start: " + err.Error(),
			Mend: "install it (on Debian: apt-get install " + kind.install + "), or name the program with --browser-path", Cause: err}
	}
	if err != nil {
		return nil, "", &problem.Problem{Kind: problem.Read, What: with.name + " does not start: " + err.Error(), Cause: err}
	}
	defer b.Close()
	done := func(int) {}
	list := predictions(r, conditions, o.host.Origin())
	if a.progress {
		done = func(n int) {
			fmt.Fprintf(a.err, "\r\x1b[K%s: page %d of %d", with.name, n, len(list))
			if n == len(list) {
				fmt.Fprint(a.err, "\r\x1b[K")
			}
		}
	}
	site := &confirm.Site{Server: s, Visit: o.project.Audit.Visit}
	if len(site.Visit) == 0 {
		site.Visit = []string{o.project.Addr}
	}
	if rows, err = site.Compare(ctx, b, list, done); err != nil {
		if ctx.Err() != nil {
			return nil, "", ctx.Err()
		}
		return nil, "", &problem.Problem{Kind: problem.Read, What: with.name + " ended: " + err.Error(), Mend: "try again; nothing was changed", Cause: err}
	}
	return rows, with.name + version(b, kind.pattern), nil
}

// version is that of a browser, as it says itself, "" where it does not.
func version(b driver.Browser, pattern string) string {
	tab, err := b.NewTab()
	if err != nil {
		return ""
	}
	defer tab.Close()
	if tab.Load("about:blank") != nil {
		return ""
	}
	text, _ := tab.Evaluate("Promise.resolve(navigator.userAgent)")
	if m := regexp.MustCompile(pattern).FindStringSubmatch(text); m != nil {
		return " " + m[1]
	}
	return ""
}

// predictions are what a rehearsal says of each page, condition by condition.
func predictions(r *audit.Report, conditions []condition.Condition, origin string) (list []confirm.Prediction) {
	judged := map[string]*audit.PageReport{}
	for _, p := range r.Pages {
		judged[p.URL] = p
	}
	for _, c := range conditions {
		for _, page := range r.Rehearsal.Pages {
			o := page.Under[c.Name]
			if o == nil || !o.IsUsual() || weburl.OriginOf(page.URL) != origin {
				continue
			}
			p := confirm.Prediction{Path: strings.TrimPrefix(page.URL, origin), Condition: c, Outcome: string(o.Outcome), Whole: o.Outcome == rehearsal.Whole, Title: o.Title}
			if v := o.View; v != nil && !v.Failed && !v.Stuck {
				p.Shows, p.Text = true, v.Text()
			}
			if said := judged[p.Path]; said != nil && said.Under[c.Name] != nil && !said.Under[c.Name].Known {
				p.Unknown = said.Under[c.Name].Why
			}
			list = append(list, p)
		}
	}
	return list
}
