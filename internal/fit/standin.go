package fit

import (
	"bytes"
	"embed"
	"encoding/base64"
	"errors"
	"fmt"
	"html/template"
	"image/color"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"strings"

	"tachyform/internal/icon"
	"tachyform/internal/inputfile"
	"tachyform/internal/manifest"
	"tachyform/internal/page"
	"tachyform/internal/problem"
	"tachyform/internal/project"
	"tachyform/internal/site"
)

//go:embed standin
var standInFiles embed.FS

// Beside is a file that lies beside the project file, outside the site, so that builds leave it alone. It is made anew
// until somebody edits it; from then on it stays as it is.
type Beside struct {
	// Path is absolute, New its content as it is to be.
	Path string
	New  []byte
}

// makeStandIns puts the stand-ins that are to be made into the site: as they lie beside the project file where somebody
// has edited them, else made anew, there and in the site.
func (o *output) makeStandIns() error {
	s := o.p.Worker.StandIns
	for _, of := range []struct {
		wanted     bool
		name, path string
	}{{s.MakePage, project.StandInPage, s.Page}, {s.MakeImage, project.StandInImage, s.Image}} {
		if !of.wanted {
			continue
		}
		text, err := o.makeStandIn(of.name)
		if err != nil {
			return err
		}
		if err := o.put(of.path, text, "stand-in"); err != nil {
			return err
		}
	}
	return nil
}

// makeStandIn gives the content of a stand-in, and notes that it is to lie beside the project file.
func (o *output) makeStandIn(name string) ([]byte, error) {
	made, err := o.standIn(name)
	if err != nil {
		return nil, err
	}
	made = signed(made)
	if o.p.Path == "" {
		return made, nil
	}
	path := filepath.Join(o.p.Dir, name)
	now, err := inputfile.Read(path, fileLimit)
	switch {
	case errors.Is(err, fs.ErrNotExist):
	case err != nil:
		return nil, &problem.Problem{Kind: problem.Read, Where: path, What: "the stand-in cannot be read: " + plain(err),
			Cause: err}
	case !isAsMade(now):
		return now, nil
	case bytes.Equal(now, made):
		return made, nil
	}
	o.plan.Beside = append(o.plan.Beside, Beside{path, made})
	return made, nil
}

// signature is the last line of what was made: it tells whether somebody has edited the rest.
var signature = regexp.MustCompile(`(?s)^(.*)<!-- Made by tachyform fit, which makes it anew until you edit it; then it is yours\. ([\w+/-]+) -->\n$`)

func signed(text []byte) []byte {
	return fmt.Appendf(bytes.Clone(text), "<!-- Made by tachyform fit, which makes it anew until you edit it; then it is "+
		"yours. %s -->\n", site.Stamp(text))
}

func isAsMade(text []byte) bool {
	m := signature.FindSubmatch(text)
	return m != nil && site.Stamp(m[1]) == string(m[2])
}

// mostShown bounds how many pages the stand-in leads to, mostKept how many of the release it looks for among what is kept.
const (
	mostShown = 6
	mostKept  = 24
)

// keptPage is a page that the stand-in leads to.
type keptPage struct{ Path, Title string }

// standIn makes a stand-in by its template, in the app's colours and language.
func (o *output) standIn(name string) ([]byte, error) {
	file := map[string]string{project.StandInPage: "standin/page.html", project.StandInImage: "standin/picture.svg"}[name]
	t, err := template.ParseFS(standInFiles, file)
	if err != nil {
		return nil, err
	}
	app := o.p.App
	ground := colour(color.NRGBA{255, 255, 255, 255}, app.Text("background_color"))
	theme := colour(color.NRGBA{38, 66, 90, 255}, app.Text("theme_color"))
	words, lang := wordsFor(app.Text("lang"), o.p.Worker.StandIns.Words)
	var out bytes.Buffer
	err = t.Execute(&out, map[string]any{
		"Name": app.Text("name"), "ShortName": orDefault(app.Text("short_name"), app.Text("name")), "Lang": lang,
		"Background": template.CSS(manifest.ColourText(ground)), "Theme": template.CSS(manifest.ColourText(theme)),
		"Text": template.CSS(onColour(ground)), "OnTheme": template.CSS(onColour(theme)),
		"Outlined": manifest.Contrast(ground, theme) < 1.5, "Words": words, "Icon": o.standInIcon(), "Kept": o.keptPages(), "Most": mostShown,
	})
	return out.Bytes(), err
}

