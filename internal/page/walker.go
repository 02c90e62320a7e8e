package page

import (
	"bytes"
	"slices"
	"strings"

	"tachyform/internal/markup"
	"tachyform/internal/request"
	"tachyform/internal/textpos"
)

type walker struct {
	doc      *Document
	pos      *textpos.Index
	inHead   bool
	baseSeen bool
	template int
	skip     string // name of the element whose content is passed over
	picture  []pictureSource
	pictures int
	offset   int
	screen   Screen
	media    *mediaElement
	tags     *knownTags
}

type pictureSource struct{ srcset, media, mime string }

func (w *walker) walk(text []byte) {
	var inTitle bool
	var raw strings.Builder // text of a script or style element
	var rawTag *Tag
	rawStart := 0
	for token := range markup.Tokens(text) {
		w.offset = token.End
		switch token.Kind {
		case markup.Unfinished:
			if bytes.HasPrefix(bytes.TrimSpace(token.Raw()), []byte("<")) {
				w.doc.Valid = false
			}
		case markup.Text:
			switch {
			case rawTag != nil:
				if raw.Len() == 0 {
					rawStart = token.Start
				}
				raw.Write(token.Text())
			case inTitle:
				w.doc.Title += string(token.Text())
			case w.inHead && w.skip == "" && w.template == 0 && len(bytes.Trim(token.Raw(), " \t\n\f\r")) > 0:
				w.inHead = false
			}
		case markup.StartTag, markup.SelfClosingTag:
			tag := w.tag(token)
			if w.skip != "" {
				continue
			}
			switch tag.Name {
			case "noscript":
				w.skip = tag.Name
				continue
			case "template":
				w.template++
			case "title":
				inTitle = w.doc.Title == "" && w.template == 0 && (w.inHead)
			case "script", "style":
				if token.Kind == markup.StartTag {
					t := tag
					rawTag = &t
					raw.Reset()
				}
			}
			if !headTags[tag.Name] && w.template == 0 {
				w.inHead = false
			}
			if w.template == 0 {
				w.element(tag)
			}
		case markup.EndTag:
			switch name := token.Name; {
			case name == w.skip:
				w.skip = ""
			case name == "template" && w.template > 0:
				w.template--
			case name == "title":
				if inTitle {
					w.doc.Title = strings.Join(strings.Fields(w.doc.Title), " ")
				}
				inTitle = false
			case name == "br", name == "body":
				w.inHead = false // these begin the body; what other end tags stand there do not, that of the head neither
			case name == "html":
				w.doc.Complete, w.inHead = true, false
			case (name == "video" || name == "audio") && w.media != nil:
				w.endMedia()
			case name == "picture":
				w.picture = nil
				w.pictures = 0
			case rawTag != nil && name == rawTag.Name:
				if w.template == 0 {
					w.rawText(*rawTag, raw.String(), rawStart)
				}
				rawTag = nil
			}
		}
	}
}

func (w *walker) tag(token *markup.Token) Tag {
	known := w.tags.of(token)
	t := Tag{Name: token.Name, Attr: known.attr, InHead: w.inHead}
	for _, key := range known.keys {
		w.doc.keys[key] = true
	}
	switch t.Name {
	case "a", "area", "meta", "link", "script", "img", "iframe", "source", "video", "audio", "track", "embed", "object",
		"input", "body", "html", "image", "use", "table", "td", "th":
		t.Line, t.Column = w.pos.At(token.Start)
	default:
		if t.Attr["style"] != "" {
			t.Line, t.Column = w.pos.At(token.Start)
		}
	}
	return t
}

func (w *walker) add(t Tag, ref string, r Reference) {
	if strings.TrimSpace(ref) == "" {
		return
	}
	u, ok := Resolve(w.doc.Base, ref)
	if !ok {
		return
	}
	r.URL, r.From, r.Line, r.Column, r.Nonce, r.ParserInserted = u, w.doc.URL, t.Line, t.Column, t.Attr["nonce"], true
	r.ReferrerPolicy = strings.ToLower(strings.TrimSpace(t.Attr["referrerpolicy"]))
	if t.Name == "script" || t.Name == "link" {
		r.Integrity = strings.TrimSpace(t.Attr["integrity"])
	}
	if r.Mode == "" {
		r.Mode, r.Credentials = "no-cors", "include"
	}
	w.doc.References = append(w.doc.References, r)
}

