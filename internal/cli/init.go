package cli

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"tachyform/internal/audit"
	"tachyform/internal/site"
	"tachyform/internal/survey"

	"github.com/spf13/cobra"

	"tachyform/internal/fit"
	"tachyform/internal/icon"
	"tachyform/internal/manifest"
	"tachyform/internal/page"
	"tachyform/internal/problem"
	"tachyform/internal/project"
	"tachyform/internal/report"
	"tachyform/internal/worker"
)

func (a *app) initialise() *cobra.Command {
	var d project.Draft
	var force, quiet bool
	c := &cobra.Command{
		Use:   "init SITE",
		Short: "Describe the app: writes a commented tachyform.yaml beside the site folder",
		Long: `Init looks at the site, opens its pages, and writes tachyform.yaml as a person
would who knows it: what is kept, how data is answered, how the host seems to
answer. What it inferred is written down with the reason. SITE may also be the
address of a site that a server renders; the file is then written here.`,
		Args: cobra.ExactArgs(1),
	}
	f := c.Flags()
	f.StringVar(&d.Name, "name", "", "the app's full name (default: the first page's title)")
	f.StringVar(&d.ShortName, "short-name", "", "the name under the icon")
	f.StringVar(&d.Description, "description", "", "what the app does, in a sentence")
	f.StringVar(&d.Lang, "lang", "", "the language of its texts, such as en (default: the first page's)")
	f.StringVar(&d.StartURL, "start-url", "", "the page that opens with the app (default: the first page)")
	f.StringVar(&d.Display, "display", "", "how it opens: standalone, fullscreen, minimal-ui or browser (default "+
		"standalone)")
	f.StringVar(&d.Orientation, "orientation", "", "the orientation of the screen, such as portrait")
	f.StringVar(&d.Master, "master", "", "the master `picture` for icons: SVG, or PNG, JPEG, WebP from 512 px")
	f.StringVar(&d.ThemeColor, "theme-color", "", "a CSS colour for the bar around the page")
	f.StringVar(&d.BackgroundColor, "background-color", "", "a CSS colour shown while the app starts")
	f.StringVar(&d.Origin, "origin", "", "where the site will live, such as https://skerry-line.example")
	f.StringVar(&d.Address, "address", "", "the path that the host mounts the site at (default: as links tell, else /)")
	f.BoolVar(&force, "replace", false, "replace a project file that is there")
	f.BoolVar(&quiet, "no-questions", false, "ask nothing, even on a terminal")
	a.liveFlags(c)
	c.RunE = func(cmd *cobra.Command, args []string) error {
		dir := filepath.Clean(args[0])
		file := filepath.Join(filepath.Dir(dir), project.FileName)
		if isURL(args[0]) {
			dir, file = args[0], project.FileName
		} else if abs, err := filepath.Abs(dir); err == nil && filepath.Dir(dir) == "." && filepath.Base(dir) == "." {
			file = filepath.Join(filepath.Dir(abs), project.FileName)
		}
		if _, err := os.Stat(file); err == nil && !force {
			return &problem.Problem{Kind: problem.Usage, Where: shortName(file), What: "there is a project file already",
				Mend: "edit it, or start over with --replace"}
		}
		if force {
			// Nobody who is fitting by the file that is there gets another one half-way.
			state, err := fit.OpenState(cmd.Context(), filepath.Join(filepath.Dir(file), project.StateDir), "init --replace")
			if err != nil {
				return err
			}
			defer state.Close()
		}
		for _, colour := range []struct{ flag, value string }{{"--theme-color", d.ThemeColor},
			{"--background-color", d.BackgroundColor}} {
			if _, ok := manifest.ParseColour(colour.value); colour.value != "" && !ok {
				return usagef("%s takes a CSS colour such as #0b4f6c, not %q", colour.flag, colour.value)
			}
		}
		for _, word := range []struct {
			flag, value string
			known       []string
		}{{"--display", d.Display, manifest.DisplayModes}, {"--orientation", d.Orientation, manifest.Orientations}} {
			if word.value != "" && !slices.Contains(word.known, word.value) {
				return usagef("%s takes %s, not %q", word.flag, strings.Join(word.known, ", "), word.value)
			}
		}
		if d.Address != "" && !strings.HasPrefix(d.Address, "/") {
			return usagef("--address takes a path that starts with /, not %q", d.Address)
		}
		p := project.Default(dir)
		p.Addr = strings.TrimSuffix(d.Address, "/") + "/"
		p.Origin = d.Origin
		p.Audit.Entry, p.Audit.Visit = p.Addr, []string{p.Addr}
		g, told, err := a.firstLook(cmd.Context(), p, dir, d.Address != "")
		if err != nil {
			return err
		}
		for _, i := range told {
			d.Told = append(d.Told, project.Told{Key: i.Key, Value: i.Value, Why: report.Inferred(i)})
		}
		beside := filepath.Dir(file)
		fillDraft(&d, g, dir, beside)
		presentWorker(&d, g)
		if a.terminal && !quiet {
			kind, _ := g.KindOf()
			if err := ask(&d, kind, func(path string) string { return masterPath(beside, path) }); err != nil {
				return err
			}
		}
		if d.Master != "" {
			if _, err := icon.LoadMaster(resolveMaster(beside, &d)); err != nil {
				return err
			}
		}
		if err := writeOutput(file, d.Text(), "the project file", "check that the folder can be written to"); err != nil {
			return err
		}
		fmt.Fprint(a.out, report.Drafted(d, shortName(file)))
		if d.Present != "" && !d.Unread {
			return a.judgePresent(cmd.Context(), file)
		}
		return nil
	}
	return c
}

