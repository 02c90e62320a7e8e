package cli

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"path/filepath"
	"slices"
	"strings"

	"tachyform/internal/audit"
	"tachyform/internal/confirm"
	"tachyform/internal/driver"
	"tachyform/internal/driver/chromium"
	"tachyform/internal/driver/firefox"
	"tachyform/internal/driver/webkit"
	"tachyform/internal/problem"
	"tachyform/internal/project"
	"tachyform/internal/serve"
	"tachyform/internal/target"
)

// realBrowsers are the browsers that rehearse can start, with the Debian package of each.
var realBrowsers = map[string]struct {
	start   func(ctx context.Context, o driver.Options) (driver.Browser, error)
	target  string // whose predictions it is compared with
	install string
}{
	"chromium": {func(ctx context.Context, o driver.Options) (driver.Browser, error) { return chromium.StartWith(ctx, o) }, target.ChromiumDesktop, "chromium"},
	"firefox":  {func(_ context.Context, o driver.Options) (driver.Browser, error) { return firefox.StartWith(o) }, target.FirefoxAndroid, "firefox-esr"},
	"webkit":   {func(_ context.Context, o driver.Options) (driver.Browser, error) { return webkit.StartWith(o) }, target.SafariMacOS, "webkit2gtk-driver and xvfb"},
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
type realBrowser struct {
	name, path string
	visible    bool
}

// check rejects unknown names. option is the name of the option that selects the browser.
func (b realBrowser) check(option string) error {
	if _, known := realBrowsers[b.name]; b.name != "" && !known {
		return usagef("--%s is one of %s, not %q", option, strings.Join(realNames(), ", "), b.name)
	}
	if b.path != "" && b.name == "" {
		return usagef("--browser-path names the program of a browser; say which it is with --%s", option)
	}
	return nil
}

// start starts the browser with a new profile. It ends with the context, so that Ctrl-C does not wait for a pending operation.
func (b realBrowser) start(ctx context.Context) (driver.Browser, error) {
	kind := realBrowsers[b.name]
	started, err := kind.start(ctx, driver.Options{Path: b.path, Visible: b.visible})
	if errors.Is(err, driver.ErrNotHere) {
		return nil, &problem.Problem{Kind: problem.Usage, What: b.name + " cannot be started: " + err.Error(),
			Mend: "install it (on Debian: apt-get install " + kind.install + "), or give the path of the program with --browser-path", Cause: err}
	}
	if err != nil {
		return nil, &problem.Problem{Kind: problem.Read, What: b.name + " cannot be started: " + err.Error(), Cause: err}
	}
	context.AfterFunc(ctx, started.Close)
	return started, nil
}

// called returns the name of a browser with its version, such as "chromium 156".
func (b realBrowser) called(started driver.Browser) string {
	return strings.TrimSpace(b.name + " " + started.Version())
}

// failed describes an error of a run in the browser.
func (b realBrowser) failed(ctx context.Context, err error) error {
	var known *problem.Problem
	switch {
	case ctx.Err() != nil:
		return ctx.Err()
	case errors.As(err, &known):
		return err
	}
	return &problem.Problem{Kind: problem.Read, What: "the run in " + b.name + " failed: " + err.Error(), Mend: "run the command again; the site is unchanged", Cause: err}
}

// serveFolder starts a server with the folder of a site, for a real browser on this machine.
func serveFolder(o *opened) (*serve.Server, error) {
	s, err := serve.Start(http.NotFoundHandler())
	if err != nil {
		return nil, &problem.Problem{Kind: problem.Read, What: "the site cannot be served: " + err.Error(), Cause: err}
	}
	answerFolder(s, o.folder.Dir, o.project)
	return s, nil
}

// answerFolder makes a server answer with a folder.
func answerFolder(s *serve.Server, dir string, p *project.Project) {
	s.Answer(serve.Named(nil, serve.Handler(dir, s.Origin(), p)))
}

// tried is what a command tries in a real browser.
type tried struct {
	report   *audit.Report // whose pages are opened; nil for none
	plans    []project.Rehearsal
	played   []*audit.PlanResult // of plans
	pictures bool
}

// tryInBrowser serves the folder and opens it in a real browser.
func (a *app) tryInBrowser(ctx context.Context, o *opened, in audit.Input, what tried, with realBrowser) (*confirm.Result, error) {
	if err := o.needFolder("a real browser"); err != nil {
		return nil, err
	}
	s, err := serveFolder(o)
	if err != nil {
		return nil, err
	}
	defer s.Close()
	b, err := with.start(ctx)
	if err != nil {
		return nil, err
	}
	defer b.Close()
	out := &confirm.Result{Browser: with.called(b)}
	progress := func(format string, args ...any) {
		if a.progress {
			fmt.Fprintf(a.err, "\r\x1b[K"+format, args...)
		}
	}
	defer progress("")
	site := &confirm.Site{Server: s, Visit: o.project.Audit.Visit,
		Start: func() (driver.Browser, error) { return with.start(ctx) },
		Cached: func() ([]confirm.Prediction, error) {
			in.HTTPCache, in.Progress = true, nil
			again, err := audit.Rehearse(ctx, in)
			if err != nil {
				return nil, err
			}
			return confirm.Predictions(again, in.Conditions), nil
		}}
	var pages []string
	if what.report != nil {
		list := confirm.Predictions(what.report, in.Conditions)
		for _, p := range list {
			if !slices.Contains(pages, p.Path) {
				pages = append(pages, p.Path)
			}
		}
		if out.Rows, err = site.Compare(ctx, b, list, func(n int) { progress("%s: page %d of %d", with.name, n, len(list)) }); err != nil {
			return nil, with.failed(ctx, err)
		}
	}
	for i, plan := range what.plans {
		progress("%s: rehearsal %d of %d", with.name, i+1, len(what.plans))
		played, err := site.Play(ctx, plan, what.played[i], func(dir string) error {
			if !filepath.IsAbs(dir) {
				dir = filepath.Join(o.project.Dir, dir)
			}
			f, err := openFolder(dir, o.project)
			if err == nil {
				answerFolder(s, f.Dir, o.project)
			}
			return err
		})
		if err != nil {
			return nil, with.failed(ctx, err)
		}
		out.Plans = append(out.Plans, played)
		answerFolder(s, o.folder.Dir, o.project)
	}
	if what.pictures {
		progress("%s: pictures", with.name)
		fresh, err := with.start(ctx)
		if err != nil {
			return nil, err
		}
		defer fresh.Close()
		if out.Pictures, err = site.Pictures(ctx, fresh, pages); err != nil {
			return nil, with.failed(ctx, err)
		}
	}
	return out, nil
}
