package cli

import (
	"context"
	"fmt"
	"os"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"tachyform/internal/audit"
	"tachyform/internal/fit"
	"tachyform/internal/handover"
	"tachyform/internal/problem"
	"tachyform/internal/project"
	"tachyform/internal/releases"
	"tachyform/internal/report"
	"tachyform/internal/site"
	"tachyform/internal/spelling"
	"tachyform/internal/useragent"
)

// handoverOptions are what the command line says beside the releases.
type handoverOptions struct {
	newProject, old, save, failOn string
	only, reports                 []string
	markLive                      bool
}

func (a *app) handover() *cobra.Command {
	var opts handoverOptions
	c := &cobra.Command{
		Use:   "handover [OLD [OLDER…] NEW]",
		Short: "Show what people who have the last release get from the next one",
		Long: `Handover plays returning visitors to whom the next release is deployed: who
reloads, keeps a tab open, comes back offline, loses the network in the middle,
meets half a deployment, and more. It tells when the new release is wholly
there, and each moment at which a page ran with files of two releases.

OLD and NEW are folders as they are deployed; OLD may be the URL of the site as
it is live today. Releases before OLD, the last first, are for people who missed
some. Without OLD it is the release marked live, or the last one that fit
recorded; without NEW the site of the project file. After a deployment:
tachyform handover --mark-live`,
		Args: cobra.ArbitraryArgs,
	}
	a.formatFlag(c)
	a.liveFlags(c)
	profile := targetFlag(c)
	c.Flags().StringVar(&opts.newProject, "new-project", "", "a project `file` that says how the new release is hosted, where that is not as before")
	c.Flags().StringVar(&opts.old, "old", "", "take the old release from this `file`, which --save made")
	c.Flags().StringVar(&opts.save, "save", "", "write the site as it is now into one `file`, for a later --old")
	c.Flags().BoolVar(&opts.markLive, "mark-live", false, "note that the site as it is now is the release that is live")
	c.Flags().StringArrayVar(&opts.only, "only", nil, "play only the scenario with this `name`, and show its steps")
	c.Flags().StringArrayVar(&opts.reports, "report", nil, "write a report as well (`KIND=FILE`; "+strings.Join(reportKinds, ", ")+")")
	c.Flags().StringVar(&opts.failOn, "fail-on", "", "the lightest weight that ends with status 1: blocker, risk or polish")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		if err := a.checkFormat(); err != nil {
			return err
		}
		if err := checkReports(opts.reports, reportKinds); err != nil {
			return err
		}
		if err := checkScenarios(opts.only); err != nil {
			return err
		}
		kind, err := profile()
		if err != nil {
			return err
		}
		if opts.markLive || opts.save != "" {
			return a.recordRelease(cmd.Context(), args, opts)
		}
		return a.handOver(cmd.Context(), args, opts, kind)
	}
	return c
}

func checkScenarios(only []string) error {
	var names []string
	for _, d := range handover.Known() {
		names = append(names, d.Name)
	}
	for _, name := range only {
		if near := spelling.Nearest(name, names); !slices.Contains(names, name) && near != "" {
			return usagef("there is no scenario %q; did you mean %s?", name, near)
		} else if !slices.Contains(names, name) {
			return usagef("there is no scenario %q; they are %s", name, strings.Join(names, ", "))
		}
	}
	return nil
}

// handOver plays the scenarios and shows what they came to.
func (a *app) handOver(ctx context.Context, args []string, opts handoverOptions, kind *useragent.Kind) error {
	o, in, old, done, err := a.releasesOf(ctx, args, opts)
	defer done()
	if err != nil {
		return err
	}
	in.Kind = kind
	if err := setFailOn(o.project, opts.failOn); err != nil {
		return err
	}
	if a.progress {
		in.Progress = func(done, all int) {
			fmt.Fprintf(a.err, "\r\x1b[Kscenario %d of %d", done, all)
			if done == all {
				fmt.Fprint(a.err, "\r\x1b[K")
			}
		}
	}
	r, err := audit.Handover(ctx, in, old, opts.only)
	if err != nil {
		return wrapRead(o.name, err)
	}
	if err := writeReports(opts.reports, r, handoverForms(r, o.project.Audit.FailOn)); err != nil {
		return err
	}
	if a.format == "json" {
		if err := a.json(r); err != nil {
			return err
		}
	} else {
		fmt.Fprint(a.out, report.Handover(r, len(opts.only) > 0, a.width))
	}
	if r.FailsOn(o.project.Audit.FailOn) {
		return errFindings
	}
	return nil
}

// releasesOf opens the new release and the old ones. done gives back what they hold, also after an error.
func (a *app) releasesOf(ctx context.Context, args []string, opts handoverOptions) (o *opened, in audit.Input,
	old []handover.Release, done func(), err error) {
	done = func() {}
	var newest []string
	olds := args
	if len(args) > 0 {
		newest, olds = args[len(args)-1:], args[:len(args)-1]
	}
	if o, err = a.open(ctx, newest); err != nil {
		return
	}
	if in, err = a.input(o); err != nil {
		return
	}
	p, others := o.project, in.Others
	if opts.newProject != "" {
		if err = a.otherHosting(o, &in, opts.newProject); err != nil {
			return
		}
	}
	open := func(name, dir string) (handover.Release, error) {
		f, err := site.OpenFolder(dir, in.Host.Origin(), p.Addr, p.Host)
		if err != nil {
			return handover.Release{}, err
		}
		return handover.Release{Name: name, Host: f, Others: others}, nil
	}
	if opts.old != "" {
		var dir string
		if dir, err = releases.Unpack(opts.old, o.folder); err != nil {
			return
		}
		done = func() { _ = os.RemoveAll(dir) }
		var r handover.Release
		if r, err = open(opts.old, dir); err != nil {
			return
		}
		old = append(old, r)
	}
	for _, name := range slices.Backward(olds) {
		var r handover.Release
		if isURL(name) {
			r, err = a.liveRelease(ctx, name, &in, o)
		} else if err = notEmpty(name); err == nil {
			r, err = open(shortName(name), name)
		}
		if err != nil {
			return
		}
		old = append(old, r)
	}
	if len(old) > 0 {
		return
	}
	var r handover.Release
	if r, done, err = recordedRelease(ctx, o, in); err == nil {
		old = append(old, r)
	}
	return
}