// cors gives the mode and credentials that a crossorigin attribute asks for (HTML, 2.5.4); base is what holds without
// it.
func cors(t Tag, r Reference) Reference {
	value, has := t.Attr["crossorigin"]
	switch {
	case has && strings.EqualFold(strings.TrimSpace(value), "use-credentials"):
		r.Mode, r.Credentials = "cors", "include"
	case has:
		r.Mode, r.Credentials = "cors", "same-origin"
	}
	return r
}

func (w *walker) element(t Tag) {
	d := w.doc
	switch t.Name {
	case "html":
		if d.Lang == "" {
			d.Lang = t.Attr["lang"]
		}
	case "base":
		if href, ok := t.Attr["href"]; ok && !w.baseSeen {
			if u, ok := Resolve(d.URL, href); ok {
				d.Base, w.baseSeen = u, true
			}
		}
	case "meta":
		d.Metas = append(d.Metas, t)
		if r, ok := ParseRefresh(d.Base, t.Attr["content"]); ok && strings.EqualFold(t.Attr["http-equiv"], "refresh") {
			if r.URL != d.URL {
				w.link(t, r.URL)
			}
			if d.Refresh == nil {
				d.Refresh = r
			}
		}
	case "link":
		d.LinkTags = append(d.LinkTags, t)
		w.linkElement(t)
	case "a", "area":
		if href, ok := t.Attr["href"]; ok {
			w.link(t, href)
		}
	case "script":
		kind := ScriptKind(t.lookup)
		src, has := t.Attr["src"]
		if href, drawn := t.Attr["href"]; drawn && !has {
			src, has = href, true // a script of an SVG drawing
		}
		switch {
		case kind == ModuleScript:
			r := cors(t, Reference{Destination: request.Script, Mode: request.CORS, Credentials: "same-origin", Module: true})
			if has {
				w.add(t, src, r)
			}
		case kind == ClassicScript:
			if has {
				w.add(t, src, cors(t, Reference{Destination: request.Script}))
			}
		}
	case "img":
		w.image(t)
	case "input":
		if strings.EqualFold(t.Attr["type"], "image") {
			w.add(t, t.Attr["src"], Reference{Destination: request.Image})
		}
	case "image", "use":
		for _, k := range []string{"href", "xlink:href"} {
			if ref := t.Attr[k]; ref != "" && !strings.HasPrefix(ref, "#") {
				w.add(t, ref, Reference{Destination: request.Image})
				break
			}
		}
	case "picture":
		w.pictures++
		w.picture = nil
	case "source":
		if w.pictures > 0 {
			w.picture = append(w.picture, pictureSource{t.Attr["srcset"], t.Attr["media"], t.Attr["type"]})
		} else if w.media != nil && shownMediaType(t.Attr["type"]) && w.screen.matches(t.Attr["media"]) {
			w.mediaSource(t)
		}
	case "video", "audio":
		r := cors(t, Reference{Destination: request.Destination(t.Name)})
		_, auto := t.Attr["autoplay"]
		_, muted := t.Attr["muted"]
		// Sound that nobody asked for does not begin by itself.
		r.ByHand = !(auto && muted) && strings.EqualFold(strings.TrimSpace(t.Attr["preload"]), "none")
		w.media = &mediaElement{kind: t.Name, source: r}
		if _, w.media.own = t.Attr["src"]; w.media.own {
			w.add(t, t.Attr["src"], r)
		}
		w.add(t, t.Attr["poster"], Reference{Destination: request.Image})
	case "body", "table", "td", "th":
		w.add(t, t.Attr["background"], Reference{Destination: request.Image})
	case "track":
		if w.media == nil {
			return
		}
		w.add(t, t.Attr["src"], Reference{Destination: request.Track, Mode: request.SameOrigin, Credentials: "include",
			Background: true})
	case "iframe":
		sandbox, boxed := t.Attr["sandbox"]
		scriptless := boxed && !slices.Contains(strings.Fields(strings.ToLower(sandbox)), "allow-scripts")
		boxed = boxed && !slices.Contains(strings.Fields(strings.ToLower(sandbox)), "allow-same-origin")
		if text, inline := t.Attr["srcdoc"]; inline {
			if !boxed {
				w.written(text)
			}
		} else if t.Attr["src"] != "" && !strings.HasPrefix(t.Attr["src"], "about:") {
			w.add(t, t.Attr["src"], Reference{Destination: request.Frame, Mode: request.Navigate, Credentials: "include",
				Sandboxed: boxed, Scriptless: scriptless})
		}
	case "embed":
		w.add(t, t.Attr["src"], Reference{Destination: request.Embed, Mode: request.Navigate, Credentials: "include"})
	case "object":
		w.add(t, t.Attr["data"], Reference{Destination: request.Object, Mode: request.Navigate, Credentials: "include"})
	}
	if style := t.Attr["style"]; style != "" {
		w.styleText(style, t.Line, t.Column)
	}
}

