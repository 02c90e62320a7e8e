package cli

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"net/http"
	"strings"

	whatwg "github.com/nlnwa/whatwg-url/url"
	"github.com/spf13/cobra"

	"tachyform/internal/condition"
	"tachyform/internal/problem"
	"tachyform/internal/project"
	"tachyform/internal/report"
	"tachyform/internal/serve"
	"tachyform/internal/weburl"
)

func (a *app) serve() *cobra.Command {
	s := &serving{app: a}
	c := &cobra.Command{
		Use:   "serve [SITE|URL]",
		Short: "Serve the site on this machine, with a switch for the network",
		Long: `Serve starts an HTTP server on this machine that follows the hosting section of
the project file: index names, redirects, headers, statuses. While it runs, keys
in the terminal or the control page switch the network to offline, stalled,
slow or flaky, deploy the next release, or clear the site's data in the browser.

URL is the address of a server on this machine, such as http://localhost:3000.
All requests are then forwarded to it: all methods, cookies and web sockets.
With hosting.backend, requests for which the folder has no file are forwarded.
Pages of that server get the head lines of fit, and the files of fit are added,
if tachyform.yaml describes the app. Nothing is written.

Requests for host names other than localhost and 127.0.0.1 are rejected, so that
no other website can read the site through DNS rebinding. --name allows another
host name, such as that of a tunnel.`,
		Args: cobra.MaximumNArgs(1),
	}
	c.Flags().StringArrayVar(&s.names, "name", nil, "accept requests for this `host` name, too")
	c.Flags().IntVar(&s.port, "port", 8300, "the port to listen on; 0 picks a free one")
	c.Flags().StringVar(&s.condition, "condition", "online", "initial network condition: online, offline, stalled, slow or flaky")
	c.Flags().StringVar(&s.next, "next", "", "`folder` of the next release, which a key or the control page deploys")
	c.Flags().StringVar(&s.browser.name, "browser", "", "open the site and the control page in a real browser (chromium, firefox or webkit) with a new profile, and show its state")
	c.Flags().StringVar(&s.browser.path, "browser-path", "", "path of the `program` of that browser, if it is not on the PATH")
	c.Flags().BoolVar(&s.watch, "watch", false, "run fit again when files of the site change")
	c.Flags().BoolVar(&s.lanBackend, "lan-backend", false, "forward requests for the host names of --name to the backend, too")
	c.RunE = func(cmd *cobra.Command, args []string) error { return s.run(cmd.Context(), args) }
	return c
}

// serving is a run of tachyform serve.
type serving struct {
	*app
	names             []string
	port              int
	condition, next   string
	watch, lanBackend bool
	browser           realBrowser

	server  *serve.Server
	control *serve.Control
	project *project.Project
	name    string   // of the site, for messages
	folders []string // of the site and of the next release; empty if a server renders the site
	backend string   // origin of that server, or ""
	// unchanged is the reason why pages of the backend are served unchanged, or "".
	unchanged string

	printer *printer // nil until keys sets it
}

func (s *serving) run(ctx context.Context, args []string) error {
	if _, known := condition.Named(s.condition); !known {
		return usagef("--condition is one of %s, not %q", strings.Join(condition.Names(), ", "), s.condition)
	}
	if err := s.browser.check("browser"); err != nil {
		return err
	}
	if err := s.find(ctx, args); err != nil {
		return err
	}
	var err error
	if s.port == 0 {
		s.server, err = serve.StartNear(http.NotFoundHandler())
	} else {
		s.server, err = serve.StartAt(fmt.Sprintf("127.0.0.1:%d", s.port), http.NotFoundHandler())
	}
	if err != nil {
		return &problem.Problem{Kind: problem.Usage, What: fmt.Sprintf("port %d cannot be used: %v", s.port, err),
			Mend: "choose another one with --port; --port 0 uses any free port"}
	}
	defer s.server.Close()
	s.server.KeepPort = true
	releases, err := s.handlers(ctx)
	if err != nil {
		return err
	}
	afresh := &serve.Afresh{}
	answer := func(next bool) {
		chosen := releases[0]
		if next {
			chosen = releases[1]
		}
		s.server.Answer(serve.Named(s.names, afresh.Handler(chosen)))
	}
	answer(false)
	s.control = serve.NewControl(s.server, afresh)
	s.control.Site = s.name
	if len(releases) > 1 {
		s.control.Next = func(deployed bool) error { answer(deployed); return nil }
	}
	ctx, stop := context.WithCancel(ctx)
	defer stop()
	if len(s.folders) > 0 {
		served := &servedSite{ctx: ctx, project: s.project, folders: s.folders, deployed: s.control.Deployed, found: s.server.Log.Touch}
		s.control.Predict = newPredictor(served).predict
		if s.browser.name == "" {
			s.control.SetBrowser(&embeddedBrowser{servedSite: served})
		}
	}
	panel, err := serve.StartNear(serve.Named(nil, s.control))
	if err != nil {
		return &problem.Problem{Kind: problem.Read, What: "the control page cannot be served: " + err.Error(), Cause: err}
	}
	defer panel.Close()
	if err := s.control.Choose(s.condition); err != nil {
		return err
	}
	s.control.Switched = func(name string) { s.print(report.NetworkNow(name)) }
	s.control.Released = func(next bool) { s.print(report.ReleaseNow(next)) }
	var seen uint64
	if s.watch {
		seen = fingerprintOf(s.folders[0], s.project.Path)
	}
	keys, restore := s.keys(stop)
	defer restore()
	defer s.printer.close()
	s.server.Log.OnEnd(func(e serve.Entry) { s.print(report.ServedLine(e, s.width)) })
	s.print(report.Serving(s.name, s.server.Origin()+s.project.Addr, panel.Origin()+"/"+s.control.Fragment(), keys))
	if s.unchanged != "" {
		s.print(s.unchanged + "\n")
	}
	if s.condition != condition.Online.Name {
		s.print(report.NetworkNow(s.condition))
	}
	if s.watch {
		go s.fitAgain(ctx, args, seen)
	}
	if s.browser.name != "" {
		s.browser.visible = hasScreen()
		shown, err := showBrowser(ctx, s.browser, s.server.Origin(), s.project.Addr, s.server.Log.Touch)
		if err != nil {
			return err
		}
		defer shown.browser.Close()
		s.control.SetBrowser(shown)
		if s.browser.visible && s.browser.name != "webkit" { // which has one tab
			if tab, err := shown.browser.NewTab(); err == nil {
				_ = tab.Load(panel.Origin() + "/" + s.control.Fragment())
			}
		}
	}
	<-ctx.Done()
	return nil
}

