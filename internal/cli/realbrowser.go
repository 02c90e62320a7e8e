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
	"tachyform/internal/confirm"
	"tachyform/internal/driver"
	"tachyform/internal/driver/chromium"
	"tachyform/internal/driver/firefox"
	"tachyform/internal/driver/webkit"
	"tachyform/internal/problem"
	"tachyform/internal/serve"
	"tachyform/internal/target"
)

// realBrowsers are the browsers that rehearse can start, with the Debian package of each.
var realBrowsers = map[string]struct {
	start   func(ctx context.Context, path string) (driver.Browser, error)
	target  string // whose predictions it is compared with
	pattern string // of the version in navigator.userAgent
	install string
}{
	"chromium": {func(ctx context.Context, path string) (driver.Browser, error) { return chromium.StartAt(ctx, path) }, target.ChromiumDesktop, `Chrome/(\d+)`, "chromium"},
	"firefox":  {func(_ context.Context, path string) (driver.Browser, error) { return firefox.StartAt(path) }, target.FirefoxAndroid, `Firefox/(\d+)`, "firefox-esr"},
	"webkit":   {func(_ context.Context, path string) (driver.Browser, error) { return webkit.StartAt(path) }, target.SafariMacOS, `MiniBrowser/(\d+)`, "webkit2gtk-driver and xvfb"},
}

// realNames lists their names.
func realNames() (names []string) {
	for name := range realBrowsers {
		names = append(names, name)
	}
	slices.Sort(names)
	return names
}

// realBrowser holds the options --browser and --browser-path.
type realBrowser struct{ name, path string }

// check rejects unknown names, and --browser in combination with --only, which opens no pages.
func (b realBrowser) check(only []string) error {
	if _, known := realBrowsers[b.name]; b.name != "" && !known {
		return usagef("--browser is one of %s, not %q", strings.Join(realNames(), ", "), b.name)
	}
	if b.path != "" && b.name == "" {
		return usagef("--browser-path names the program of a browser; say which it is with --browser")
	}
	if b.name != "" && len(only) > 0 {
		return usagef("--browser opens the pages of the site, and --only leaves them out; use one of the two")
	}
	return nil
}

// compare opens the pages of a rehearsal in a real browser. called is the name of the browser with its version.
func (a *app) compare(ctx context.Context, o *opened, in audit.Input, r *audit.Report, with realBrowser) (rows []confirm.Row, called string, err error) {
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
		return nil, "", &problem.Problem{Kind: problem.Usage, What: with.name + " cannot be started: " + err.Error(),
			Mend: "install it (on Debian: apt-get install " + kind.install + "), or give the path of the program with --browser-path", Cause: err}
	}
	if err != nil {
		return nil, "", &problem.Problem{Kind: problem.Read, What: with.name + " cannot be started: " + err.Error(), Cause: err}
	}
	defer b.Close()
	done := func(int) {}
	list := confirm.Predictions(r, in.Conditions)
	if a.progress {
		done = func(n int) {
			fmt.Fprintf(a.err, "\r\x1b[K%s: page %d of %d", with.name, n, len(list))
			if n == len(list) {
				fmt.Fprint(a.err, "\r\x1b[K")
			}
		}
	}
	site := &confirm.Site{Server: s, Visit: o.project.Audit.Visit,
		Start: func() (driver.Browser, error) { return kind.start(ctx, with.path) },
		Cached: func() ([]confirm.Prediction, error) {
			in.HTTPCache, in.Progress = true, nil
			again, err := audit.Rehearse(ctx, in)
			if err != nil {
				return nil, err
			}
			return confirm.Predictions(again, in.Conditions), nil
		}}
	if rows, err = site.Compare(ctx, b, list, done); err != nil {
		if ctx.Err() != nil {
			return nil, "", ctx.Err()
		}
		return nil, "", &problem.Problem{Kind: problem.Read, What: "the comparison in " + with.name + " failed: " + err.Error(), Mend: "run the command again; the site is unchanged", Cause: err}
	}
	return rows, with.name + version(b, kind.pattern), nil
}

// version returns the version of a browser, "" if unknown.
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