// mediaSource notes a source of the media element around it.
func (w *walker) mediaSource(t Tag) {
	if u, ok := Resolve(w.doc.Base, t.Attr["src"]); ok && t.Attr["src"] != "" && !w.media.own {
		r := w.media.source
		if r.Mode == "" {
			r.Mode, r.Credentials = "no-cors", "include"
		}
		r.URL, r.From, r.Line, r.Column = u, w.doc.URL, t.Line, t.Column
		w.media.sources = append(w.media.sources, r)
	}
}

// endMedia asks for the first source; each next one only when that before it cannot be had (HTML, 4.8.11.5).
func (w *walker) endMedia() {
	sources := w.media.sources
	w.media = nil
	for i := len(sources) - 2; i >= 0; i-- {
		sources[i].Else = &sources[i+1]
	}
	if len(sources) > 0 {
		w.doc.References = append(w.doc.References, sources[0])
	}
}

// shownMediaType says whether common browsers play a kind of media; without a type they try.
func shownMediaType(mime string) bool {
	essence, _, _ := strings.Cut(strings.ToLower(strings.TrimSpace(mime)), ";")
	switch strings.TrimSpace(essence) {
	case "", "video/mp4", "video/webm", "video/ogg", "audio/mpeg", "audio/mp4", "audio/ogg", "audio/webm", "audio/wav",
		"audio/x-wav", "audio/flac", "audio/aac", "audio/mp3", "application/ogg", "application/vnd.apple.mpegurl":
		return true
	}
	return false
}

// isPlaceholder says whether an address is one that a template fills in later: {{page}}, ${page}, <%= page %> or [[page]].
func isPlaceholder(address string) bool {
	for _, mark := range []string{"{{", "${", "<%", "{%", "[["} {
		if strings.Contains(address, mark) {
			return true
		}
	}
	return false
}

func (w *walker) link(t Tag, href string) {
	if u, ok := Resolve(w.doc.Base, href); ok && !isPlaceholder(href) {
		_, fragment, _ := strings.Cut(href, "#")
		w.doc.Links = append(w.doc.Links, Link{URL: u, Fragment: fragment, Anchor: t.Name == "a" && t.Attr["href"] == href, Line: t.Line, Column: t.Column})
	}
}

// written reads the document that stands in an iframe's srcdoc attribute: what it asks for, the page asks for.
func (w *walker) written(text string) {
	inner := &Document{URL: w.doc.URL, Base: w.doc.Base, Charset: "utf-8", Valid: true, keys: map[string]bool{}, styled: &styled{},
		text: []byte(text)}
	(&walker{doc: inner, pos: textpos.New([]byte(text)), inHead: true, screen: w.screen, tags: w.tags}).walk([]byte(text))
	for _, r := range inner.References {
		r.Line, r.Column = 0, 0
		w.doc.References = append(w.doc.References, r)
	}
}

