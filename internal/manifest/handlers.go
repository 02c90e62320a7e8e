package manifest

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	whatwg "github.com/nlnwa/whatwg-url/url"

	"tachyform/internal/spelling"
	"tachyform/internal/weburl"
)

// ShareTarget is the share_target member (Web Share Target, 2).
type ShareTarget struct {
	Action  string      `json:"action"`
	Method  string      `json:"method"`  // GET or POST
	Enctype string      `json:"enctype"` // a media type
	Params  ShareParams `json:"params"`
}

// ShareParams names the fields in which what is shared arrives.
type ShareParams struct {
	Title string      `json:"title,omitempty"`
	Text  string      `json:"text,omitempty"`
	URL   string      `json:"url,omitempty"`
	Files []ShareFile `json:"files,omitempty"`
}

// ShareFile is a field for files with the kinds that it takes: media types or extensions.
type ShareFile struct {
	Name   string   `json:"name"`
	Accept []string `json:"accept"`
}

// FileHandler is an entry of file_handlers (Manifest Incubations, 1.2).
type FileHandler struct {
	Action string `json:"action"`
	Name   string `json:"name,omitempty"`
	// Accept holds extensions by media type.
	Accept     map[string][]string `json:"accept"`
	Icons      []Image             `json:"icons,omitempty"`
	LaunchType string              `json:"launch_type,omitempty"`
}

// ProtocolHandler is an entry of protocol_handlers (Manifest Incubations, 1.3).
type ProtocolHandler struct {
	Protocol string `json:"protocol"`
	URL      string `json:"url"`
}

// LaunchHandler is the launch_handler member (Web App Launch Handler, 3).
type LaunchHandler struct {
	ClientMode string `json:"client_mode"`
}

// ScopeExtension is an entry of scope_extensions (Manifest Incubations, 1.6).
type ScopeExtension struct {
	Type   string `json:"type"`
	Origin string `json:"origin"`
}

// handlers processes the members that tie the app into the system.
func (p *processor) handlers() {
	o := p.out
	o.ShareTarget = p.shareTarget()
	for i, item := range p.list(p.root, "file_handlers", "") {
		if h := p.fileHandler(item, fmt.Sprintf("file_handlers[%d]", i)); h != nil {
			o.FileHandlers = append(o.FileHandlers, *h)
		}
	}
	for i, item := range p.list(p.root, "protocol_handlers", "") {
		if h := p.protocolHandler(item, fmt.Sprintf("protocol_handlers[%d]", i)); h != nil {
			o.ProtocolHandlers = append(o.ProtocolHandlers, *h)
		}
	}
	o.LaunchHandler = p.launchHandler()
	o.HandleLinks = p.enum("handle_links", []string{"auto", "preferred", "not-preferred"})
	for i, item := range p.list(p.root, "scope_extensions", "") {
		if e := p.scopeExtension(item, fmt.Sprintf("scope_extensions[%d]", i)); e != nil {
			o.ScopeExtensions = append(o.ScopeExtensions, *e)
		}
	}
	if v := p.object("edge_side_panel"); v != nil {
		o.EdgeSidePanel = &SidePanel{}
		if w := v.Get("preferred_width"); w != nil {
			if n, ok := w.number(); ok && n >= 0 {
				o.EdgeSidePanel.PreferredWidth = n
			} else {
				p.wrongValue("edge_side_panel.preferred_width", w, "a number of pixels", "")
			}
		}
	}
	if v := p.object("note_taking"); v != nil {
		if url, ok := p.inScope(v, "new_note_url", "note_taking."); ok {
			o.NoteTaking = &NoteTaking{url}
		}
	}
}

// SidePanel is the edge_side_panel member; PreferredWidth is in CSS pixels.
type SidePanel struct {
	PreferredWidth float64 `json:"preferred_width,omitempty"`
}

// NoteTaking is the note_taking member (Manifest Incubations, 1.4).
type NoteTaking struct {
	NewNoteURL string `json:"new_note_url"`
}

func (p *processor) object(name string) *Value {
	v := p.root.Get(name)
	if v == nil {
		return nil
	}
	if v.Kind != Object {
		p.wrongType(name, v, Object)
		return nil
	}
	return v
}

// inScope gives the URL that a member of an object names, if it lies in the manifest's scope.
func (p *processor) inScope(o *Value, name, path string) (string, bool) {
	v, ok := p.str(o, name, path)
	if !ok {
		if v == nil {
			p.issue("ignored-value", path+name, o.Offset, strings.TrimSuffix(path, ".")+" is ignored: it lacks "+name, "")
		}
		return "", false
	}
	u, err := p.base.Parse(v.Text)
	if err != nil {
		p.ignored(path+name, v, fmt.Sprintf("%q is not a URL", v.Text), "")
		return "", false
	}
	if !p.out.WithinScope(u.Href(false)) {
		p.ignored(path+name, v, "it lies outside the scope "+p.out.Scope, "")
		return "", false
	}
	return u.Href(false), true
}