// onColour is a colour that reads well on another one.
func onColour(ground color.NRGBA) string {
	if manifest.Contrast(ground, color.NRGBA{0x16, 0x1c, 0x22, 255}) >= manifest.Contrast(ground, color.NRGBA{255, 255, 255, 255}) {
		return "#161c22"
	}
	return "#ffffff"
}

// mostInline bounds the drawing that stands in the page itself, in bytes.
const mostInline = 12 << 10

// standInIcon gives the app's icon as a data: URL, "" for none.
func (o *output) standInIcon() template.URL {
	best := icon.Icon{}
	for _, i := range o.plan.Icons {
		switch {
		case i.Purpose == "vector" && len(i.Data) <= mostInline:
			return dataURL("image/svg+xml", i.Data)
		case i.Purpose == "any" && i.Size >= 96 && (best.Size == 0 || i.Size < best.Size):
			best = i
		}
	}
	if best.Size == 0 {
		return ""
	}
	return dataURL(best.Type, best.Data)
}

func dataURL(kind string, data []byte) template.URL {
	return template.URL("data:" + kind + ";base64," + base64.StdEncoding.EncodeToString(data))
}

// keptPages gives pages that the pack may keep, the entry first: which of them are there is found out when the page is shown.
func (o *output) keptPages() (list []keptPage) {
	var patterns []*site.Pattern
	for _, text := range append(append([]string{}, o.p.Worker.Pack.Pages...), o.p.Worker.Pack.Include...) {
		if m, err := site.NewPattern(text, o.f.Origin()); err == nil {
			patterns = append(patterns, m)
		}
	}
	titles := map[string]bool{}
	add := func(path string) {
		file := o.f.FileAt(path)
		if file == nil || len(list) >= mostKept || !strings.HasSuffix(file.Path, ".html") {
			return
		}
		text, err := file.Bytes()
		if err != nil || page.Fragment(text) {
			return
		}
		title := page.ParseDocument(o.f.Origin()+path, "", text).Title
		if seen := o.seen.Of(o.f.Origin() + path); seen != nil && seen.Title != "" {
			title = seen.Title
		}
		if title = strings.TrimSpace(title); title != "" && !titles[title] {
			titles[title] = true
			list = append(list, keptPage{path, title})
		}
	}
	kept := func(path string) bool {
		for _, m := range patterns {
			if m.Match(o.f.Origin() + path) {
				return true
			}
		}
		return path == o.p.Worker.Shell.Page
	}
	if kept(o.p.Audit.Entry) {
		add(o.p.Audit.Entry)
	}
	h := o.p.Host
	for _, file := range o.f.Files() {
		rooted := o.p.Addr + file.Path
		if path := o.f.PathOf(file); kept(path) && rooted != h.NotFound && rooted != h.SinglePage &&
			rooted != o.p.Worker.StandIns.Page && path != o.p.Audit.Entry {
			add(path)
		}
	}
	return list
}

// writeBeside writes what lies beside the project file; what was there before is replaced whole or not at all.
func (p *Plan) writeBeside() error {
	for _, b := range p.Beside {
		err := func() error {
			temporary, err := os.CreateTemp(filepath.Dir(b.Path), ".stand-in-*")
			if err != nil {
				return err
			}
			defer os.Remove(temporary.Name())
			_, err = temporary.Write(b.New)
			err = errors.Join(err, temporary.Chmod(0o644), temporary.Close())
			if err != nil {
				return err
			}
			return os.Rename(temporary.Name(), b.Path)
		}()
		if err != nil {
			return &problem.Problem{Kind: problem.Write, Where: b.Path, What: "the stand-in cannot be written: " + plain(err) +
				"; nothing else was", Mend: "check that the project file's folder can be written to", Cause: err}
		}
	}
	return nil
}
