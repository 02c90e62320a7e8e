package manifest

import (
	"bytes"
	"fmt"
	"slices"
	"strings"

	whatwg "github.com/nlnwa/whatwg-url/url"

	"tachyform/internal/project"
	"tachyform/internal/spelling"
	"tachyform/internal/textpos"
	"tachyform/internal/weburl"
)

// As chooses whose reading of the standard is followed where readings differ.
type As string

// The readings.
const (
	Standard As = "standard"
	Chromium As = "chromium"
	Firefox  As = "firefox"
)

// Issue is something in a manifest that browsers ignore or stumble over.
type Issue struct {
	// Code names the kind of issue: syntax, wrong-type, ignored-value, unknown-member, duplicate-member.
	Code string
	// Member is the path of the member, such as icons[1].sizes.
	Member       string
	Line, Column int
	What         string
	Mend         string
}

// Process reads a manifest text as a browser would that fetched it from manifestURL for the page documentURL.
func Process(text []byte, manifestURL, documentURL string, as As) (*Processed, []Issue) {
	p := &processor{text: text, pos: textpos.New(text), as: as, out: &Processed{Places: map[string][2]int{}}}
	var err error
	if p.doc, err = whatwg.Parse(documentURL); err != nil {
		p.issue("syntax", "", 0, "the page's address is not a URL: "+documentURL, "")
		p.doc, _ = whatwg.Parse("https://site.example/")
	}
	if p.base, err = whatwg.Parse(manifestURL); err != nil {
		p.base = p.doc
	}
	root, err := ParseJSON(text, as == Chromium)
	if bytes.HasPrefix(text, []byte("\xff\xfe")) || bytes.HasPrefix(text, []byte("\xfe\xff")) {
		err = &SyntaxError{0, "the file is written in UTF-16; a manifest is UTF-8"}
	}
	if err == nil && root.Kind != Object {
		err = &SyntaxError{root.Offset, "a manifest is an object in braces, not " + root.describe()}
	}
	if err != nil {
		e := err.(*SyntaxError)
		p.issue("syntax", "", e.Offset, e.What, syntaxMend(text, e))
		p.out.Fatal = true
		root = &Value{Kind: Object}
	}
	if as == Chromium {
		if v := discarding(root); v != nil {
			p.issue("discarded", "permissions_policy", v.Offset, "Chromium throws the whole manifest away: "+
				"permissions_policy takes an object of lists of origins, and this is "+v.describe(),
				`write it such as {"fullscreen": ["self"]}, or remove it`)
			p.out.Fatal = true
			root = &Value{Kind: Object}
		}
	}
	p.root = root
	for _, m := range root.Members {
		if _, twice := p.out.Places[m.Name]; twice {
			p.issue("duplicate-member", m.Name, m.Offset, fmt.Sprintf("%q stands twice; the last one counts", m.Name),
				"remove one")
		}
		line, column := p.pos.At(m.Offset)
		p.out.Places[m.Name] = [2]int{line, column}
		if !slices.Contains(knownMembers, m.Name) && !strings.HasSuffix(m.Name, "_localized") {
			mend := "no browser reads it; remove it if nothing of yours does"
			if kind := foreign[m.Name]; kind != "" {
				p.issue("unknown-member", m.Name, m.Offset, fmt.Sprintf("%q belongs to %s, not to a web app's manifest", m.Name,
					kind), "remove it, or check that the page links to the right file")
				continue
			}
			if near := spelling.Nearest(m.Name, knownMembers); near != "" {
				mend = "did you mean " + near + "?"
			}
			p.issue("unknown-member", m.Name, m.Offset, fmt.Sprintf("no standard knows the member %q", m.Name), mend)
		}
	}
	p.run()
	return p.out, p.issues
}

var knownMembers = func() (names []string) {
	for _, m := range project.ManifestMembers {
		names = append(names, m.Name)
	}
	return names
}()

// foreign are members of other files that bear the name of manifest.
var foreign = func() map[string]string {
	out := map[string]string{}
	for kind, names := range map[string]string{
		"the manifest of a browser extension": "manifest_version version version_name background content_scripts " +
			"permissions host_permissions optional_permissions action browser_action page_action web_accessible_resources " +
			"content_security_policy options_page options_ui minimum_chrome_version browser_specific_settings commands " +
			"omnibox default_locale update_url key",
		"a package description": "dependencies devDependencies peerDependencies scripts main module exports " +
			"files license repository author keywords engines private workspaces",
		"a list of build output":          "entrypoints assets chunks",
		"a file of links to a native app": "applinks webcredentials target relation details",
	} {
		for _, name := range strings.Fields(names) {
			out[name] = kind
		}
	}
	return out
}()

