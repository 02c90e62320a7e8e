package cli

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/http"
	"time"

	"github.com/spf13/cobra"

	"tachyform/internal/problem"
	"tachyform/internal/serve"
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
			return &problem.Problem{Kind: problem.Usage, What: fmt.Sprintf("port %d cannot be used: %v", port, err),
				Mend: "name another with --port, or --port 0 for any"}
		}
		origin := fmt.Sprintf("http://127.0.0.1:%d", listener.Addr().(*net.TCPAddr).Port)
		server := &http.Server{Handler: serve.Named(names, serve.Handler(o.folder.Dir, origin, o.project)),
			ReadHeaderTimeout: 10 * time.Second}
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