const (
	urlEncoded = "application/x-www-form-urlencoded"
	multipart  = "multipart/form-data"
)

func (p *processor) shareTarget() *ShareTarget {
	v := p.object("share_target")
	if v == nil {
		return nil
	}
	action, ok := p.inScope(v, "action", "share_target.")
	if !ok {
		return nil
	}
	s := &ShareTarget{Action: action, Method: "GET", Enctype: urlEncoded}
	if m, ok := p.str(v, "method", "share_target."); ok {
		if s.Method = strings.ToUpper(m.Text); s.Method != "GET" && s.Method != "POST" {
			p.ignored("share_target.method", m, fmt.Sprintf("there is no method %q here", m.Text), "GET or POST")
			return nil
		}
	}
	if e, ok := p.str(v, "enctype", "share_target."); ok {
		s.Enctype = strings.ToLower(e.Text)
		switch {
		case s.Enctype != urlEncoded && s.Enctype != multipart:
			p.ignored("share_target.enctype", e, fmt.Sprintf("forms are not sent as %q", e.Text), urlEncoded+" or "+multipart)
			return nil
		case s.Enctype == multipart && s.Method == "GET":
			p.ignored("share_target.enctype", e, "a GET request has no body", `add "method": "POST"`)
			return nil
		}
	}
	params := v.Get("params")
	if params == nil || params.Kind != Object {
		p.issue("ignored-value", "share_target", v.Offset, "share_target is ignored: it lacks params",
			`such as "params": {"title": "title", "url": "link"}`)
		return nil
	}
	for _, field := range []struct {
		name string
		to   *string
	}{{"title", &s.Params.Title}, {"text", &s.Params.Text}, {"url", &s.Params.URL}} {
		if t, ok := p.str(params, field.name, "share_target.params."); ok {
			*field.to = t.Text
		}
	}
	files := params.Get("files")
	if files == nil {
		return s
	}
	items := []*Value{files}
	if files.Kind == Array {
		items = files.Items
	}
	for i, item := range items {
		member := fmt.Sprintf("share_target.params.files[%d]", i)
		f, ok := p.shareFile(item, member)
		if !ok {
			return nil
		}
		if f != nil {
			s.Params.Files = append(s.Params.Files, *f)
		}
	}
	if len(s.Params.Files) > 0 && (s.Method != "POST" || s.Enctype != multipart) {
		p.ignored("share_target.params.files", files, "files come only by POST as "+multipart,
			`add "method": "POST" and "enctype": "`+multipart+`"`)
		return nil
	}
	return s
}

var acceptable = regexp.MustCompile(`^(\.[^/\s]+|[!#$%&'*+.^_|~0-9A-Za-z-]+/(\*|[!#$%&'*+.^_|~0-9A-Za-z-]+)(\s*;.*)?)$`)

// shareFile reads a field for files; ok is false when it makes the whole share target void.
func (p *processor) shareFile(item *Value, member string) (f *ShareFile, ok bool) {
	if item.Kind != Object {
		p.wrongType(member, item, Object)
		return nil, true
	}
	name, ok := p.str(item, "name", member+".")
	if !ok || name.Text == "" {
		p.issue("ignored-value", member, item.Offset, member+" is ignored: it lacks a name", "")
		return nil, true
	}
	f = &ShareFile{Name: name.Text}
	accept := item.Get("accept")
	if accept == nil {
		p.issue("ignored-value", member, item.Offset, member+" is ignored: it does not say what it accepts",
			`such as "accept": ["image/*", ".csv"]`)
		return nil, true
	}
	kinds := []*Value{accept}
	if accept.Kind == Array {
		kinds = accept.Items
	}
	for _, k := range kinds {
		if k.Kind != String {
			p.wrongValue(member+".accept", k, "a media type or an extension", "")
			continue
		}
		if text := strings.TrimSpace(k.Text); acceptable.MatchString(text) {
			f.Accept = append(f.Accept, text)
		} else if text != "" {
			p.ignored("share_target", k, fmt.Sprintf("%q is neither a media type nor an extension", k.Text),
				"such as image/* or .csv")
			return nil, false
		}
	}
	if len(f.Accept) == 0 {
		return nil, true
	}
	return f, true
}

