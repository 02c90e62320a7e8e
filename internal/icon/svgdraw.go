package icon

import (
	"bytes"
	"encoding/xml"
	"fmt"
	"image"
	"image/color"
	"image/draw"
	"math"
	"strconv"
	"strings"

	"github.com/fyne-io/oksvg"
	"github.com/golang/freetype/raster"
	"github.com/srwiley/rasterx"
	"golang.org/x/image/math/fixed"
	"golang.org/x/net/html"
)

// The library that draws shapes knows neither clip paths nor the even-odd rule nor groups that fade as one. Parts of a
// picture that use these are drawn by themselves and laid over the rest.

// property gives a presentation property of an element itself, from its style attribute or the attribute of that name.
func property(n *html.Node, name string) string {
	value := attr(n, name)
	for _, d := range strings.Split(attr(n, "style"), ";") {
		if k, v, ok := strings.Cut(d, ":"); ok && strings.TrimSpace(k) == name {
			value = strings.TrimSpace(v)
		}
	}
	return strings.TrimSpace(strings.TrimSuffix(value, "!important"))
}

// apartProperties are those that are not left to the library.
var apartProperties = map[string]bool{"clip-path": true, "opacity": true, "fill-rule": true, "clip-rule": true}

// bare copies an element without its children and without some of its properties.
func bare(n *html.Node, name string, leave map[string]bool) *html.Node {
	out := &html.Node{Type: html.ElementNode, Data: name}
	for _, a := range n.Attr {
		switch {
		case a.Key == "style":
			var kept []string
			for _, d := range strings.Split(a.Val, ";") {
				if k, _, ok := strings.Cut(d, ":"); ok && !leave[strings.TrimSpace(k)] {
					kept = append(kept, d)
				}
			}
			a.Val = strings.Join(kept, ";")
			out.Attr = append(out.Attr, a)
		case !leave[a.Key] && a.Key != "id":
			out.Attr = append(out.Attr, a)
		}
	}
	return out
}

func container(n *html.Node) bool {
	return n.Data == "g" || n.Data == "a" || n.Data == "switch" || n.Data == "svg"
}

func opacityOf(n *html.Node) float64 {
	text := property(n, "opacity")
	share, percent := strings.CutSuffix(text, "%")
	f, err := strconv.ParseFloat(share, 64)
	if err != nil {
		return 1
	}
	if percent {
		f /= 100
	}
	return min(max(f, 0), 1)
}

// clipOf gives the clip path that an element refers to, nil for none.
func (t *svgTree) clipOf(n *html.Node) (*html.Node, error) {
	text := property(n, "clip-path")
	if text == "" || text == "none" {
		return nil, nil
	}
	id, is := strings.CutPrefix(strings.ReplaceAll(strings.ReplaceAll(text, `"`, ""), "'", ""), "url(#")
	if !is {
		return nil, &svgFault{t.lines[n], fmt.Sprintf("the SVG clips by %q, which is not drawn here", text),
			"use a <clipPath> element, or export a PNG"}
	}
	clip := t.byID[strings.TrimSuffix(id, ")")]
	switch {
	case clip == nil || clip.Data != "clipPath":
		return nil, nil // as browsers do
	case attr(clip, "clipPathUnits") == "objectBoundingBox":
		return nil, &svgFault{t.lines[clip], "the <clipPath> counts in parts of what it clips (objectBoundingBox), which " +
			"is not drawn here", "write its shapes in the picture's own units, or export a PNG"}
	case property(clip, "clip-path") != "":
		return nil, &svgFault{t.lines[clip], "the <clipPath> is clipped itself, which is not drawn here", "export a PNG"}
	}
	return clip, nil
}

// checkClips finds clip paths that cannot be drawn.
func (t *svgTree) checkClips(n *html.Node) error {
	if n.Type == html.ElementNode {
		if _, err := t.clipOf(n); err != nil {
			return err
		}
	}
	for k := n.FirstChild; k != nil; k = k.NextSibling {
		if err := t.checkClips(k); err != nil {
			return err
		}
	}
	return nil
}

// compositions lists the elements that have to be drawn by themselves, or hold one that has.
func compositions(root *html.Node) map[*html.Node]bool {
	out := map[*html.Node]bool{}
	var visit func(n *html.Node) bool
	visit = func(n *html.Node) bool {
		is := n.Type == html.ElementNode && (property(n, "clip-path") != "" || property(n, "fill-rule") != "" ||
			container(n) && opacityOf(n) < 1)
		for k := n.FirstChild; k != nil; k = k.NextSibling {
			is = visit(k) || is
		}
		if is {
			out[n] = true
		}
		return is
	}
	visit(root)
	return out
}

// painter draws a tree part by part.
type painter struct {
	tree      *svgTree
	root      *html.Node
	gradients []*html.Node
	composed  map[*html.Node]bool
	w, h      int
	parts     int
	layers    int // alive at once
	text      int // bytes handed to the library
}