// resolveMaster finds the master from the working folder first, then beside the project file, and makes it relative to
// the latter.
func resolveMaster(beside string, d *project.Draft) string {
	path := masterPath(beside, d.Master)
	if abs, err := filepath.Abs(path); err == nil {
		if base, err := filepath.Abs(beside); err == nil {
			if rel, err := filepath.Rel(base, abs); err == nil {
				d.Master = filepath.ToSlash(rel)
			}
		}
	}
	return path
}

// masterPath finds a picture from the working folder first, then beside the project file.
func masterPath(beside, path string) string {
	if _, err := os.Stat(path); err != nil && !filepath.IsAbs(path) {
		return filepath.Join(beside, path)
	}
	return path
}

// firstLook looks at a site that no project file describes yet.
func (a *app) firstLook(ctx context.Context, p *project.Project, dir string, keepAddress bool) (*survey.Graph, []survey.Inference,
	error) {
	if isURL(dir) {
		o, err := a.openLive(ctx, p, dir)
		if err != nil {
			return nil, nil, err
		}
		g, err := a.lookLive(ctx, o)
		return g, nil, err
	}
	folder, err := openFolder(dir, p)
	if err != nil {
		return nil, nil, err
	}
	if err := folder.CheckBuilt(); err != nil {
		return nil, nil, err
	}
	return a.lookAt(ctx, &opened{project: p, name: dir, host: folder, folder: folder}, keepAddress)
}

// fillDraft takes from the site what no option said.
func fillDraft(d *project.Draft, g *survey.Graph, dir, beside string) {
	d.Site = filepath.ToSlash(filepath.Base(dir))
	if isURL(dir) {
		d.Site, d.Origin = dir, g.Folder.Origin()
	} else if abs, err := filepath.Abs(dir); err == nil {
		d.Site = filepath.Base(abs)
	}
	d.Address = g.Folder.Address()
	d.Entry = d.Address
	doc := g.Pages[d.Entry]
	if doc == nil && len(g.Pages) > 0 {
		d.Entry = g.PagePaths()[0]
		doc = g.Pages[d.Entry]
	}
	set := func(s *string, v string) {
		if *s == "" {
			*s = v
		}
	}
	if d.Origin == "" {
		d.Origin = canonicalOrigin(g.Folder)
		d.OriginGuessed = d.Origin == ""
	}
	theirs := presentManifest(g, d.Entry)
	if theirs != nil {
		for _, of := range []struct{ to, from *string }{{&d.Name, &theirs.Name}, {&d.ShortName, &theirs.ShortName},
			{&d.Description, &theirs.Description}, {&d.Lang, &theirs.Lang}, {&d.Orientation, &theirs.Orientation},
			{&d.ThemeColor, &theirs.ThemeColor}, {&d.BackgroundColor, &theirs.BackgroundColor}} {
			set(of.to, *of.from)
		}
		local := func(url string) string { return strings.TrimPrefix(url, g.Folder.Origin()) }
		d.ID = local(theirs.ID)
		set(&d.StartURL, local(theirs.StartURL))
		set(&d.Display, theirs.Display)
	}
	if doc != nil {
		set(&d.Name, doc.Title)
		set(&d.Lang, doc.Lang)
		if t, ok := doc.Meta("theme-color"); ok {
			if c, ok := manifest.ParseColour(t.Attr["content"]); ok {
				set(&d.ThemeColor, manifest.ColourText(c))
			}
		}
	}
	set(&d.Name, filepath.Base(beside))
	set(&d.ShortName, shortNameOf(d.Name))
	set(&d.Takeover, "ask")
	looks := g.Colours(d.Entry)
	set(&d.ThemeColor, looks.Bar)
	if d.BackgroundColor == "" {
		d.BackgroundColor, d.BackgroundGuessed = orWhite(looks.Background), looks.Background == ""
	}
	keep := g.Summarize().Keep
	d.First = keep.First
	d.Pages, d.Whole, d.Visited, d.KeepWhy, d.Shell, d.Data, d.Unanswered = keep.Pages, keep.Whole, keep.Visited, keep.Why, keep.Shell,
		draftData(keep.Data), keep.Unanswered
	for _, e := range keep.Elsewhere {
		d.Elsewhere = append(d.Elsewhere, project.DraftOrigin(e))
	}
	for _, name := range []string{"offline.html", "offline/index.html"} {
		if file := g.Folder.File(name); file != nil {
			d.PageStandIn = g.Folder.PathOf(file)
		}
	}
	if d.Master == "" {
		d.Master = proposeMaster(beside, g.Folder)
	}
	if d.ThemeColor == "" && d.Master != "" {
		// No style of the site names its colour, and the picture has one.
		if m, err := icon.LoadMaster(masterPath(beside, d.Master)); err == nil {
			if c, ok := m.Leading(); ok {
				d.ThemeColor = manifest.ColourText(c)
			}
		}
	}
	set(&d.ThemeColor, d.BackgroundColor)
}

