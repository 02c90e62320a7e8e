// Package fit writes manifest, icons, worker and head tags into a site as one transaction that can be undone.
package fit

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"image/color"
	"maps"
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
	"tachyform/internal/spelling"
	"tachyform/internal/survey"
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
	Same int
	// Pages counts those whose heads are seen to, Passed those that the project file leaves out.
	Pages, Passed int
	// Live tells that the site is a server's, whose pages are left to it: its template takes the lines of Head.
	Live bool
	// Edited tells of the pages whose heads lacked something or bear wrong names.
	Edited []PageHead
	Worker *worker.Plan
	// Head is what every page's head is to hold, Icons the whole set, whether or not the files change.
	Head  HeadTags
	Icons []icon.Icon
	// Manifest is the manifest's text as it will be, Members what the project file asks of it, with the icons.
	Manifest []byte
	Members  project.Members
	// Beside are files that are written beside the project file.
	Beside []Beside
	// View is the site as it will be.
	View *site.Folder
}

// PageHead is a page, as a path relative to the site, and what became of its head.
type PageHead struct {
	Path string
	*Edited
}

// Prepare works out all changes without writing anything. known is what was found out about the site before, nil for nothing.
func Prepare(ctx context.Context, p *project.Project, f *site.Folder, known *survey.Graph) (*Plan, error) {
	plan := &Plan{Site: f.Dir, State: StateDir(p, f.Dir)}
	out := &output{p: p, f: f, plan: plan}
	if known != nil {
		out.seen = known.Seen
	}
	if !f.Snapshot() {
		var err error
		if out.site, err = openSite(f.Dir); err != nil {
			return nil, err
		}
		defer out.site.Close()
	}
	if p.App.Text("name") == "" {
		return nil, &problem.Problem{Kind: problem.Usage, Where: orDefault(p.Path, project.FileName),
			What: "app.name is missing: an app needs a name", Mend: "add it under app:, such as name: Skerry Line"}
	}
	wanted := HeadTags{Viewport: true, ThemeColor: p.App.Text("theme_color"), DarkColor: p.Head.Dark,
		Scheme:  p.Head.Scheme,
		AppName: p.App.Text("name"), ShortName: orDefault(p.App.Text("short_name"),
			p.App.Text("name")), Mend: p.Head.Mend == "yes"}
	if err := out.icons(&wanted); err != nil {
		return nil, err
	}
	if err := out.manifest(&wanted); err != nil {
		return nil, err
	}
	if err := out.assetLinks(); err != nil {
		return nil, err
	}
	if err := settle(p); err != nil {
		return nil, err
	}
	if p.HasWorker() {
		scripts := worker.NewScripts(p)
		if err := out.alone(scripts); err != nil {
			return nil, err
		}
		wanted.Register = scripts.Register
		if err := out.makeStandIns(); err != nil {
			return nil, err
		}
		if file := f.FileAt(p.Worker.StandIns.Page); file != nil && p.Worker.StandIns.Page != "" && !p.Worker.StandIns.MakePage {
			wanted.StandIn = f.PathOf(file)
		}
		// The script has to be there before the pack is chosen.
		script, err := worker.RegisterScript(&worker.Plan{Scripts: scripts}, worker.OptionsOf(p))
		if err != nil {
			return nil, err
		}
		if err := out.put(wanted.Register, script, "script"); err != nil {
			return nil, err
		}
	}
	wanted.Credentials = p.Head.Credentials == "yes" || p.Head.Credentials == "" && out.signedIn(wanted.Manifest)
	plan.Head = wanted
	if f.Snapshot() {
		plan.Live = true
	} else if err := out.pages(ctx, wanted); err != nil {
		return nil, err
	}
	plan.View = f.With(out.contents())
	if p.HasWorker() {
		w, err := worker.NewPlan(ctx, p, plan.View, known)
		if err != nil {
			return nil, err
		}
		code, err := worker.Generate(w, worker.OptionsOf(p))
		var own *worker.ModuleError
		if errors.As(err, &own) {
			return nil, &problem.Problem{Kind: problem.Usage, Where: fmt.Sprintf("%s:%d:%d", own.File, own.Line, own.Column),
				What: "the worker's own module cannot be used: " + own.Text, Mend: "mend it; nothing was written"}
		}
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
	p *project.Project
	f *site.Folder
	// site is the folder as it can be written to; it has no root where the site is a server's.
	site tree
	plan *Plan
	seen *page.Seen
	all  map[string][]byte
	set  []manifest.Image
	// ofShortcut holds the icons made for shortcuts, by their names.
	ofShortcut map[string][]manifest.Image
}

func (o *output) contents() map[string][]byte { return o.all }

// put notes that the file at a URL path is to have this content.
func (o *output) put(urlPath string, content []byte, what string) error {
	rel, ok := strings.CutPrefix(urlPath, o.p.Addr)
	if !ok {
		return &problem.Problem{Kind: problem.Usage, Where: orDefault(o.p.Path, project.FileName),
			What: fmt.Sprintf("%s lies outside the site's address %s", urlPath,
				o.p.Addr), Mend: "paths start at the origin and include the address"}
	}
	if !filepath.IsLocal(filepath.FromSlash(rel)) {
		return &problem.Problem{Kind: problem.Usage, Where: orDefault(o.p.Path, project.FileName),
			What: urlPath + " leads out of the site's folder", Mend: "write the path without .."}
	}
	if o.site.Root != nil {
		if err := o.site.checkTarget(rel); err != nil {
			return &problem.Problem{Kind: problem.Write, Where: filepath.Join(o.f.Dir, rel), What: err.Error() + ", where " +
				urlPath + " has to be written; nothing was", Mend: "put a file or a folder of the site in its place, or choose " +
				"another path in the project file", Cause: err}
		}
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

// master loads a picture named in the project file, nil for none.
func (o *output) master(file string) (*icon.Master, error) {
	if file == "" {
		return nil, nil
	}
	if !filepath.IsAbs(file) {
		file = filepath.Join(o.p.Dir, file)
	}
	return icon.LoadMaster(file)
}

// colour gives the first text that is an opaque colour.
func colour(otherwise color.NRGBA, texts ...string) color.NRGBA {
	for _, text := range texts {
		if c, ok := manifest.ParseColour(text); ok && c.A == 255 {
			return c
		}
	}
	return otherwise
}

func (o *output) icons(w *HeadTags) error {
	cfg := o.p.Icons
	if cfg.Master == "" {
		return nil
	}
	white := color.NRGBA{255, 255, 255, 255}
	r := icon.Recipe{Ground: cfg.Ground, Targets: o.p.Audit.Targets, Tiles: cfg.Tiles == "yes",
		Backdrop: colour(white, cfg.Backdrop, o.p.App.Text("background_color"))}
	var err error
	for _, m := range []struct {
		file string
		to   **icon.Master
	}{{cfg.Master, &r.Master}, {cfg.Maskable, &r.Maskable}, {cfg.Monochrome, &r.Monochrome}, {cfg.Small, &r.Small}} {
		if *m.to, err = o.master(m.file); err != nil {
			return err
		}
	}
	if r.Shortcuts, err = o.shortcuts(); err != nil {
		return err
	}
	set, err := icon.Make(r)
	if err != nil {
		return err
	}
	folder := strings.TrimSuffix(cfg.Folder, "/") + "/"
	if cfg.Startup != "" {
		recipe := icon.StartupRecipe{Recipe: r, Landscape: cfg.Startup == "both", Dark: cfg.StartupDark != "",
			StartGround: colour(white, cfg.StartupGround, o.p.App.Text("background_color")), DarkGround: colour(white,
				cfg.StartupDark)}
		start, err := icon.MakeStartup(recipe)
		if err != nil {
			return err
		}
		for _, s := range start {
			set = append(set, s.Icon)
			w.Startup = append(w.Startup, StartupImage{folder + s.Name, s.Media})
		}
	}
	o.plan.Icons = set
	for _, i := range set {
		if err := o.put(folder+i.Name, i.Data, "icon"); err != nil {
			return err
		}
		image := manifest.Image{Src: folder + i.Name, Sizes: []string{icon.SizeText(i.Size)}, Type: i.Type}
		switch i.Purpose {
		case "any", "maskable", "monochrome":
			image.Purpose = []string{i.Purpose}
			o.set = append(o.set, image)
		case "shortcut":
			if o.ofShortcut == nil {
				o.ofShortcut = map[string][]manifest.Image{}
			}
			o.ofShortcut[i.Shortcut] = append(o.ofShortcut[i.Shortcut], image)
		case "apple":
			w.AppleIcon = folder + i.Name
		case "favicon":
			w.Icon = folder + i.Name
		case "vector":
			w.VectorIcon = folder + i.Name
		}
	}
	return nil
}

// shortcuts loads the pictures of the manifest's shortcuts, in the manifest's order.
func (o *output) shortcuts() (list []icon.ShortcutMaster, err error) {
	entries, _ := o.p.App.Get("shortcuts")
	items, _ := entries.([]any)
	left := maps.Clone(o.p.Icons.Shortcuts)
	var names []string
	for _, item := range items {
		m, _ := item.(project.Members)
		name := m.Text("name")
		names = append(names, name)
		if file := left[name]; file != "" {
			master, err := o.master(file)
			if err != nil {
				return nil, err
			}
			list = append(list, icon.ShortcutMaster{Name: name, Master: master})
			delete(left, name)
		}
	}
	if len(left) > 0 {
		name := slices.Sorted(maps.Keys(left))[0]
		at := o.p.PlaceOf("icons.shortcuts." + name)
		mend := "the names are those under app.shortcuts: " + strings.Join(names, ", ")
		if len(names) == 0 {
			mend = "add it under app: as one of shortcuts, with a name and a url"
		} else if near := spelling.Nearest(name, names); near != "" {
			mend = fmt.Sprintf("did you mean %q?", near)
		}
		return nil, &problem.Problem{Kind: problem.Usage,
			Where: fmt.Sprintf("%s:%d:%d", orDefault(o.p.Path, project.FileName), at.Line,
				at.Column), What: fmt.Sprintf("no shortcut of the app is called %q", name), Mend: mend}
	}
	return list, nil
}

// withShortcutIcons gives the app's members with the icons that were made for its shortcuts.
func (o *output) withShortcutIcons(app project.Members) project.Members {
	entries, _ := app.Get("shortcuts")
	items, _ := entries.([]any)
	if len(o.ofShortcut) == 0 || len(items) == 0 {
		return app
	}
	items = slices.Clone(items)
	for i, item := range items {
		m, _ := item.(project.Members)
		if icons := o.ofShortcut[m.Text("name")]; icons != nil {
			m = slices.Clone(m)
			m.Set("icons", manifest.Images(icons))
			items[i] = m
		}
	}
	app.Set("shortcuts", items)
	return app
}

// manifest writes the manifest anew, or changes in the one that the entry page links to what the project file says
// otherwise.
func (o *output) manifest(w *HeadTags) error {
	app := o.withShortcutIcons(slices.Clone(o.p.App))
	theirs, text, err := o.linked()
	if err != nil {
		return err
	}
	asked := slices.Clone(app)
	defaults := []project.Member{{Name: "start_url", Value: o.p.Addr}, {Name: "scope", Value: o.p.Addr},
		{Name: "display", Value: "standalone"}}
	for _, d := range defaults {
		if _, there := app.Get(d.Name); !there {
			app.Set(d.Name, d.Value)
		}
	}
	if len(o.set) > 0 {
		asked.Set("icons", manifest.Images(o.set))
	}
	o.plan.Members = asked
	if theirs == "" {
		if text, err = manifest.Write(app, o.set); err != nil {
			return err
		}
		w.Manifest, o.plan.Manifest = o.p.Addr+"site.webmanifest", text
		return o.put(w.Manifest, text, "manifest")
	}
	edited, err := manifest.Merge(text, asked)
	if err != nil {
		return UnreadableManifest(theirs, text, err)
	}
	w.Manifest, o.plan.Manifest = theirs, edited
	return o.put(theirs, edited, "manifest")
}

// signedIn says whether the host shows the manifest only to those who bring a cookie.
func (o *output) signedIn(path string) bool {
	var gates []string
	for _, r := range o.p.Host.Redirects {
		if r.UnlessCookie != "" {
			gates = append(gates, r.Match)
		}
	}
	for _, s := range o.p.Host.Statuses {
		if s.UnlessCookie != "" {
			gates = append(gates, s.Match)
		}
	}
	return slices.ContainsFunc(gates, func(g string) bool {
		m, err := site.NewPattern(g, o.f.Origin())
		return err == nil && m.Match(o.f.Origin()+path)
	})
}

// UnreadableManifest is the problem of a manifest that can't be changed since it is no JSON.
func UnreadableManifest(where string, text []byte, err error) error {
	var syntax *manifest.SyntaxError
	if errors.As(err, &syntax) {
		where = fmt.Sprintf("%s:%d", where, bytes.Count(text[:min(syntax.Offset, len(text))], []byte("\n"))+1)
	}
	return &problem.Problem{Kind: problem.Read, Where: where, What: "the manifest that is there cannot be changed: " +
		err.Error(), Mend: "mend it, or take it away to have a new one written"}
}

// linked gives the URL path and the text of the manifest that the entry page links to; "" when there is none, or when
// it is what an earlier fit made.
func (o *output) linked() (path string, text []byte, err error) {
	entry := o.f.FileAt(o.p.Audit.Entry)
	if entry == nil {
		return "", nil, nil
	}
	html, err := entry.Bytes()
	if err != nil {
		return "", nil, err
	}
	url := page.ParseDocument(o.f.Origin()+o.p.Audit.Entry, "", html).ManifestURL()
	path, local := strings.CutPrefix(url, o.f.Origin())
	path, _, _ = strings.Cut(path, "?")
	if url == "" || !local || !strings.HasPrefix(path, o.p.Addr) {
		return "", nil, nil
	}
	file := o.f.FileAt(path)
	if file == nil || o.f.PathOf(file) != path || strings.HasSuffix(file.Path, ".html") {
		return "", nil, nil
	}
	if text, err = file.Bytes(); err != nil {
		return "", nil, err
	}
	ours, err := madeHere(o.plan.State, o.f.Dir, file.Path, text)
	if ours || err != nil {
		return "", nil, err
	}
	return path, text, nil
}

func (o *output) pages(ctx context.Context, w HeadTags) error {
	earlier, err := earlierHeads(o.plan.State, o.f.Dir)
	if err != nil {
		return err
	}
	chosen, err := o.chooser()
	if err != nil {
		return err
	}
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
		if file.Link || page.Fragment(text) {
			continue // a piece of a page, or a text such as a proof of ownership, that has to stay as it is
		}
		if s := o.p.Worker.StandIns; s.MakePage && o.p.Addr+file.Path == s.Page {
			continue // it stands by itself
		}
		if !chosen(o.f.PathOf(file)) {
			o.plan.Passed++
			continue
		}
		url := o.f.Origin() + o.f.PathOf(file)
		if err := checkEncoding(url, text); err != nil {
			return &problem.Problem{Kind: problem.Read, Where: filepath.Join(o.f.Dir, file.Path), What: err.Error(),
				Mend: "save the page as UTF-8; nothing was written"}
		}
		if err := o.allowed(file, text, w); err != nil {
			return err
		}
		own := w
		if o.f.PathOf(file) != w.StandIn {
			own.StandIn = ""
		}
		edited, err := EditHead(text, url, own, earlier)
		if err != nil {
			return &problem.Problem{Kind: problem.Read, Where: filepath.Join(o.f.Dir, file.Path), What: err.Error(),
				Mend: "the file seems to be cut off: build it again; nothing was written"}
		}
		o.plan.Pages++
		if len(edited.Added)+len(edited.Changed)+len(edited.Misnamed) > 0 {
			o.plan.Edited = append(o.plan.Edited, PageHead{file.Path, edited})
		}
		if err := o.putFile(file.Path, edited.Text, "page"); err != nil {
			return err
		}
	}
	return nil
}

// chooser tells which pages' heads are edited, by their paths.
func (o *output) chooser() (func(path string) bool, error) {
	compile := func(key string, patterns []string) (list []*site.Pattern, err error) {
		for i, text := range patterns {
			m, err := site.NewPattern(text, o.f.Origin())
			if err != nil {
				at := o.p.PlaceOf(fmt.Sprintf("%s[%d]", key, i))
				return nil, &problem.Problem{Kind: problem.Usage,
					Where: fmt.Sprintf("%s:%d:%d", orDefault(o.p.Path, project.FileName), at.Line,
						at.Column), What: fmt.Sprintf("%q is not a pattern: %s", text, err), Mend: "patterns look like /guide/*",
					Cause: err}
			}
			list = append(list, m)
		}
		return list, nil
	}
	take, err := compile("head.pages", o.p.Head.Pages)
	if err != nil {
		return nil, err
	}
	leave, err := compile("head.leave_out", o.p.Head.LeaveOut)
	if err != nil {
		return nil, err
	}
	matches := func(list []*site.Pattern, path string) bool {
		return slices.ContainsFunc(list, func(m *site.Pattern) bool { return m.Match(o.f.Origin() + path) })
	}
	return func(path string) bool { return (len(take) == 0 || matches(take, path)) && !matches(leave, path) }, nil
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

// same says whether two contents are equal; a nil content is that of a file that is not there.
func same(a, b []byte) bool { return (a == nil) == (b == nil) && bytes.Equal(a, b) }