func syntaxMend(text []byte, e *SyntaxError) string {
	trimmed := strings.ToLower(strings.TrimSpace(string(text[:min(len(text), 200)])))
	switch {
	case strings.HasPrefix(trimmed, "<!doctype") || strings.HasPrefix(trimmed, "<html"):
		return "the host answered with an HTML page: the manifest file is not where the link points; check that the " +
			"build copies it"
	case len(text) == 0:
		return "the file is empty; tachyform fit writes one"
	case strings.Contains(e.What, "comma"):
		return "check the commas here"
	case strings.Contains(e.What, "UTF-16"):
		return "save it as UTF-8"
	case strings.Contains(e.What, "comment"):
		return "remove the comment"
	}
	return ""
}

type processor struct {
	text      []byte
	pos       *textpos.Index
	as        As
	doc, base *whatwg.Url
	root      *Value
	out       *Processed
	issues    []Issue
}

func (p *processor) issue(code, member string, offset int, what, mend string) {
	line, column := p.pos.At(offset)
	p.issues = append(p.issues, Issue{code, member, line, column, what, mend})
}

func (p *processor) ignored(member string, v *Value, why, mend string) {
	p.issue("ignored-value", member, v.Offset, fmt.Sprintf("%s is ignored: %s", member, why), mend)
}

// wanted names the kinds of JSON values to those who write them.
var wanted = map[Kind]string{Bool: "true or false", Number: "a number", String: "a text", Array: "a list in [ ]",
	Object: "an object in { }"}

// wrongType tells of a value that is of another kind than its member takes.
func (p *processor) wrongType(member string, v *Value, kind Kind) {
	mend := ""
	if v.Kind == String && kind == Bool && (v.Text == "true" || v.Text == "false") {
		mend = "write " + v.Text + " without quotes"
	} else if kind == String && (v.Kind == Number || v.Kind == Bool) {
		mend = "put it in double quotes"
	}
	p.wrongValue(member, v, wanted[kind], mend)
}

// wrongValue tells of a value that is not what its member takes.
func (p *processor) wrongValue(member string, v *Value, takes, mend string) {
	p.issue("wrong-type", member, v.Offset, fmt.Sprintf("%s takes %s, not %s", member, takes, v.describe()), mend)
}

func (p *processor) str(o *Value, name, path string) (*Value, bool) {
	v := o.Get(name)
	if v == nil {
		return nil, false
	}
	if v.Kind != String {
		p.wrongType(path+name, v, String)
		return v, false
	}
	return v, true
}

func (p *processor) textMember(name string) string {
	v, ok := p.str(p.root, name, "")
	if !ok {
		return ""
	}
	if name == "description" || p.as == Firefox {
		return p.trim(v.Text)
	}
	return p.trim(strings.NewReplacer("\n", "", "\r", "", "\t", "").Replace(v.Text))
}

func (p *processor) list(o *Value, name, path string) []*Value {
	v := o.Get(name)
	if v == nil {
		return nil
	}
	if v.Kind != Array {
		p.wrongType(path+name, v, Array)
		return nil
	}
	return v.Items
}

func (p *processor) run() {
	o := p.out
	o.Name = p.textMember("name")
	o.ShortName = p.textMember("short_name")
	o.Description = p.textMember("description")
	p.dirLang()
	p.startURL()
	p.scope()
	p.id()
	p.display()
	o.Orientation = p.enum("orientation", Orientations)
	o.ThemeColor = p.colour("theme_color")
	o.BackgroundColor = p.colour("background_color")
	o.Icons = p.images(p.root, "icons", "")
	o.Screenshots = p.images(p.root, "screenshots", "")
	p.shortcuts()
	for i, item := range p.list(p.root, "categories", "") {
		if item.Kind == String {
			o.Categories = append(o.Categories, strings.ToLower(item.Text))
		} else {
			p.wrongType(fmt.Sprintf("categories[%d]", i), item, String)
		}
	}
	p.related()
	p.handlers()
	o.NameLocalized = p.localized("name_localized")
	o.ShortNameLocalized = p.localized("short_name_localized")
	o.DescriptionLocalized = p.localized("description_localized")
	if v, ok := p.str(p.root, "iarc_rating_id", ""); ok {
		o.IARCRatingID = p.trim(v.Text)
	}
}

// Localized is a text in one language, with a direction of its own if it has one.
type Localized struct {
	Value string `json:"value"`
	Dir   string `json:"dir,omitempty"`
	Lang  string `json:"lang,omitempty"`
}

