// Package icon turns one master picture into icon sets and reads icons that are already there.
package icon

import (
	"bytes"
	"errors"
	"fmt"
	"image"
	"image/draw"
	_ "image/gif"  // decoders register themselves
	_ "image/jpeg" // decoders register themselves
	_ "image/png"  // decoders register themselves
	"os"
	"strconv"
	"strings"
	"sync"

	"github.com/srwiley/rasterx"
	_ "golang.org/x/image/bmp"  // decoders register themselves
	_ "golang.org/x/image/webp" // decoders register themselves
	"golang.org/x/net/html"

	"tachyform/internal/inputfile"
	"tachyform/internal/problem"
)

const (
	// MinMaster is the least width and height in pixels of a master picture, that of the largest icon made from it.
	MinMaster = 512
	// maxPixels bounds the pictures that are decoded; more is refused before any memory is taken for it.
	maxPixels = 64 << 20
	maxFile   = 64 << 20
)

// Master is the picture that icons are made from.
type Master struct {
	Path   string
	Vector bool
	raster *plane
	svg    []byte
	// tree is there in place of svg for what has to be drawn part by part.
	tree *svgTree
	// source is the text of a vector as it was read.
	source []byte
	w, h   float64 // of the vector's view box
	// drawn draws a vector once, drawnSize pixels on its longer side; every icon is scaled down from that.
	drawn func() (*plane, error)
}

// drawnSize is twice the largest icon, so that edges are smooth and thin lines keep their weight.
const drawnSize = 2 * MinMaster

func bad(path, what, mend string) error {
	return &problem.Problem{Kind: problem.Read, Where: path, What: what, Mend: mend}
}

// LoadMaster reads and checks a master picture: SVG, PNG, JPEG, WebP or GIF, at least MinMaster pixels on its shorter
// side.
func LoadMaster(path string) (*Master, error) {
	data, err := inputfile.Read(path, maxFile)
	if errors.As(err, new(*inputfile.TooLargeError)) {
		return nil, bad(path, "the master picture's file has more than 64 MB",
			"use a smaller one; 1024 by 1024 pixels are plenty")
	}
	if err != nil {
		return nil, &problem.Problem{Kind: problem.Read, Where: path, What: "the master picture cannot be read: " +
			plainError(err), Mend: "check icons.master", Cause: err}
	}
	if len(data) == 0 {
		return nil, bad(path, "the master picture's file is empty", "")
	}
	if looksLikeSVG(data) {
		return loadSVG(path, data)
	}
	cfg, kind, err := image.DecodeConfig(bytes.NewReader(data))
	if err != nil {
		return nil, bad(path, "this is not a picture that can be read ("+plainError(err)+")",
			"the master is an SVG, PNG, JPEG or WebP file")
	}
	if int64(cfg.Width)*int64(cfg.Height) > maxPixels {
		return nil, bad(path, fmt.Sprintf("the master picture has %d by %d pixels, too many to work with", cfg.Width,
			cfg.Height), "scale it to 1024 by 1024")
	}
	if min(cfg.Width, cfg.Height) < MinMaster {
		return nil, bad(path, fmt.Sprintf("the master picture is too small: %d by %d pixels", cfg.Width, cfg.Height),
			fmt.Sprintf("icons of %d pixels are needed, and enlarging would blur them; use an SVG or at least %d by %d pixels",
				MinMaster, MinMaster, MinMaster))
	}
	m, _, err := image.Decode(bytes.NewReader(data))
	if err != nil {
		return nil, bad(path, fmt.Sprintf("the %s file is damaged (%s)", strings.ToUpper(kind), plainError(err)),
			"export it again")
	}
	if _, inks := m.(*image.CMYK); inks {
		return nil, bad(path, "the picture's colours are inks (CMYK), not light", "export it as RGB, with the profile sRGB")
	}
	img := upright(toNRGBA(m), orientation(data))
	if profile := profileOf(data); profile != nil {
		c, err := readProfile(profile)
		if err != nil {
			return nil, bad(path, "the picture's colours cannot be read: "+err.Error(), "export it with the profile sRGB")
		}
		if c != nil {
			return &Master{Path: path, raster: c.plane(img)}, nil
		}
	}
	return &Master{Path: path, raster: linear(img)}, nil
}

func plainError(err error) string {
	var pe *os.PathError
	if errors.As(err, &pe) {
		return pe.Err.Error()
	}
	return err.Error()
}

func toNRGBA(m image.Image) *image.NRGBA {
	if n, ok := m.(*image.NRGBA); ok {
		return n
	}
	n := image.NewNRGBA(image.Rect(0, 0, m.Bounds().Dx(), m.Bounds().Dy()))
	draw.Draw(n, n.Bounds(), m, m.Bounds().Min, draw.Src)
	return n
}

func looksLikeSVG(data []byte) bool {
	head := strings.ToLower(string(data[:min(len(data), 1024)]))
	return strings.Contains(head, "<svg") || strings.Contains(head, ":svg") || strings.HasPrefix(strings.TrimSpace(head),
		"<?xml")
}

// undrawn names SVG elements that cannot be drawn here, with what to do about each.
var undrawn = map[string]string{
	"text": "convert the text to outlines, or export a PNG", "image": "export a PNG: pictures inside an SVG are not drawn",
	"filter": "export a PNG: filters are not drawn", "foreignObject": "export a PNG",
	"mask":    "export a PNG: masks are not drawn",
	"pattern": "export a PNG: patterns are not drawn",
	"script":  "export a PNG: scripts are not run", "marker": "export a PNG: markers are not drawn",
}