// Bounds of what is drawn by itself: how many parts, how many layers at once, and how much text in all the library
// reads for them.
const (
	maxParts  = 2000
	maxLayers = 24
	maxText   = 64 << 20
)

func newPainter(t *svgTree, root *html.Node, w, h int) *painter {
	p := &painter{tree: t, root: root, composed: compositions(root), w: w, h: h}
	var visit func(n *html.Node)
	visit = func(n *html.Node) {
		if n.Data == "linearGradient" || n.Data == "radialGradient" {
			p.gradients = append(p.gradients, n)
		}
		for k := n.FirstChild; k != nil; k = k.NextSibling {
			visit(k)
		}
	}
	visit(root)
	return p
}

func (p *painter) blank() *image.RGBA { return image.NewRGBA(image.Rect(0, 0, p.w, p.h)) }

// children draws what stands in an element; chain are the elements around it.
func (p *painter) children(dst *image.RGBA, parent *html.Node, chain []*html.Node, evenOdd bool) error {
	var run []*html.Node
	flush := func() error {
		if len(run) == 0 {
			return nil
		}
		err := p.shapes(dst, run, chain, evenOdd)
		run = nil
		return err
	}
	for k := parent.FirstChild; k != nil; k = k.NextSibling {
		if k.Data == "defs" {
			continue
		}
		if !p.composed[k] {
			run = append(run, k)
			continue
		}
		if err := flush(); err != nil {
			return err
		}
		if err := p.part(dst, k, chain, evenOdd); err != nil {
			return err
		}
	}
	return flush()
}

// part draws one element on a layer of its own.
func (p *painter) part(dst *image.RGBA, n *html.Node, chain []*html.Node, evenOdd bool) error {
	if rule := property(n, "fill-rule"); rule != "" && rule != "inherit" {
		evenOdd = rule == "evenodd"
	}
	clip, err := p.tree.clipOf(n)
	if err != nil {
		return err
	}
	fades := container(n) && opacityOf(n) < 1
	layer := dst
	if clip != nil || fades {
		if p.layers++; p.layers > maxLayers {
			return &svgFault{p.tree.lines[n], fmt.Sprintf("more than %d elements that fade or are clipped stand in one another",
				maxLayers), "write the opacity on the innermost alone, or export a PNG"}
		}
		defer func() { p.layers-- }()
		layer = p.blank()
	}
	if container(n) {
		err = p.children(layer, n, append(chain[:len(chain):len(chain)], bare(n, "g", apartProperties)), evenOdd)
	} else {
		shape := bare(n, n.Data, map[string]bool{"clip-path": true, "fill-rule": true})
		for k := n.FirstChild; k != nil; k = k.NextSibling {
			shape.AppendChild(p.tree.copy(k, new(int)))
		}
		err = p.shapes(layer, []*html.Node{shape}, chain, evenOdd)
	}
	if err != nil {
		return err
	}
	if clip != nil {
		mask := p.blank()
		// The clip path lies in the element's own coordinates.
		around := []*html.Node{}
		for _, c := range append(chain[:len(chain):len(chain)], n, clip) {
			g := &html.Node{Type: html.ElementNode, Data: "g"}
			if tr := attr(c, "transform"); tr != "" {
				setAttr(g, "transform", tr)
			}
			around = append(around, g)
		}
		for k := clip.FirstChild; k != nil; k = k.NextSibling {
			rule := property(k, "clip-rule")
			if rule == "" {
				rule = property(clip, "clip-rule")
			}
			if err := p.shapes(mask, []*html.Node{outlineOf(k)}, around, rule == "evenodd"); err != nil {
				return err
			}
		}
		for i := 0; i < len(layer.Pix); i += 4 {
			if a := uint32(mask.Pix[i+3]); a < 255 {
				for j := range 4 {
					layer.Pix[i+j] = uint8((uint32(layer.Pix[i+j])*a + 127) / 255)
				}
			}
		}
	}
	switch {
	case fades:
		draw.DrawMask(dst, dst.Rect, layer, image.Point{}, image.NewUniform(color.Alpha{uint8(opacityOf(n)*255 + 0.5)}),
			image.Point{}, draw.Over)
	case layer != dst:
		draw.Draw(dst, dst.Rect, layer, image.Point{}, draw.Over)
	}
	return nil
}

// outlineOf copies an element with its shape alone, filled.
func outlineOf(n *html.Node) *html.Node {
	out := bare(n, n.Data, map[string]bool{"style": true, "fill": true, "stroke": true, "opacity": true,
		"fill-opacity": true, "stroke-opacity": true, "class": true, "clip-path": true, "clip-rule": true, "fill-rule": true})
	for i, a := range out.Attr {
		if a.Key == "style" {
			out.Attr[i].Val = ""
		}
	}
	if n.Type == html.ElementNode && !container(n) {
		setAttr(out, "fill", "#000")
		setAttr(out, "stroke", "none")
	}
	for k := n.FirstChild; k != nil; k = k.NextSibling {
		out.AppendChild(outlineOf(k))
	}
	return out
}

