package page

import (
	"bytes"
	"regexp"
	"slices"
	"strings"
	"unicode/utf8"

	"golang.org/x/net/html/charset"

	"tachyform/internal/encoding"
	"tachyform/internal/textpos"
	"tachyform/internal/weburl"
)

// Tag is a meta or link element with its attributes and place.
type Tag struct {
	Name         string
	Attr         map[string]string
	InHead       bool
	Line, Column int
}

func (t Tag) lookup(name string) (string, bool) {
	value, has := t.Attr[name]
	return value, has
}

// Rel says whether the tag's rel attribute holds the given keyword.
func (t Tag) Rel(keyword string) bool {
	for _, k := range strings.Fields(strings.ToLower(t.Attr["rel"])) {
		if k == keyword {
			return true
		}
	}
	return false
}

// Link is a place that the page leads to.
type Link struct {
	URL string
	// Fragment is what stands behind the #, "" for none.
	Fragment string
	// Anchor says that it is an a element with an address.
	Anchor       bool
	Line, Column int
}

// Registration is a call of navigator.serviceWorker.register that the page makes.
type Registration struct {
	Script string // absolute URL
	Scope  string // absolute URL, "" for the default
	Type   string // "classic" or "module"
	// UpdateViaCache is "imports", "all" or "none".
	UpdateViaCache string
	From           string
	Line, Column   int

	raw, rawScope string // as written
}

// Covers is the registration's scope; by default that is the folder of its script.
func (r Registration) Covers() string {
	if r.Scope != "" {
		return r.Scope
	}
	path, _, _ := strings.Cut(r.Script, "?")
	return path[:strings.LastIndexByte(path, '/')+1]
}

// Document is what an HTML text says when read as a browser reads it.
// It has a field for each thing that is found in it.
type Document struct {
	URL      string
	Base     string
	Title    string
	Lang     string
	Charset  string
	Valid    bool // the text decodes in its charset and is not cut off inside a tag
	Metas    []Tag
	LinkTags []Tag
	Links    []Link
	// References are the requests that the page makes without its style sheets being applied; see Applied.
	References []Reference
	// Scripts are its inline scripts; their registrations stand in Registrations too.
	Scripts []*InlineScript
	// Imports is its import map, nil when it has none.
	Imports *ImportMap
	// Sheets are its style sheets.
	Sheets        []Sheet
	Registrations []Registration
	// Refresh is where the page leads by itself, nil when it stays.
	Refresh *Refresh
	// Complete tells that the text has its closing html tag.
	Complete bool
	// Fragment tells that the text is no page of its own; see Fragment.
	Fragment bool
	// Screen is the one that pictures were chosen for; Varies tells that another one gets others.
	Screen Screen
	Varies bool

	text []byte          // decoded
	keys map[string]bool // element names, #ids and .classes that occur

	styled *styled
}

// InlineScript is a script whose text stands in the page.
type InlineScript struct {
	*Script
	Module      bool
	Text, Nonce string
}

// mediaElement is a video or audio element with the sources that stand in it.
type mediaElement struct {
	kind    string
	source  Reference
	sources []Reference
	own     bool // it has a src attribute itself
}

var pageMark = regexp.MustCompile(`(?i)<(!doctype|html|head|title|meta|link|body)[\s>/]`)

// Fragment says whether an HTML file is a piece that others include, or a text that only bears the extension, rather
// than a page: it has none of the tags that make one.
func Fragment(text []byte) bool {
	// UTF-16, whose tags look otherwise
	wide := bytes.HasPrefix(text, []byte{0xff, 0xfe}) || bytes.HasPrefix(text, []byte{0xfe, 0xff})
	return !wide && !pageMark.Match(text)
}

// All lists every request that the page could make by itself, also those of rules in style elements that nothing on it
// matches. The list may be the document's own.
func (d *Document) All() []Reference {
	refs := slices.Clip(d.References)
	for _, s := range d.Sheets {
		if s.Style != nil {
			refs = append(refs, s.Style.All()[len(s.Style.Imports):]...)
		}
	}
	return refs
}

// Meta gives the content of the first meta element in the head with that name, and whether there is one.
func (d *Document) Meta(name string) (Tag, bool) {
	for _, t := range d.Metas {
		if strings.EqualFold(t.Attr["name"], name) {
			return t, true
		}
	}
	return Tag{}, false
}

// Link gives the first link element in the head with that rel keyword.
func (d *Document) Link(rel string) (Tag, bool) {
	for _, t := range d.LinkTags {
		if t.InHead && t.Rel(rel) {
			return t, true
		}
	}
	return Tag{}, false
}

// ManifestURL is the address of the manifest the page links to; the first link in the head counts (HTML, 4.6.8.9).
func (d *Document) ManifestURL() string {
	t, ok := d.Link("manifest")
	href := strings.TrimSpace(t.Attr["href"])
	if !ok || href == "" {
		return ""
	}
	if weburl.Hostless(href) {
		return href
	}
	u, _ := Resolve(d.Base, href)
	return u
}

// headTags may stand in the head without ending it (HTML, 13.2.6.4.4).
var headTags = map[string]bool{"base": true, "basefont": true, "bgsound": true, "link": true, "meta": true,
	"title":    true,
	"noscript": true, "noframes": true, "style": true, "script": true, "template": true, "head": true, "html": true}

// ParseDocument reads an HTML text that was served from url with the given Content-Type, as it comes out on a desktop
// screen.
func ParseDocument(url, contentType string, text []byte) *Document {
	return ParseDocumentOn(Desktop, url, contentType, text)
}

// ParseDocumentOn reads an HTML text for a screen.
func ParseDocumentOn(screen Screen, url, contentType string, text []byte) *Document {
	return parseDocument(screen, url, contentType, text, &knownTags{})
}

func parseDocument(screen Screen, url, contentType string, text []byte, tags *knownTags) *Document {
	_, name, _ := charset.DetermineEncoding(text[:min(len(text), 1024)], contentType)
	d := &Document{URL: url, Base: url, Charset: name, Valid: true, keys: map[string]bool{}, styled: &styled{}}
	if name == "windows-1252" && utf8.Valid(text) {
		d.Charset = "utf-8"
	} else if name != "utf-8" {
		if decoded, ok := encoding.Decode(name, text); ok {
			text = []byte(decoded)
		}
	} else if !utf8.Valid(text) {
		d.Valid = false
	}
	text = bytes.TrimPrefix(text, []byte("\xef\xbb\xbf"))
	d.Fragment, d.Screen, d.text = Fragment(text), screen, text
	w := &walker{doc: d, pos: textpos.New(text), inHead: true, screen: screen, tags: tags}
	w.walk(text)
	return d
}

// Policies gives the policies that a document's meta elements add; some directives have no effect there.
func (d *Document) Policies() (list []string) {
	for _, t := range d.Metas {
		if t.InHead && strings.EqualFold(strings.TrimSpace(t.Attr["http-equiv"]), "content-security-policy") {
			list = append(list, t.Attr["content"])
		}
	}
	return list
}

// ReferrerPolicy is what its meta elements say of telling others who asks (HTML, 4.2.5.1: referrer), "" for nothing.
func (d *Document) ReferrerPolicy() (policy string) {
	for _, t := range d.Metas {
		if strings.EqualFold(t.Attr["name"], "referrer") && t.Attr["content"] != "" {
			policy = t.Attr["content"]
		}
	}
	return policy
}

// Decoded is the document's text in UTF-8.
func (d *Document) Decoded() []byte { return d.text }

// Matches says whether a media query holds on the screen that pages are read for.
func (r *Reader) Matches(query string) bool { return r.screen().matches(query) }
