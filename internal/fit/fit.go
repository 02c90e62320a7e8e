// Package fit writes manifest, icons, worker and head tags into a site as one transaction that can be undone.
package fit

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"image/color"
	"path/filepath"
	"slices"
	"strings"
	"unicode/utf8"

	"tachyform/internal/icon"
	"tachyform/internal/manifest"
	"tachyform/internal/page"
	"tachyform/internal/problem"
	"tachyform/internal/project"
	"tachyform/internal/site"
	"tachyform/internal/worker"
)

// Change is one file that is written. Old is nil for a new file.
type Change struct {
	Path string // relative to the site, with forward slashes
	Old  []byte
	New  []byte
	// What says in a word what the file is: page, icon, manifest, worker or script.
	What string
}

// Plan is what a fit would do.
type Plan struct {
	Site    string
	State   string
	Changes []Change
	// Same counts files that are as they should be already.
	Same   int
	Pages  int
	Worker *worker.Plan
	// Head is what every page's head is to hold, Icons the whole set, whether or not the files change.
	Head  Wanted
	Icons []icon.Icon
	// View is the site as it will be.
	View *site.Folder
}

// StateDir is where journals and originals of a project are kept.
func StateDir(p *project.Project, siteDir string) string {
	if p.Path != "" {
		return filepath.Join(p.Dir, project.StateDir)
	}
	return filepath.Join(filepath.Dir(filepath.Clean(siteDir)), project.StateDir)
}

// ManifestPath is the URL path of the manifest that is written.
func ManifestPath(p *project.Project) string { return p.Addr + "site.webmanifest" }

// Prepare works out all changes without writing anything.
func Prepare(ctx context.Context, p *project.Project, f *site.Folder) (*Plan, error) {
	plan := &Plan{Site: f.Dir, State: StateDir(p, f.Dir)}
	out := &output{p: p, f: f, plan: plan}
	if p.App.Text("name") == "" {
		return nil, &problem.Problem{Kind: problem.Usage, Where: orDefault(p.Path, project.FileName), What: "app.name is missing: an app needs a name", Mend: "add it under app:, such as name: Skerry Line"}
	}
	wanted := Wanted{Viewport: true, ThemeColor: p.App.Text("theme_color"), AppName: orDefault(p.App.Text("short_name"), p.App.Text("name"))}
	if err := out.icons(&wanted); err != nil {
		return nil, err
	}
	if err := out.manifest(&wanted); err != nil {
		return nil, err
	}
	if p.HasWorker() {
		wanted.Register = worker.RegisterPath(p)
		// The script's content depends only on the worker's address and takeover; it has to be there before the pack is chosen.
		script, err := worker.RegisterScript(&worker.Plan{Script: p.Worker.File, Scope: worker.ScopeOf(p.Worker.File), Takeover: p.Worker.Takeover}, worker.Options{})
		if err != nil {
			return nil, err
		}
		if err := out.put(wanted.Register, script, "script"); err != nil {
			return nil, err
		}
	}
	plan.Head = wanted
	if err := out.pages(ctx, wanted); err != nil {
		return nil, err
	}
	plan.View = f.With(out.contents())
	if p.HasWorker() {
		w, err := worker.NewPlan(ctx, p, plan.View)
		if err != nil {
			return nil, err
		}
		code, err := worker.Generate(w, worker.Options{})
		if err != nil {
			return nil, err
		}
		plan.Worker = w
		if err := out.put(w.Script, code, "worker"); err != nil {
			return nil, err
		}
		plan.View = f.With(out.contents())
	}
	return plan, nil
}

func orDefault(s, d string) string {
	if s == "" {
		return d
	}
	return s
}

// output collects changes.
type output struct {
	p    *project.Project
	f    *site.Folder
	plan *Plan
	all  map[string][]byte
	set  []manifest.Image
}

func (o *output) contents() map[string][]byte { return o.all }

// put notes that the file at a URL path is to have this content.
func (o *output) put(urlPath string, content []byte, what string) error {
	rel, ok := strings.CutPrefix(urlPath, o.p.Addr)
	if !ok {
		return &problem.Problem{Kind: problem.Usage, Where: orDefault(o.p.Path, project.FileName), What: fmt.Sprintf("%s lies outside the site's address %s", urlPath, o.p.Addr), Mend: "paths start at the origin and include the address"}
	}
	return o.putFile(rel, content, what)
}

func (o *output) putFile(rel string, content []byte, what string) error {
	if o.all == nil {
		o.all = map[string][]byte{}
	}
	var old []byte
	if file := o.f.File(rel); file != nil {
		var err error
		if old, err = file.Bytes(); err != nil {
			return &problem.Problem{Kind: problem.Read, Where: file.Abs, What: "cannot be read: " + plain(err), Cause: err}
		}
		if old == nil {
			old = []byte{}
		}
	}
	if same(old, content) {
		o.plan.Same++
		return nil
	}
	o.all[rel] = content
	o.plan.Changes = append(o.plan.Changes, Change{rel, old, content, what})
	return nil
}