func (w *walker) linkElement(t Tag) {
	href := t.Attr["href"]
	if _, disabled := t.Attr["disabled"]; disabled && t.Rel("stylesheet") {
		return
	}
	switch {
	case t.Rel("stylesheet"):
		if essence, _, _ := strings.Cut(strings.TrimSpace(t.Attr["type"]), ";"); essence != "" &&
			!strings.EqualFold(strings.TrimSpace(essence), "text/css") {
			return
		}
		// An alternate one is asked for and says nothing until somebody chooses it.
		off := !w.screen.matches(t.Attr["media"]) || t.Rel("alternate") && t.Attr["title"] != ""
		w.add(t, href, cors(t, Reference{Destination: request.Style, Off: off}))
		if u, ok := Resolve(w.doc.Base, href); ok && strings.TrimSpace(href) != "" {
			w.doc.Sheets = append(w.doc.Sheets, Sheet{URL: u, Off: off})
		}
	case t.Rel("manifest"):
		if !t.InHead {
			return
		}
		r := Reference{Destination: request.Manifest, Mode: request.CORS, Credentials: "omit", Background: true}
		if strings.EqualFold(t.Attr["crossorigin"], "use-credentials") {
			r.Credentials = "include"
		}
		w.add(t, href, r)
	case t.Rel("icon"), t.Rel("apple-touch-icon"), t.Rel("apple-touch-startup-image"):
		w.add(t, href, Reference{Destination: request.Image, Background: true})
	case t.Rel("modulepreload"):
		w.add(t, href, Reference{Destination: request.Script, Mode: request.CORS, Credentials: "same-origin", Module: true,
			Preload: true})
	case t.Rel("preload"):
		switch as := strings.ToLower(t.Attr["as"]); as {
		case "fetch", "font", "image", "script", "style", "track", "json": // what browsers preload of all destinations
			if as == "fetch" {
				as = ""
			}
			if as == "image" && t.Attr["imagesrcset"] != "" {
				href = w.screen.choose(t.Attr["imagesrcset"], href, t.Attr["imagesizes"])
			}
			if !w.screen.matches(t.Attr["media"]) {
				return
			}
			w.add(t, href, cors(t, Reference{Destination: request.Destination(as), Ahead: true}))
		}
	case t.Rel("prefetch"):
		w.add(t, href, Reference{Destination: request.Data, Hint: true})
	}
}

func (w *walker) rawText(t Tag, text string, start int) {
	line, column := w.pos.At(start)
	switch {
	case t.Name == "style":
		w.styleElement(t, text, line, column)
	case t.Attr["src"] != "":
	default:
		kind := ScriptKind(t.lookup)
		if kind == ModuleScript || kind == ClassicScript {
			s := ParseScript(w.doc.URL, w.doc.Base, []byte(text)).At(w.doc.Base, w.doc.Imports)
			w.doc.Scripts = append(w.doc.Scripts, &InlineScript{Script: s, Module: kind == ModuleScript, Text: text, Nonce: t.Attr["nonce"]})
			for i := range s.References {
				r := &s.References[i]
				r.Line, r.Column = shift(r.Line, r.Column, line, column)
			}
			for i := range s.Registrations {
				r := &s.Registrations[i]
				r.Line, r.Column = shift(r.Line, r.Column, line, column)
				w.doc.Registrations = append(w.doc.Registrations, *r)
			}
		} else if kind == SpeculationRules {
			w.speculation(t, text)
		} else if kind == ImportMapScript {
			w.doc.Imports = w.doc.Imports.Merge(ParseImportMap(w.doc.Base, text))
		}
	}
}

func (w *walker) styleText(text string, line, column int) {
	for _, d := range parseDeclarations(w.doc.URL, w.doc.Base, []byte(text)) {
		for _, r := range d.Pictures {
			r.Line, r.Column = shift(r.Line, r.Column, line, column)
			w.doc.References = append(w.doc.References, r)
		}
	}
}

// styleElement reads a style element's text.
func (w *walker) styleElement(t Tag, text string, line, column int) {
	s := ParseStyleOn(w.screen, w.doc.URL, w.doc.Base, []byte(text))
	place := func(r *Reference) { r.Line, r.Column = shift(r.Line, r.Column, line, column) }
	for i := range s.Imports {
		place(&s.Imports[i])
	}
	for i := range s.Faces {
		place(&s.Faces[i].Source)
	}
	for _, r := range s.Rules {
		for _, d := range r.Declared {
			for i := range d.Pictures {
				place(&d.Pictures[i])
			}
		}
	}
	w.doc.References = append(w.doc.References, s.Imports...)
	w.doc.Sheets = append(w.doc.Sheets, Sheet{Style: s, Off: !w.screen.matches(t.Attr["media"])})
}

// shift moves a position inside an embedded text to its place in the whole.
func shift(line, column, atLine, atColumn int) (int, int) {
	if line <= 1 {
		return atLine, atColumn + column - 1
	}
	return atLine + line - 1, column
}
