package cli

import (
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"tachyform/internal/audit"
	"tachyform/internal/report"
	"tachyform/internal/worker"
)

func (a *app) retire() *cobra.Command {
	var at, out string
	var minify bool
	c := &cobra.Command{
		Use:   "retire [SITE]",
		Short: "Make a worker that removes itself and all it kept, to be served at the old address",
		Long: `Retire makes a service worker that takes away its registration and every cache,
and loads open pages once more. Serve it at the address of the worker that is to
go, also one that somebody else left there, for as long as visitors may come
back who have it. It is tried first: a visitor with the site's present worker,
then the new one, then nothing that is left.`,
		Args: cobra.MaximumNArgs(1),
	}
	a.formatFlag(c)
	c.Flags().StringVar(&at, "at", "", "the `path` of the worker that is to go (default: worker.file)")
	c.Flags().StringVar(&out, "out", "", "write the code to this `file`; without it, it is printed")
	c.Flags().BoolVar(&minify, "minify", false, "without comments, white space and long names")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		if err := a.checkFormat(); err != nil {
			return err
		}
		o, err := a.open(cmd.Context(), args)
		if err != nil {
			return err
		}
		if err := o.needFolder("retire"); err != nil {
			return err
		}
		if at == "" {
			at = o.project.Worker.File
		}
		rel, ok := strings.CutPrefix(at, o.project.Addr)
		if !ok {
			return usagef("--at takes a path from the origin that begins with the site's address %s, not %q", o.project.Addr, at)
		}
		code, err := worker.Retiring(worker.Options{Minify: minify})
		if err != nil {
			return err
		}
		in, err := a.input(o)
		if err != nil {
			return err
		}
		tried, err := audit.Retire(cmd.Context(), in, o.folder.With(map[string][]byte{rel: code}))
		if err != nil {
			return wrapRead(o.name, err)
		}
		if out != "" {
			if err := writeOutput(out, code, "the worker", "name another file with --out"); err != nil {
				return err
			}
		}
		switch {
		case a.format == "json":
			return a.json(map[string]any{"schema": "tachyform.retire/1", "at": at, "code": string(code), "tried": tried})
		case out == "":
			_, err = a.exact.Write(code)
			fmt.Fprint(a.err, report.Retired(tried, at, out, a.width))
		default:
			fmt.Fprint(a.out, report.Retired(tried, at, out, a.width))
		}
		return err
	}
	return c
}