// recordedRelease is the release that was marked live, or the last one that fit recorded. done gives back what it holds, also
// after an error.
func recordedRelease(ctx context.Context, o *opened, in audit.Input) (r handover.Release, done func(), err error) {
	done = func() {}
	if o.folder == nil {
		return r, done, usagef("name the old release as well, such as: tachyform handover OLD %s", o.name)
	}
	store := releases.Of(o.project)
	recorded, err := store.Before(ctx, o.folder)
	if err == nil && recorded == nil {
		err = &problem.Problem{Kind: problem.Usage, What: "there is no earlier release to compare with: none is recorded that differs from the " +
			"site now", Mend: "name its folder (tachyform handover OLD NEW), or keep one after each deployment with tachyform handover --mark-live"}
	}
	if err != nil {
		return r, done, err
	}
	dir, err := store.Lay(recorded, o.folder)
	if err != nil {
		return r, done, err
	}
	done = func() { _ = os.RemoveAll(dir) }
	f, err := site.OpenFolder(dir, in.Host.Origin(), o.project.Addr, o.project.Host)
	return handover.Release{Name: "the release of " + recorded.When(), Host: f, Others: in.Others}, done, err
}

// otherHosting has the new release answer as another project file says; all else is as the first has it.
func (a *app) otherHosting(o *opened, in *audit.Input, file string) error {
	p, err := project.Load(file)
	if err != nil {
		return err
	}
	if o.folder == nil {
		return usagef("--new-project says how a folder is hosted, and %s is live", o.name)
	}
	f, err := site.OpenFolder(o.folder.Dir, o.folder.Origin(), o.project.Addr, p.Host)
	if err != nil {
		return err
	}
	other, err := a.input(&opened{p, o.name, f, f})
	if err != nil {
		return err
	}
	o.folder, o.host, in.Folder, in.Host, in.Others = f, f, f, f, other.Others
	return nil
}

// liveRelease is the site as it is live. The new release then answers at the live one's origin.
func (a *app) liveRelease(ctx context.Context, url string, in *audit.Input, o *opened) (handover.Release, error) {
	live, err := a.openLive(ctx, &project.Project{}, url)
	if err != nil {
		return handover.Release{}, err
	}
	if o.folder != nil && live.host.Origin() != in.Host.Origin() {
		o.project.Origin = live.host.Origin()
		f, err := openFolder(o.folder.Dir, o.project)
		if err != nil {
			return handover.Release{}, err
		}
		o.folder, o.host, in.Folder, in.Host = f, f, f, f
	}
	return handover.Release{Name: live.name, Host: handover.Remembering(live.host), Others: in.Others}, nil
}

func notEmpty(dir string) error {
	entries, err := os.ReadDir(dir)
	if err != nil || len(entries) == 0 {
		what := "the folder is empty"
		if err != nil {
			what = "the folder of the old release cannot be read: " + problem.Innermost(err)
		}
		return &problem.Problem{Kind: problem.Read, Where: dir, What: what, Mend: "name the folder as it was deployed", Cause: err}
	}
	return nil
}

// keepRelease records the site as a fit has left it, for a later handover. The fit stands whether that works or not.
func (a *app) keepRelease(ctx context.Context, args []string) error {
	o, err := a.open(ctx, args)
	if err != nil || o.folder == nil {
		return err
	}
	if _, err = releases.Of(o.project).Record(ctx, o.folder, false); err != nil && ctx.Err() == nil {
		for _, p := range problem.All(err) {
			fmt.Fprintln(a.err, report.Problem(p, a.width))
		}
	}
	return ctx.Err()
}

// recordRelease keeps the site as it is now, as the live release or in a file.
func (a *app) recordRelease(ctx context.Context, args []string, opts handoverOptions) error {
	o, err := a.open(ctx, args)
	if err != nil {
		return err
	}
	if err := o.needFolder("recording a release"); err != nil {
		return err
	}
	if opts.save != "" {
		if err := releases.Pack(ctx, o.folder, opts.save); err != nil {
			return err
		}
		fmt.Fprintf(a.out, "%s holds the release in %s; a later handover takes it with --old.\n", opts.save, o.name)
	}
	if opts.markLive {
		var r *releases.Release
		err := a.writing(ctx, o.project, o.folder.Dir, "handover --mark-live", func(*fit.State) (err error) {
			r, err = releases.Of(o.project).Record(ctx, o.folder, true)
			return err
		})
		if err != nil {
			return err
		}
		fmt.Fprintf(a.out, "The site in %s is noted as the live release (%s, %d files); the next handover compares with it.\n", o.name,
			r.ID, len(r.Files))
	}
	return nil
}