// shapes draws elements that the library can draw as they are.
func (p *painter) shapes(dst *image.RGBA, list, chain []*html.Node, evenOdd bool) error {
	if p.parts++; p.parts > maxParts {
		return fmt.Errorf("it clips and fades too many parts by themselves")
	}
	var b bytes.Buffer
	open := func(n *html.Node, name string) {
		b.WriteString("<" + name)
		for _, a := range n.Attr {
			b.WriteString(" " + a.Key + `="`)
			_ = xml.EscapeText(&b, []byte(a.Val))
			b.WriteByte('"')
		}
		b.WriteByte('>')
	}
	open(p.root, "svg")
	b.WriteString("<defs>")
	for _, g := range p.gradients {
		writeSVG(&b, g)
	}
	b.WriteString("</defs>")
	for _, c := range chain {
		open(c, "g")
	}
	for _, n := range list {
		writeSVG(&b, n)
	}
	b.WriteString(strings.Repeat("</g>", len(chain)) + "</svg>")
	if p.text += b.Len(); p.text > maxText {
		return fmt.Errorf("drawing its clipped and faded parts takes too much work")
	}
	icon, err := readLibrary(b.Bytes(), p.tree.w, p.tree.h)
	if err != nil {
		return err
	}
	icon.SetTarget(0, 0, float64(p.w), float64(p.h))
	var scanner rasterx.Scanner = rasterx.NewScannerGV(p.w, p.h, dst, dst.Bounds())
	if evenOdd {
		scanner = newEvenOdd(dst)
		for i := range icon.SVGPaths {
			icon.SVGPaths[i].UseNonZeroWinding = false
		}
	}
	icon.Draw(rasterx.NewDasher(p.w, p.h, scanner), 1)
	return nil
}

func readLibrary(text []byte, w, h float64) (*oksvg.SvgIcon, error) {
	icon, err := oksvg.ReadIconStream(bytes.NewReader(text), oksvg.IgnoreErrorMode)
	if err == nil && (icon.ViewBox.W == 0 || icon.ViewBox.H == 0) {
		icon.ViewBox.W, icon.ViewBox.H = w, h
	}
	return icon, err
}

// evenOdd is a scanner that knows both winding rules.
type evenOdd struct {
	r       *raster.Rasterizer
	dst     *image.RGBA
	colour  func(x, y int) color.Color
	box     fixed.Rectangle26_6
	started bool
}

func newEvenOdd(dst *image.RGBA) *evenOdd {
	s := &evenOdd{r: raster.NewRasterizer(dst.Rect.Dx(), dst.Rect.Dy()), dst: dst}
	s.Clear()
	return s
}

// far bounds coordinates, which the rasterizer multiplies with one another.
const far = 1 << 20

func (s *evenOdd) point(a fixed.Point26_6) fixed.Point26_6 {
	a.X, a.Y = min(max(a.X, -far), far), min(max(a.Y, -far), far)
	s.box.Min.X, s.box.Min.Y = min(s.box.Min.X, a.X), min(s.box.Min.Y, a.Y)
	s.box.Max.X, s.box.Max.Y = max(s.box.Max.X, a.X), max(s.box.Max.Y, a.Y)
	return a
}

func (s *evenOdd) Start(a fixed.Point26_6) {
	s.r.Start(s.point(a))
	s.started = true
}

func (s *evenOdd) Line(b fixed.Point26_6) {
	if s.started {
		s.r.Add1(s.point(b))
	}
}

func (s *evenOdd) Draw() {
	mask := image.NewAlpha(s.dst.Rect)
	s.r.Rasterize(raster.NewAlphaSrcPainter(mask))
	draw.DrawMask(s.dst, s.dst.Rect, &coloured{s.colour, s.dst.Rect}, image.Point{}, mask, image.Point{}, draw.Over)
}

func (s *evenOdd) GetPathExtent() fixed.Rectangle26_6 { return s.box }
func (s *evenOdd) SetBounds(w, h int)                 {}
func (s *evenOdd) SetClip(image.Rectangle)            {}
func (s *evenOdd) SetWinding(nonZero bool)            { s.r.UseNonZeroWinding = nonZero }

func (s *evenOdd) SetColor(c any) {
	switch c := c.(type) {
	case color.Color:
		s.colour = func(int, int) color.Color { return c }
	case rasterx.ColorFunc:
		s.colour = c
	}
}

func (s *evenOdd) Clear() {
	s.r.Clear()
	s.started = false
	s.box = fixed.Rectangle26_6{Min: fixed.Point26_6{X: math.MaxInt32, Y: math.MaxInt32},
		Max: fixed.Point26_6{X: math.MinInt32, Y: math.MinInt32}}
}

// coloured is a picture that a function gives the colours of.
type coloured struct {
	at   func(x, y int) color.Color
	rect image.Rectangle
}

func (c *coloured) ColorModel() color.Model { return color.RGBAModel }
func (c *coloured) Bounds() image.Rectangle { return c.rect }
func (c *coloured) At(x, y int) color.Color { return c.at(x, y) }