func (p *processor) fileHandler(item *Value, member string) *FileHandler {
	if item.Kind != Object {
		p.wrongType(member, item, Object)
		return nil
	}
	action, ok := p.inScope(item, "action", member+".")
	if !ok {
		return nil
	}
	accept := item.Get("accept")
	if accept == nil || accept.Kind != Object {
		p.issue("ignored-value", member, item.Offset, member+" is ignored: it does not say which files it takes",
			`such as "accept": {"text/csv": [".csv"]}`)
		return nil
	}
	h := &FileHandler{Action: action, Accept: map[string][]string{}}
	for _, m := range accept.Members {
		if !strings.Contains(m.Name, "/") || !acceptable.MatchString(m.Name) {
			p.ignored(member+".accept", m.Value, fmt.Sprintf("%q is no media type", m.Name), "")
			continue
		}
		extensions := []*Value{m.Value}
		if m.Value.Kind == Array {
			extensions = m.Value.Items
		}
		h.Accept[m.Name] = []string{}
		for _, e := range extensions {
			if e.Kind == String && strings.HasPrefix(e.Text, ".") && len(e.Text) > 1 {
				h.Accept[m.Name] = append(h.Accept[m.Name], e.Text)
			} else {
				p.ignored(member+".accept", e, "extensions are texts that begin with a dot", "")
			}
		}
	}
	if len(h.Accept) == 0 {
		p.issue("ignored-value", member, item.Offset, member+" is ignored: it takes no files", "")
		return nil
	}
	if n, ok := p.str(item, "name", member+"."); ok {
		h.Name = strings.TrimSpace(n.Text)
	}
	h.Icons = p.images(item, "icons", member+".")
	if t, ok := p.str(item, "launch_type", member+"."); ok &&
		slices.Contains([]string{"single-client", "multiple-clients"}, t.Text) {
		h.LaunchType = t.Text
	}
	return h
}

// safelistedSchemes may be handled by web apps (HTML, 8.7.1.3).
var safelistedSchemes = []string{"bitcoin", "ftp", "ftps", "geo", "im", "irc", "ircs", "magnet", "mailto", "matrix",
	"mms", "news", "nntp", "openpgp4fpr", "sftp", "sip", "sms", "smsto", "ssh", "tel", "urn", "webcal", "wtai", "xmpp"}

var webScheme = regexp.MustCompile(`^web\+[a-z]+$`)

func (p *processor) protocolHandler(item *Value, member string) *ProtocolHandler {
	if item.Kind != Object {
		p.wrongType(member, item, Object)
		return nil
	}
	protocol, ok := p.str(item, "protocol", member+".")
	if !ok {
		if protocol == nil {
			p.issue("ignored-value", member, item.Offset, member+" is ignored: it lacks a protocol", "")
		}
		return nil
	}
	scheme := strings.ToLower(protocol.Text)
	if !webScheme.MatchString(scheme) && !slices.Contains(safelistedSchemes, scheme) {
		p.ignored(member+".protocol", protocol, fmt.Sprintf("web apps may not handle %q", protocol.Text),
			"begin a protocol of your own with web+, in small letters")
		return nil
	}
	v, ok := p.str(item, "url", member+".")
	if !ok {
		return nil
	}
	if !strings.Contains(v.Text, "%s") {
		p.ignored(member+".url", v, "it has no %s, which is where the address that was opened goes", "such as /open?what=%s")
		return nil
	}
	url, ok := p.inScope(item, "url", member+".")
	if !ok {
		return nil
	}
	return &ProtocolHandler{scheme, url}
}

var clientModes = []string{"auto", "navigate-new", "navigate-existing", "focus-existing"}

func (p *processor) launchHandler() *LaunchHandler {
	v := p.object("launch_handler")
	if v == nil {
		return nil
	}
	h := &LaunchHandler{"auto"}
	mode := v.Get("client_mode")
	if mode == nil {
		return h
	}
	modes := []*Value{mode}
	if mode.Kind == Array {
		modes = mode.Items
	}
	for _, m := range modes {
		if m.Kind == String && slices.Contains(clientModes, strings.ToLower(m.Text)) {
			h.ClientMode = strings.ToLower(m.Text)
			return h
		}
		mend := "one of " + strings.Join(clientModes, ", ")
		if near := spelling.Nearest(m.Text, clientModes); near != "" {
			mend = "did you mean " + near + "?"
		}
		p.ignored("launch_handler.client_mode", m, "there is no such mode: "+m.describe(), mend)
	}
	return h
}

func (p *processor) scopeExtension(item *Value, member string) *ScopeExtension {
	if item.Kind != Object {
		p.wrongType(member, item, Object)
		return nil
	}
	kind := "origin"
	if t, ok := p.str(item, "type", member+"."); ok {
		kind = t.Text
	}
	o, ok := p.str(item, "origin", member+".")
	if !ok || kind != "origin" {
		p.issue("ignored-value", member, item.Offset, member+" is ignored: it needs type and origin",
			`such as {"type": "origin", "origin": "https://tickets.skerry-line.example"}`)
		return nil
	}
	u, err := whatwg.Parse(o.Text)
	if err != nil || u.Scheme() != "https" {
		p.ignored(member+".origin", o, fmt.Sprintf("%q is no https origin", o.Text), "")
		return nil
	}
	return &ScopeExtension{"origin", weburl.Origin(u)}
}