// localized processes a member whose name ends in _localized: texts, or objects with a value, by language tag.
func (p *processor) localized(name string) map[string]Localized {
	v := p.object(name)
	if v == nil {
		return nil
	}
	out := map[string]Localized{}
	for _, m := range v.Members {
		member := name + "." + m.Name
		tag, ok := canonicalLanguage(m.Name)
		if !ok {
			p.ignored(member, m.Value, fmt.Sprintf("%q is no language tag", m.Name), "such as en or de-AT")
			continue
		}
		switch m.Value.Kind {
		case String:
			out[tag] = Localized{Value: p.trim(m.Value.Text)}
		case Object:
			text, ok := p.str(m.Value, "value", member+".")
			if !ok {
				continue
			}
			l := Localized{Value: p.trim(text.Text)}
			if d, ok := p.str(m.Value, "dir", member+"."); ok && slices.Contains([]string{"ltr", "rtl", "auto"}, d.Text) {
				l.Dir = d.Text
			}
			if x, ok := p.str(m.Value, "lang", member+"."); ok {
				l.Lang = x.Text
			}
			out[tag] = l
		default:
			p.wrongValue(member, m.Value, "a text or an object with a value", "")
		}
	}
	if len(out) == 0 {
		return nil
	}
	return out
}

func (p *processor) dirLang() {
	p.out.Dir = p.enum("dir", []string{"ltr", "rtl", "auto"})
	if p.out.Dir == "" && p.as == Firefox {
		p.out.Dir = "auto"
	}
	if v, ok := p.str(p.root, "lang", ""); ok {
		tag, ok := canonicalLanguage(p.trim(v.Text))
		if !ok {
			p.ignored("lang", v, fmt.Sprintf("%q is no language tag", v.Text), "such as en or de-AT")
			return
		}
		p.out.Lang = tag
	}
}

func (p *processor) enum(name string, words []string) string {
	v, ok := p.str(p.root, name, "")
	if !ok {
		return ""
	}
	word := strings.ToLower(p.trim(v.Text))
	if slices.Contains(words, word) {
		return word
	}
	mend := "one of " + strings.Join(words, ", ")
	if near := spelling.Nearest(word, words); near != "" {
		mend = "did you mean " + near + "?"
	}
	p.ignored(name, v, fmt.Sprintf("there is no %q", v.Text), mend)
	return ""
}

// startURL follows "process the start_url member".
func (p *processor) startURL() {
	p.out.StartURL = p.doc.Href(false)
	v, ok := p.str(p.root, "start_url", "")
	if !ok {
		return
	}
	if v.Text == "" && p.as != Chromium {
		p.ignored("start_url", v, "it is empty", `write "." for the manifest's folder or "/" for the site's first page`)
		return
	}
	u, err := p.base.Parse(v.Text)
	if err != nil {
		p.ignored("start_url", v, fmt.Sprintf("%q is not a URL", v.Text), "")
		return
	}
	if weburl.Origin(u) != weburl.Origin(p.doc) {
		p.ignored("start_url", v, "it lies on another origin than the page that links to the manifest",
			"start it with / so that it stays on the site's own origin")
		return
	}
	p.out.StartURL, p.out.StartURLValid = u.Href(false), true
}

// scope follows "process the scope member".
func (p *processor) scope() {
	start, err := whatwg.Parse(p.out.StartURL)
	if err != nil {
		return
	}
	fallback, _ := start.Parse(".")
	fallback.SetSearch("")
	p.out.Scope = fallback.Href(true)
	v, ok := p.str(p.root, "scope", "")
	if !ok || v.Text == "" && p.as != Chromium {
		return
	}
	u, err := p.base.Parse(v.Text)
	if err != nil {
		p.ignored("scope", v, fmt.Sprintf("%q is not a URL", v.Text), "")
		return
	}
	u.SetSearch("")
	u.SetHash("")
	switch {
	case weburl.Origin(u) != weburl.Origin(p.doc):
		p.ignored("scope", v, "it lies on another origin than the page", "start it with /")
	case !within(start, u):
		p.ignored("scope", v, fmt.Sprintf("the start URL %s lies outside it", start.Pathname()),
			"widen the scope or move start_url into it")
	default:
		p.out.Scope = u.Href(true)
	}
}

// within follows "within scope of a manifest": a plain prefix of the path.
func within(target, scope *whatwg.Url) bool {
	return weburl.Origin(target) == weburl.Origin(scope) && strings.HasPrefix(target.Pathname(), scope.Pathname())
}

// WithinScope says whether a URL lies within a processed manifest's scope.
func (p *Processed) WithinScope(target string) bool {
	t, err1 := whatwg.Parse(target)
	s, err2 := whatwg.Parse(p.Scope)
	return err1 == nil && err2 == nil && within(t, s)
}

