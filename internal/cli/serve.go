package cli

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/http"
	"slices"
	"strings"
	"sync"
	"time"

	whatwg "github.com/nlnwa/whatwg-url/url"
	"github.com/spf13/cobra"

	"tachyform/internal/problem"
	"tachyform/internal/project"
	"tachyform/internal/site"
)

func (a *app) serve() *cobra.Command {
	var port int
	var names []string
	c := &cobra.Command{
		Use:   "serve [SITE]",
		Short: "Serve the site on this machine as its host would",
		Long: `Serve answers on this machine as the site's host would by the project file:
index names, redirects, headers, statuses. Only requests for localhost and
127.0.0.1 are answered, so that no page elsewhere reads the site through a name
of its own; --name allows others, such as that of a tunnel.`,
		Args: cobra.MaximumNArgs(1),
	}
	c.Flags().StringArrayVar(&names, "name", nil, "also answer requests for this `host` name")
	c.Flags().IntVar(&port, "port", 8300, "the port to listen on; 0 picks a free one")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		o, err := a.open(cmd.Context(), args)
		if err != nil {
			return err
		}
		if err := o.needFolder("serve"); err != nil {
			return err
		}
		listener, err := net.Listen("tcp", fmt.Sprintf("127.0.0.1:%d", port))
		if err != nil {
			return &problem.Problem{Kind: problem.Usage, What: fmt.Sprintf("port %d cannot be used: %v", port, err), Mend: "name another with --port, or --port 0 for any"}
		}
		origin := fmt.Sprintf("http://127.0.0.1:%d", listener.Addr().(*net.TCPAddr).Port)
		server := &http.Server{Handler: named(names, Handler(o.folder.Dir, origin, o.project)), ReadHeaderTimeout: 10 * time.Second}
		fmt.Fprintf(a.out, "%s is at %s%s\nCtrl-C stops it.\n", o.name, origin, o.project.Addr)
		go func() {
			<-cmd.Context().Done()
			ctx, cancel := context.WithTimeout(context.Background(), 2*time.Second)
			defer cancel()
			server.Shutdown(ctx)
		}()
		if err := server.Serve(listener); err != nil && !errors.Is(err, http.ErrServerClosed) {
			return &problem.Problem{Kind: problem.Read, What: err.Error(), Cause: err}
		}
		return nil
	}
	return c
}

// named refuses requests for other host names than this machine's own and those given: a name that somebody else points here would let
// their pages read what is served.
func named(names []string, next http.Handler) http.Handler {
	known := append([]string{"localhost", "127.0.0.1", "[::1]"}, names...)
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		host := r.Host
		if i := strings.LastIndexByte(host, ':'); i > strings.LastIndexByte(host, ']') {
			host = host[:i]
		}
		if !slices.ContainsFunc(known, func(k string) bool { return strings.EqualFold(k, host) }) {
			http.Error(w, "This host name is not served here; tachyform serve --name allows it.", http.StatusMisdirectedRequest)
			return
		}
		next.ServeHTTP(w, r)
	})
}

// Handler serves a site folder by the project's hosting section. Files are looked up anew when they may have changed.
func Handler(dir, origin string, p *project.Project) http.Handler {
	return &handler{dir: dir, origin: origin, project: p}
}

type handler struct {
	dir, origin string
	project     *project.Project
	mu          sync.Mutex
	folder      *site.Folder
	at          time.Time
}

func (h *handler) current() (*site.Folder, error) {
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.folder == nil || time.Since(h.at) > time.Second {
		f, err := site.OpenFolder(h.dir, h.origin, h.project.Addr, h.project.Host)
		if err != nil {
			return nil, err
		}
		h.folder, h.at = f, time.Now()
	}
	return h.folder, nil
}

func (h *handler) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	failed := func() {
		// What went wrong holds paths of this machine, which are nobody's business elsewhere.
		http.Error(w, "The file cannot be read now.", http.StatusInternalServerError)
	}
	f, err := h.current()
	if err != nil {
		failed()
		return
	}
	u, err := whatwg.Parse(h.origin + r.URL.RequestURI())
	if err != nil {
		http.Error(w, "bad address", http.StatusBadRequest)
		return
	}
	resp, err := f.Answer(r.Context(), &site.Request{Method: r.Method, URL: u, Header: r.Header})
	if err != nil {
		failed()
		return
	}
	var body []byte
	if resp.Body != nil {
		if body, err = resp.Body.Bytes(); err != nil {
			failed()
			return
		}
	}
	for name, values := range resp.Header {
		w.Header()[name] = values
	}
	if resp.Header.Get("Content-Type") == "" {
		w.Header()["Content-Type"] = nil // else the server would guess one
	}
	w.WriteHeader(resp.Status)
	if r.Method != http.MethodHead {
		w.Write(body)
	}
}
