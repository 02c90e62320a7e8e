package cli

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"strings"
	"sync"
	"time"

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
		Use:   "serve [SITE]",
		Short: "Serve the site on this machine, with a switch for the network",
		Long: `Serve answers on this machine as the site's host would by the project file:
index names, redirects, headers, statuses. While it runs, keys in the terminal
or its control page take the network away, make it slow, deploy the next
release, or have the browser forget the site.

SITE may also be the address of a server on this machine, such as
http://localhost:3000. Requests are then passed on to it, with all methods,
cookies and web sockets; with hosting.backend, those that no file answers.

Only requests for localhost and 127.0.0.1 are answered, so that no page
elsewhere reads the site through a name of its own; --name allows others, such
as that of a tunnel.`,
		Args: cobra.MaximumNArgs(1),
	}
	c.Flags().StringArrayVar(&s.names, "name", nil, "also answer requests for this `host` name")
	c.Flags().IntVar(&s.port, "port", 8300, "the port to listen on; 0 picks a free one")
	c.Flags().StringVar(&s.condition, "condition", "online", "the network at the start: online, offline, stalled, slow or flaky")
	c.Flags().StringVar(&s.next, "next", "", "the `folder` of the next release, to be deployed while this one is served")
	c.Flags().BoolVar(&s.watch, "watch", false, "fit the site again when its files change")
	c.Flags().BoolVar(&s.lanBackend, "lan-backend", false, "pass requests for the names of --name on to the server behind, too")
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

	server  *serve.Server
	control *serve.Control
	project *project.Project
	name    string // of the site, as people call it
	folder  string // "" where another server renders the site
	backend string // the origin of a server behind, "" for none

	mu    sync.Mutex // held while something is printed
	lines io.Writer
}

func (s *serving) run(ctx context.Context, args []string) error {
	if _, known := condition.Named(s.condition); !known {
		return usagef("--condition is one of %s, not %q", strings.Join(condition.Names(), ", "), s.condition)
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
			Mend: "name another with --port, or --port 0 for any"}
	}
	defer s.server.Close()
	s.server.KeepPort = true
	afresh := &serve.Afresh{}
	releases, err := s.handlers()
	if err != nil {
		return err
	}
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
	if s.folder != "" {
		s.control.Predict = newPredictor(ctx, s).predict
	}
	panel, err := serve.StartNear(serve.Named(nil, s.control))
	if err != nil {
		return &problem.Problem{Kind: problem.Read, What: "the control page cannot be served: " + err.Error(), Cause: err}
	}
	defer panel.Close()
	s.lines = s.out
	if err := s.control.Choose(s.condition); err != nil {
		return err
	}
	s.control.Switched = func(name string) { s.print(report.NetworkNow(name)) }
	s.control.Released = func(next bool) { s.print(report.ReleaseNow(next)) }
	var seen uint64
	if s.watch {
		seen = fingerprintOf(s.folder, s.project.Path)
	}
	s.server.Log.Tell(func(e serve.Entry) {
		s.print(report.ServedLine(report.Served{Time: e.At.Format("15:04:05"), Method: e.Method, Path: e.Path, Destination: e.Destination, By: string(e.By),
			Status: e.Status, Bytes: e.Bytes}, s.width))
	})
	keys, restore := s.keys(stop)
	defer restore()
	s.print(report.Serving(s.name, s.server.Origin()+s.project.Addr, panel.Origin()+"/"+s.control.Fragment(), keys))
	if s.condition != condition.Online.Name {
		s.print(report.NetworkNow(s.condition))
	}
	if s.watch {
		go s.fitAgain(ctx, args, seen)
	}
	<-ctx.Done()
	return nil
}

// find finds what is served: a folder, or a server on this machine.
func (s *serving) find(ctx context.Context, args []string) error {
	p, name, err := s.load(args)
	if err != nil {
		return err
	}
	s.project, s.name, s.backend = p, name, p.Host.Backend
	if !isURL(name) {
		o, err := s.open(ctx, args)
		if err != nil {
			return err
		}
		s.folder, s.name = o.folder.Dir, o.name
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
		return usagef("%s is another machine. serve passes on all methods, also those that change something, and does so on this machine alone; "+
			"if you trust that server, name it with --backend", s.backend)
	}
	return nil
}

// handlers give what answers for the site, and for its next release.
func (s *serving) handlers() (list []http.Handler, err error) {
	var behind http.Handler
	if s.backend != "" {
		forward, err := serve.NewForward(s.backend)
		if err != nil {
			return nil, usagef("%q is not an address", s.backend)
		}
		forward.Names, behind = s.lanBackend, forward
	}
	if s.folder == "" {
		return []http.Handler{behind}, nil
	}
	folders := []string{s.folder}
	if s.next != "" {
		f, err := openFolder(s.next, s.project)
		if err != nil {
			return nil, err
		}
		folders = append(folders, f.Dir)
	}
	for _, dir := range folders {
		list = append(list, serve.HandlerBefore(dir, s.server.Origin(), s.project, behind))
	}
	return list, nil
}

// print writes lines of the list, one at a time.
func (s *serving) print(text string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	io.WriteString(s.lines, text)
}

// fitAgain fits the site again whenever its files have changed since they were as seen says, until the context ends. What it writes
// itself sets nothing off.
func (s *serving) fitAgain(ctx context.Context, args []string, seen uint64) {
	const pause = 250 * time.Millisecond
	quiet := *s.app
	quiet.out = io.Discard
	for sleep(ctx, pause) {
		now := fingerprintOf(s.folder, s.project.Path)
		if now == seen {
			continue
		}
		if !sleep(ctx, pause) {
			return
		}
		if settled := fingerprintOf(s.folder, s.project.Path); settled != now {
			continue // a build is still writing
		}
		fit := quiet.fit()
		fit.SetContext(ctx)
		if err := fit.RunE(fit, args); err != nil && ctx.Err() == nil {
			s.print("fit: " + err.Error() + "\n")
		} else if ctx.Err() == nil {
			s.print("fitted again after a change\n")
		}
		seen = fingerprintOf(s.folder, s.project.Path)
	}
}