// id follows "process the id member".
func (p *processor) id() {
	start, err := whatwg.Parse(p.out.StartURL)
	if err != nil {
		return
	}
	// Firefox keeps the fragment.
	p.out.ID = start.Href(p.as != Firefox)
	v, ok := p.str(p.root, "id", "")
	if !ok || v.Text == "" {
		return
	}
	base, err := whatwg.Parse(weburl.Origin(start) + "/")
	if err != nil {
		return
	}
	u, err := base.Parse(v.Text)
	if err != nil || weburl.Origin(u) != weburl.Origin(start) {
		p.ignored("id", v, "it is no URL on the start URL's origin", "a short path such as /app")
		return
	}
	p.out.ID = u.Href(p.as != Firefox)
}

func (p *processor) display() {
	p.out.Display = "browser"
	if d := p.enum("display", DisplayModes); d != "" {
		p.out.Display, p.out.DisplayGiven = d, true
	}
	p.out.ShownDisplay = p.out.Display
	for i, item := range p.list(p.root, "display_override", "") {
		member := fmt.Sprintf("display_override[%d]", i)
		if item.Kind != String {
			p.wrongType(member, item, String)
			continue
		}
		mode := strings.ToLower(p.trim(item.Text))
		if !slices.Contains(overrideModes, mode) || mode == "tabbed" && p.as == Chromium {
			p.ignored(member, item, fmt.Sprintf("there is no display mode %q", item.Text),
				"one of "+strings.Join(overrideModes, ", "))
			continue
		}
		p.out.DisplayOverride = append(p.out.DisplayOverride, mode)
	}
	if len(p.out.DisplayOverride) > 0 {
		p.out.ShownDisplay = p.out.DisplayOverride[0]
	}
}

func (p *processor) colour(name string) string {
	v, ok := p.str(p.root, name, "")
	if !ok {
		return ""
	}
	c, ok := ParseColour(p.trim(v.Text))
	if !ok {
		p.ignored(name, v, fmt.Sprintf("%q is no CSS colour", v.Text), `such as "#0b4f6c"`)
		return ""
	}
	return ColourText(c)
}

func (p *processor) shortcuts() {
	for i, item := range p.list(p.root, "shortcuts", "") {
		member := fmt.Sprintf("shortcuts[%d]", i)
		if item.Kind != Object {
			p.wrongType(member, item, Object)
			continue
		}
		name, ok1 := p.str(item, "name", member+".")
		url, ok2 := p.str(item, "url", member+".")
		if !ok1 || !ok2 || p.trim(name.Text) == "" {
			p.issue("ignored-value", member, item.Offset, member+" is ignored: it needs a name and a url", "")
			continue
		}
		u, err := p.base.Parse(url.Text)
		if err != nil || !p.out.WithinScope(u.Href(false)) {
			p.ignored(member+".url", url, "it lies outside the scope "+p.out.Scope, "")
			continue
		}
		s := Shortcut{Name: p.trim(name.Text), URL: u.Href(false), Icons: p.images(item, "icons", member+".")}
		if v, ok := p.str(item, "short_name", member+"."); ok {
			s.ShortName = p.trim(v.Text)
		}
		if v, ok := p.str(item, "description", member+"."); ok {
			s.Description = p.trim(v.Text)
		}
		p.out.Shortcuts = append(p.out.Shortcuts, s)
	}
}

func (p *processor) related() {
	for i, item := range p.list(p.root, "related_applications", "") {
		member := fmt.Sprintf("related_applications[%d]", i)
		if item.Kind != Object {
			p.wrongType(member, item, Object)
			continue
		}
		var r Related
		if v, ok := p.str(item, "platform", member+"."); ok {
			r.Platform = p.trim(v.Text)
		}
		if v, ok := p.str(item, "id", member+"."); ok {
			r.ID = v.Text
		}
		if v, ok := p.str(item, "url", member+"."); ok {
			if u, err := p.base.Parse(v.Text); err == nil {
				r.URL = u.Href(false)
			}
		}
		if r.Platform == "" || r.URL == "" && r.ID == "" {
			p.issue("ignored-value", member, item.Offset, member+" is ignored: it needs a platform and a url or id", "")
			continue
		}
		p.out.RelatedApplications = append(p.out.RelatedApplications, r)
	}
	if v := p.root.Get("prefer_related_applications"); v != nil {
		if v.Kind == Bool {
			p.out.PreferRelatedApplications = &v.Truth
		} else {
			p.wrongType("prefer_related_applications", v, Bool)
		}
	}
}
