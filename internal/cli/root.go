// Package cli is the command line: commands, options, prompts, progress and exit statuses.
package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/signal"
	"runtime/debug"
	"strings"
	"syscall"
	"time"

	"github.com/charmbracelet/colorprofile"
	"github.com/spf13/cobra"
	"golang.org/x/term"

	"tachyform/internal/crash"
	"tachyform/internal/problem"
	"tachyform/internal/report"
	"tachyform/internal/spelling"
)

// Exit statuses.
const (
	statusOK       = 0
	statusFindings = 1
	statusUsage    = 2
	statusFailed   = 3
)

// errFindings ends a command with status 1 after its report was printed.
var errFindings = errors.New("findings at or over the threshold")

// app carries what all commands share.
// Each command is a method of it.
type app struct {
	in      io.Reader
	out     io.Writer // strips colours where they are not wanted, and what a terminal would obey
	exact   io.Writer // for generated files: their bytes, except on a terminal
	patch   bool      // standard output is a file, which gets differences byte for byte
	err     io.Writer
	screen  io.Writer // the same without that, to clear it
	project string
	// backend is the server of --backend, "" for that of the project file.
	backend string
	format  string
	// headers, answerWithin and allWithin are for a live site.
	headers                 []string
	answerWithin, allWithin time.Duration
	// stateDir is the state folder of the project, "" if there is no project file.
	stateDir string
	// stop ends the run for a reason.
	stop  context.CancelCauseFunc
	width int
	// terminal tells that somebody can be asked; progress that standard error is a terminal.
	terminal, progress bool
}

// Main runs the program and gives its exit status.
func Main(args []string, in io.Reader, out, errOut io.Writer) (status int) {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	ctx, because := context.WithCancelCause(ctx)
	a := &app{in: in, width: 80}
	a.screen = out
	a.out, a.err, a.exact = styled(out), styled(errOut), out
	if f, ok := out.(*os.File); ok {
		if info, err := f.Stat(); err == nil && info.Mode().IsRegular() {
			a.patch = true
		} else if term.IsTerminal(int(f.Fd())) {
			a.exact = a.out
		}
		if w, _, err := term.GetSize(int(f.Fd())); err == nil && w > 0 {
			a.width = min(max(w, 60), 120)
		}
		if i, ok := in.(*os.File); ok {
			a.terminal = term.IsTerminal(int(f.Fd())) && term.IsTerminal(int(i.Fd()))
		}
	}
	if f, ok := errOut.(*os.File); ok {
		a.progress = term.IsTerminal(int(f.Fd()))
	}
	root := a.root()
	root.SetArgs(args)
	root.SetIn(in)
	root.SetOut(a.out)
	root.SetErr(a.err)
	a.stop = because
	log := &crash.Log{}
	ctx = crash.WithLog(ctx, log)
	err := func() (err error) {
		defer crash.Catch(&err)
		return root.ExecuteContext(ctx)
	}()
	if c := (*crash.Crash)(nil); errors.As(err, &c) {
		log.Add(c)
		defer func() { status = statusFailed }()
		err = nil
	}
	a.reportCrashes(log.All())
	var late *problem.Problem
	if err != nil && errors.As(context.Cause(ctx), &late) {
		err = late
	}
	return a.status(err)
}

// styled returns a writer that removes colours where they are not wanted, and everything else that a terminal would
// obey: what goes to a pipe may still reach one.
func styled(w io.Writer) io.Writer { return styledThrough(w, w) }

// styledThrough does so for a terminal that is written to through another writer.
func styledThrough(w, terminal io.Writer) io.Writer {
	return &colorprofile.Writer{Forward: shield{w}, Profile: colorprofile.Detect(terminal, os.Environ())}
}