func loadSVG(path string, data []byte) (*Master, error) {
	m := &Master{Path: path, Vector: true, source: data}
	refused := func(err error) error {
		var f *svgFault
		if errors.As(err, &f) {
			return bad(fmt.Sprintf("%s:%d", path, f.line), f.what, f.mend)
		}
		return bad(path, err.Error(), "")
	}
	tree, err := readSVG(data)
	if err != nil {
		return nil, refused(err)
	}
	var first *html.Node
	for k := tree.root.FirstChild; k != nil && first == nil; k = k.NextSibling {
		first = k
	}
	if first == nil || first.Data != "svg" {
		name := ""
		if first != nil {
			name = first.Data
		}
		return nil, bad(path+":1", fmt.Sprintf("this is no SVG: its first element is <%s>", name), "")
	}
	m.w, m.h = svgSize(first)
	if err := undrawable(tree, tree.root); err != nil {
		return nil, refused(err)
	}
	if err := tree.flatten(); err != nil {
		return nil, refused(err)
	}
	if err := tree.checkClips(tree.root); err != nil {
		return nil, refused(err)
	}
	tree.w, tree.h = m.w, m.h
	if compositions(first)[first] {
		m.tree = tree
	} else {
		m.svg = tree.text()
	}
	if m.w <= 0 || m.h <= 0 {
		return nil, bad(path, "the SVG has no size", `give it a viewBox, such as viewBox="0 0 512 512"`)
	}
	if _, err := m.drawSVG(16, 16); errors.As(err, new(*svgFault)) {
		return nil, refused(err)
	} else if err != nil {
		return nil, bad(path, "the SVG cannot be drawn: "+err.Error(), "simplify it, or export a PNG")
	}
	m.drawn = sync.OnceValues(func() (*plane, error) {
		scale := drawnSize / max(m.w, m.h)
		img, err := m.drawSVG(max(int(m.w*scale+0.5), 1), max(int(m.h*scale+0.5), 1))
		if err != nil {
			return nil, bad(path, "the SVG cannot be drawn: "+err.Error(), "simplify it, or export a PNG")
		}
		return linear(toNRGBA(img)), nil
	})
	return m, nil
}

// undrawable finds the first element that cannot be drawn here.
func undrawable(t *svgTree, n *html.Node) error {
	if mend, cannot := undrawn[n.Data]; cannot && n.Type == html.ElementNode {
		return &svgFault{t.lines[n], fmt.Sprintf("the SVG uses <%s>, which cannot be drawn here", n.Data), mend}
	}
	for k := n.FirstChild; k != nil; k = k.NextSibling {
		if err := undrawable(t, k); err != nil {
			return err
		}
	}
	return nil
}

func svgSize(svg *html.Node) (w, h float64) {
	number := func(s string) float64 {
		f, err := strconv.ParseFloat(strings.TrimSuffix(strings.TrimSpace(s), "px"), 64)
		if err != nil {
			return 0
		}
		return f
	}
	for _, a := range svg.Attr {
		switch a.Key {
		case "viewBox":
			if f := strings.FieldsFunc(a.Val, func(r rune) bool { return r == ' ' || r == ',' }); len(f) == 4 {
				return number(f[2]), number(f[3])
			}
		case "width":
			w = number(a.Val)
		case "height":
			h = number(a.Val)
		}
	}
	return w, h
}

// drawSVG draws the picture w by h pixels large.
func (m *Master) drawSVG(w, h int) (out *image.RGBA, err error) {
	defer func() {
		if r := recover(); r != nil {
			err = fmt.Errorf("%v", r)
		}
	}()
	if m.tree != nil {
		out = image.NewRGBA(image.Rect(0, 0, w, h))
		first := m.tree.root.FirstChild
		for first.Type != html.ElementNode {
			first = first.NextSibling
		}
		return out, newPainter(m.tree, first, w, h).part(out, first, nil, false)
	}
	icon, err := readLibrary(m.svg, m.w, m.h)
	if err != nil {
		return nil, err
	}
	icon.SetTarget(0, 0, float64(w), float64(h))
	out = image.NewRGBA(image.Rect(0, 0, w, h))
	icon.Draw(rasterx.NewDasher(w, h, rasterx.NewScannerGV(w, h, out, out.Bounds())), 1)
	return out, nil
}

// square gives the picture size by size pixels large, centred with clear margins when it is not square.
func (m *Master) square(size int) (*plane, error) {
	source := m.raster
	if m.Vector {
		var err error
		if source, err = m.drawn(); err != nil {
			return nil, err
		}
	}
	scale := float64(size) / float64(max(source.w, source.h))
	tw, th := max(int(float64(source.w)*scale+0.5), 1), max(int(float64(source.h)*scale+0.5), 1)
	p := source.resize(tw, th)
	if tw == size && th == size {
		return p, nil
	}
	out := &plane{size, size, make([]float32, 4*size*size)}
	out.paste(p, (size-tw)/2, (size-th)/2)
	return out, nil
}

// paste lays q over p with its corner at x, y.
func (p *plane) paste(q *plane, x, y int) {
	for j := range q.h {
		if y+j < 0 || y+j >= p.h {
			continue
		}
		for i := range q.w {
			if x+i < 0 || x+i >= p.w {
				continue
			}
			d, s := p.pix[4*((y+j)*p.w+x+i):], q.pix[4*(j*q.w+i):]
			rest := 1 - min(max(s[3], 0), 1)
			for k := range 4 {
				d[k] = s[k] + d[k]*rest
			}
		}
	}
}