// find sets what is served: a folder, a server on this machine, or both.
func (s *serving) find(ctx context.Context, args []string) error {
	p, name, err := s.load(args)
	if err != nil {
		return err
	}
	s.project, s.name, s.backend = p, name, p.Host.Backend
	if !isURL(name) {
		o, err := s.openSite(ctx, p, name)
		if err != nil {
			return err
		}
		s.folders, s.name = []string{o.folder.Dir}, o.name
	} else {
		u, err := whatwg.Parse(name)
		if err != nil {
			return usagef("%q is not an address", name)
		}
		s.backend, s.project.Addr = weburl.Origin(u), "/"
		switch {
		case s.next != "":
			return usagef("--next takes the place of a folder; %s is a server", name)
		case s.watch:
			return usagef("--watch looks at the files of a folder; %s is a server", name)
		}
	}
	if s.backend == "" {
		return nil
	}
	u, err := whatwg.Parse(s.backend)
	if err != nil {
		return usagef("%q is not an address", s.backend)
	}
	if !weburl.Loopback(u.Hostname()) && !p.Host.BackendElsewhere {
		return usagef("%s is another machine. serve forwards all methods, including those that change data. "+
			"If you trust this server, name it with --backend", s.backend)
	}
	return nil
}

// handlers returns the handler of the site and, with --next, that of the next release.
func (s *serving) handlers(ctx context.Context) (list []http.Handler, err error) {
	var behind http.Handler
	if s.backend != "" {
		forward, err := serve.NewForward(s.backend)
		if err != nil {
			return nil, usagef("%q is not an address", s.backend)
		}
		forward.Names, behind = s.lanBackend, forward
		if forward.Fitted, s.unchanged, err = s.fitOnTheWay(ctx); err != nil {
			return nil, err
		}
		if forward.Fitted != nil {
			behind = forward.Fitted.Before(forward)
		}
	}
	if len(s.folders) == 0 {
		return []http.Handler{behind}, nil
	}
	if s.next != "" {
		f, err := openFolder(s.next, s.project)
		if err != nil {
			return nil, err
		}
		s.folders = append(s.folders, f.Dir)
	}
	for _, dir := range s.folders {
		list = append(list, serve.HandlerBefore(dir, s.server.Origin(), s.project, behind))
	}
	return list, nil
}

// print queues lines for output.
func (s *serving) print(text string) {
	if s.printer != nil {
		s.printer.print(text)
	}
}

// fitAgain runs fit after each change of the files, until the context ends. seen is the fingerprint at the start. The files that fit
// writes do not start it again.
func (s *serving) fitAgain(ctx context.Context, args []string, seen uint64) {
	var messages bytes.Buffer
	quiet := *s.app
	quiet.out, quiet.err = io.Discard, &messages
	for nextChange(ctx, s.folders[0], s.project.Path, &seen) {
		fit := quiet.fit()
		fit.SetContext(ctx)
		err := fit.RunE(fit, args)
		if ctx.Err() != nil {
			return
		}
		if quiet.status(err) == statusOK {
			messages.WriteString("fitted again after a change\n")
		}
		s.print(messages.String())
		messages.Reset()
		seen = fingerprintOf(s.folders[0], s.project.Path)
	}
}