func (a *app) status(err error) int {
	switch {
	case err == nil:
		return statusOK
	case errors.Is(err, errFindings):
		return statusFindings
	case errors.Is(err, context.Canceled):
		fmt.Fprintln(a.err, "Stopped; the site is as it was.")
		return statusFailed
	}
	var usage usageError
	if errors.As(err, &usage) {
		fmt.Fprintln(a.err, report.Problem(&problem.Problem{Kind: problem.Usage, What: usage.Error(),
			Mend: "tachyform --help lists what there is"}, a.width))
		return statusUsage
	}
	all := problem.All(err)
	status := statusUsage
	for _, p := range all {
		fmt.Fprintln(a.err, report.Problem(p, a.width))
		switch {
		case p.Kind == problem.Refused && len(all) == 1:
			status = statusFindings
		case p.Kind != problem.Usage:
			status = statusFailed
		}
	}
	return status
}

// usageError is a wrong option or argument.
type usageError struct{ error }

func usagef(format string, args ...any) error { return usageError{fmt.Errorf(format, args...)} }

// Version is the module's version and the revision it was built from.
func Version() string {
	info, ok := debug.ReadBuildInfo()
	if !ok {
		return "unknown"
	}
	version := info.Main.Version
	if version == "" || version == "(devel)" {
		version = "development"
	}
	for _, s := range info.Settings {
		if s.Key == "vcs.revision" && !strings.Contains(version, s.Value[:min(12, len(s.Value))]) {
			version += " " + s.Value[:min(12, len(s.Value))]
		}
	}
	return version
}

func (a *app) root() *cobra.Command {
	root := &cobra.Command{
		Use:   "tachyform",
		Short: "Makes a site installable and usable offline, and proves that it is",
		Long: `Tachyform takes a finished web site and makes it installable and usable offline:
it writes the web app manifest, icons, a service worker with caching rules and
the tags in every page's head. Then it proves the result without a browser and
without a network: which browsers would install the site, what every page looks
like offline, and why.

The usual order:
  tachyform survey dist      look at the site as it is
  tachyform init dist        describe the app in tachyform.yaml
  tachyform fit              write everything into the site; undo takes it back
  tachyform rehearse         visit every page offline and on a stalled network
  tachyform audit            judge it for every kind of browser
  tachyform handover         what people with the last release get from this

To see all of it on an example: tachyform demo`,
		SilenceErrors: true,
		SilenceUsage:  true,
		Version:       Version(),
		Args: func(cmd *cobra.Command, args []string) error {
			if len(args) > 0 {
				near := spelling.Nearest(args[0], commandNames(cmd))
				if near != "" {
					return usagef("there is no command %q; did you mean %s?", args[0], near)
				}
				return usagef("there is no command %q", args[0])
			}
			return nil
		},
		RunE: func(cmd *cobra.Command, _ []string) error { return cmd.Help() },
	}
	root.PersistentFlags().StringVar(&a.project, "project", "",
		"the project `file` (default: tachyform.yaml, found by walking up)")
	root.PersistentFlags().StringVar(&a.backend, "backend", "",
		"ask this `origin` for what no file of the site answers, instead of hosting.backend; other machines are allowed")
	root.SetFlagErrorFunc(func(_ *cobra.Command, err error) error { return usageError{err} })
	root.SetVersionTemplate("tachyform {{.Version}}\n")
	for _, c := range []*cobra.Command{a.survey(), a.initialise(), a.fit(), a.undo(), a.rehearse(), a.trace(), a.icons(),
		a.head(), a.worker(), a.sheet(), a.audit(), a.handover(), a.explain(), a.retire(), a.serve(), a.manifest(), a.schema(), a.demo()} {
		if c.Args == nil {
			c.Args = cobra.NoArgs
		}
		args := c.Args
		c.Args = func(cmd *cobra.Command, list []string) error {
			if err := args(cmd, list); err != nil {
				return usageError{err}
			}
			return nil
		}
		root.AddCommand(c)
	}
	return root
}

func commandNames(cmd *cobra.Command) (names []string) {
	for _, c := range cmd.Commands() {
		names = append(names, c.Name())
	}
	return names
}

// formatFlag adds --format to a command.
func (a *app) formatFlag(c *cobra.Command) {
	c.Flags().StringVar(&a.format, "format", "text", "text for people, json for programs")
}

func (a *app) checkFormat() error {
	if a.format != "text" && a.format != "json" {
		return usagef("--format takes text or json, not %q", a.format)
	}
	return nil
}