func (o *output) icons(w *Wanted) error {
	if o.p.Icons.Master == "" {
		return nil
	}
	r := icon.Recipe{Ground: o.p.Icons.Ground}
	for _, m := range []struct {
		file string
		to   **icon.Master
	}{{o.p.Icons.Master, &r.Master}, {o.p.Icons.Maskable, &r.Maskable}, {o.p.Icons.Monochrome, &r.Monochrome}, {o.p.Icons.Small, &r.Small}} {
		if m.file == "" {
			continue
		}
		file := m.file
		if !filepath.IsAbs(file) {
			file = filepath.Join(o.p.Dir, file)
		}
		var err error
		if *m.to, err = icon.LoadMaster(file); err != nil {
			return err
		}
	}
	r.Backdrop = color.NRGBA{255, 255, 255, 255}
	for _, text := range []string{o.p.Icons.Backdrop, o.p.App.Text("background_color")} {
		if c, ok := manifest.ParseColour(text); ok && c.A == 255 {
			r.Backdrop = c
			break
		}
	}
	set, err := icon.Make(r)
	if err != nil {
		return err
	}
	o.plan.Icons = set
	folder := strings.TrimSuffix(o.p.Icons.Folder, "/") + "/"
	for _, i := range set {
		if err := o.put(folder+i.Name, i.Data, "icon"); err != nil {
			return err
		}
		switch i.Purpose {
		case "any", "maskable", "monochrome":
			o.set = append(o.set, manifest.Image{Src: folder + i.Name, Sizes: []string{icon.SizeText(i.Size)}, Type: i.Type, Purpose: []string{i.Purpose}})
		case "apple":
			w.AppleIcon = folder + i.Name
		case "favicon":
			w.Icon = folder + i.Name
		}
	}
	return nil
}

func (o *output) manifest(w *Wanted) error {
	app := slices.Clone(o.p.App)
	defaults := []project.Member{{Name: "start_url", Value: o.p.Addr}, {Name: "scope", Value: o.p.Addr}, {Name: "display", Value: "standalone"}}
	for _, d := range defaults {
		if _, there := app.Get(d.Name); !there {
			app.Set(d.Name, d.Value)
		}
	}
	text, err := manifest.Write(app, o.set)
	if err != nil {
		return err
	}
	w.Manifest = ManifestPath(o.p)
	return o.put(w.Manifest, text, "manifest")
}

func (o *output) pages(ctx context.Context, w Wanted) error {
	for _, file := range o.f.Files() {
		if err := ctx.Err(); err != nil {
			return err
		}
		if !strings.HasSuffix(file.Path, ".html") && !strings.HasSuffix(file.Path, ".htm") {
			continue
		}
		text, err := file.Bytes()
		if err != nil {
			return &problem.Problem{Kind: problem.Read, Where: file.Abs, What: "cannot be read: " + plain(err), Cause: err}
		}
		if page.Fragment(text) {
			continue // a piece of a page, or a text such as a proof of ownership, that has to stay as it is
		}
		url := o.f.Origin() + o.f.PathOf(file)
		if err := checkEncoding(url, text); err != nil {
			return &problem.Problem{Kind: problem.Read, Where: filepath.Join(o.f.Dir, file.Path), What: err.Error(), Mend: "save the page as UTF-8; nothing was written"}
		}
		edited, err := EditHead(text, url, w)
		if err != nil {
			return &problem.Problem{Kind: problem.Read, Where: filepath.Join(o.f.Dir, file.Path), What: err.Error(), Mend: "the file seems to be cut off: build it again; nothing was written"}
		}
		o.plan.Pages++
		if err := o.putFile(file.Path, edited, "page"); err != nil {
			return err
		}
	}
	return nil
}

// checkEncoding refuses pages whose bytes are not what they claim to be, before anything is inserted into them.
func checkEncoding(url string, text []byte) error {
	if bytes.HasPrefix(text, []byte{0xff, 0xfe}) || bytes.HasPrefix(text, []byte{0xfe, 0xff}) {
		return fmt.Errorf("the page is written in UTF-16")
	}
	if utf8.Valid(text) {
		return nil
	}
	d := page.ParseDocument(url, "", text)
	if d.Charset != "utf-8" && (declaresCharset(text)) {
		return nil // an older encoding that the page declares; what is inserted is plain ASCII
	}
	at := 0
	for at < len(text) {
		r, n := utf8.DecodeRune(text[at:])
		if r == utf8.RuneError && n == 1 {
			break
		}
		at += n
	}
	line := bytes.Count(text[:at], []byte("\n")) + 1
	return fmt.Errorf("the page is not valid UTF-8 and declares no other encoding: byte 0x%02x in line %d", text[at], line)
}

func declaresCharset(text []byte) bool {
	return bytes.Contains(bytes.ToLower(text[:min(len(text), 1024)]), []byte("charset"))
}

// Apply writes the changes: all of them, or none.
func (p *Plan) Apply(ctx context.Context) error {
	if len(p.Changes) == 0 {
		return nil
	}
	if err := ctx.Err(); err != nil {
		return err
	}
	for _, c := range p.Changes {
		now, err := current(filepath.Join(p.Site, filepath.FromSlash(c.Path)))
		if err != nil {
			return writeProblem(p.Site, "the site cannot be read", err)
		}
		before := ""
		if c.Old != nil {
			before = hashOf(c.Old)
		}
		if now != before {
			return &problem.Problem{Kind: problem.Write, Where: filepath.Join(p.Site, c.Path), What: "the file changed while the fit was being worked out; nothing was written", Mend: "wait until the build is through, then run fit again"}
		}
	}
	j, err := begin(p.State, p.Site, p.Changes)
	if err != nil {
		return writeProblem(p.State, "the journal cannot be written; the site is untouched", err)
	}
	if err := j.forward(); err != nil {
		if back := j.backward(); back != nil {
			return writeProblem(p.Site, "writing failed and could not be taken back yet; tachyform undo takes it back", errors.Join(err, back))
		}
		return writeProblem(p.Site, "writing failed; the site is as it was", err)
	}
	return nil
}