// presentManifest gives the manifest that the entry page links to, nil where there is none in the folder.
func presentManifest(g *survey.Graph, entry string) *manifest.Processed {
	doc := g.Drawn[entry]
	if doc == nil {
		if doc = g.Pages[entry]; doc == nil {
			return nil
		}
	}
	file := g.Folder.FileAt(doc.ManifestURL())
	if doc.ManifestURL() == "" || file == nil {
		return nil
	}
	text, err := file.Bytes()
	if err != nil {
		return nil
	}
	if out, _ := manifest.Process(text, doc.ManifestURL(), g.Folder.Origin()+entry, manifest.Standard); !out.Fatal && out.Name+out.ShortName != "" {
		return out
	}
	return nil
}

// draftData says how data is kept: all that there may be, and at installation unless it is heavy.
func draftData(list []survey.DataPattern) (out []project.DraftData) {
	const fewAnswers, heavy = 100, 2_000_000
	for _, p := range list {
		out = append(out, project.DraftData{Match: p.Match, AtMost: max(fewAnswers, (p.Files/50+2)*50), Seldom: p.Bytes > heavy})
	}
	return out
}

func orWhite(colour string) string {
	if colour == "" {
		return "#ffffff"
	}
	return colour
}

// judgePresent says of a site with a worker of its own whether it installs and works offline as it is.
func (a *app) judgePresent(ctx context.Context, file string) error {
	o, err := a.open(ctx, nil)
	if err != nil || o.project.Path != file {
		p, err := project.Load(file)
		if err != nil {
			return err
		}
		if o, err = a.openSite(ctx, p, p.SiteDir()); err != nil {
			return err
		}
	}
	in, err := a.input(o)
	if err != nil {
		return err
	}
	r, err := audit.Run(ctx, in)
	if err != nil {
		return err
	}
	fmt.Fprint(a.out, report.AsItIs(r, a.width))
	return nil
}

// madeByFit says whether a registration is of a worker that fit wrote, or made by the script that it writes.
func madeByFit(f *site.Folder, r page.Registration) bool {
	return holds(f, r.Script, worker.IsWorker) || holds(f, r.From, worker.IsRegisterScript)
}

// holds says whether the text of a file is what is says.
func holds(f *site.Folder, url string, is func(text []byte) bool) bool {
	file := f.FileAt(url)
	if file == nil {
		return false
	}
	text, err := file.Bytes()
	return err == nil && is(text)
}

// presentWorker takes down a worker that the site registers by itself: as its pages were seen to do, else as its texts
// suggest.
func presentWorker(d *project.Draft, g *survey.Graph) {
	folder := g.Folder
	spot := func(p page.Place) string {
		text := strings.TrimPrefix(p.URL, folder.Origin())
		if p.Line > 0 {
			text += fmt.Sprintf(":%d:%d", p.Line, p.Column)
		}
		return text
	}
	seen := slices.DeleteFunc(g.Seen.Registrations(), func(r page.Registration) bool { return madeByFit(folder, r) })
	if len(seen) > 0 {
		r := seen[0]
		d.Present = strings.TrimPrefix(r.Script, folder.Origin())
		d.PresentWhy = spot(page.PlaceOf(r, folder))
		return
	}
	if perhaps := page.PerhapsRegisters(folder, g.Seen); len(perhaps) > 0 {
		own := page.WorkerScripts(folder)
		if len(own) > 0 {
			d.PresentWhy, d.Unread, d.Present = spot(perhaps[0]), true, own[0]
			return
		}
	}
	texts := slices.DeleteFunc(page.TextsThatRegister(folder), func(p page.Place) bool { return holds(folder, p.URL, worker.IsRegisterScript) })
	if len(texts) > 0 {
		d.Unregistered = spot(texts[0])
	}
}
