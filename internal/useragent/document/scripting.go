package document

import (
	"bytes"
	"cmp"
	"encoding/json"
	"fmt"
	"mime"
	"slices"
	"strings"
	"time"

	"golang.org/x/net/html/charset"

	"tachyform/internal/markup"
	"tachyform/internal/page"
	"tachyform/internal/request"
	"tachyform/internal/site"
	"tachyform/internal/useragent/account"
	"tachyform/internal/useragent/fetch"
	"tachyform/internal/useragent/serviceworker"
	"tachyform/internal/weburl"
)

// Realm is a window's global object with its scripts.
type Realm interface {
	// Command runs one of the environment's commands in a task.
	Command(name string, args ...any) (any, error)
	// Stop says why its scripts may not go on, nil while they may.
	Stop() error
	// Finish lets go of what is under way, Close gives back what it holds.
	Finish()
	Close()
	// Turns is how many tasks its scripts have had.
	Turns() int
	// FromDedicated gives it a message of a dedicated worker that it started.
	FromDedicated(id int, m serviceworker.Message)
	// What workers tell pages; see serviceworker.Window.
	PostMessage(from *serviceworker.Worker, m serviceworker.Message)
	WorkerChanged(w *serviceworker.Worker)
	RegistrationChanged(g *serviceworker.Registration, found bool)
}

// Start makes the realm of a page, StartWorker that of a dedicated worker.
type Start func(p *Page, s Settings) (Realm, error)

// StartWorker makes the realm of a dedicated worker.
type StartWorker func(p *Page, kind, name string) (WorkerRealm, error)

// WorkerRealm is a dedicated worker's global object.
type WorkerRealm interface {
	Realm
	ToDedicated(m serviceworker.Message)
}

// Settings are what a realm's document is made with.
type Settings struct {
	MediaType, Charset, Referrer string
	Quirks                       bool
	// Reload says that the page was loaded once more, NoEval that its policy lets no text become a script.
	Reload, NoEval bool
	// Parent and Top are the numbers of the windows around a frame, 0 for none.
	Parent, Top int
}

// Page is a window as its realm knows it; see environment.Page.
type Page struct{ c *window }

// scripting is the running of a window's scripts.
type scripting struct {
	realm Realm
	page  *Page
	// nodes are those of the document that are to be handed over, last the number of the one handed over last.
	nodes []*markup.Node
	at    int
	last  int
	// text is the document with all that was written into it, nil where that is not HTML.
	text []byte
	// ended says that the page is closed.
	ended bool
	// blocked is set while the parser waits for a script.
	blocked bool
	// deferred are scripts that run once the document is parsed, in their order; async are under way.
	deferred []*scriptElement
	async    int
	// parsed says that the whole document is there, fired that DOMContentLoaded was, loaded that load was.
	parsed, fired, loaded bool
	imports               *page.ImportMap
	// source is the document as it came, wrote says that scripts have written into it.
	source *page.Document
	wrote  bool
	// base is what a base element says that has come, "" for none.
	base   string
	texts  map[string]*moduleText
	inline int
	// ordered are scripts that scripts put into the page and that run in their order; fetching counts what scripts fetch, which
	// nothing waits for.
	ordered  []*scriptElement
	fetching int
}

// scriptElement is a script that is to run.
type scriptElement struct {
	// parsed is the number of the parser's element, -1 for one that a script made, which has a number of its own.
	parsed, number int
	module         bool
	url, text      string
	ready, failed  bool
}

// moduleText is a module that was fetched, or is being fetched.
type moduleText struct {
	text    string
	failed  bool
	done    bool
	needs   []string
	waiting []func()
}

// runDocument parses a document and runs its scripts where they stand (HTML, 13.2.7 and 8.1.4).
func (w *Windows) runDocument(c *window, d *page.Document, mediaType string) {
	nodes, quirks := parseAs(mediaType, d)
	s := &scripting{page: &Page{c}, nodes: nodes, texts: map[string]*moduleText{}, source: d}
	var err error
	settings := Settings{MediaType: mediaType, Charset: d.Charset, Quirks: quirks, Referrer: c.referrer, Reload: c.reload,
		NoEval: !c.settings.policy.AllowsEval()}
	if c.holds != nil {
		settings.Parent, settings.Top = c.holds.ID, c.top().ID
	}
	if s.realm, err = w.StartRealm(s.page, settings); err != nil {
		w.Workers.Account.Note(account.Note{Level: "error", Text: err.Error(), Where: c.URL})
		if c.whenLoaded != nil {
			c.whenLoaded()
		}
		return
	}
	if mediaType == "text/html" {
		s.text = d.Decoded()
	}
	c.scripts = s
	c.pending++ // until the document is parsed
	w.clock().After(0, func() { c.parse() })
}

// parseAs parses a document by its media type.
func parseAs(mediaType string, d *page.Document) (nodes []*markup.Node, quirks bool) {
	if mediaType != "text/html" {
		if nodes, err := markup.XMLNodes(string(d.Decoded())); err == nil {
			return nodes, false
		}
	}
	return markup.Nodes(d.Decoded())
}

// command runs a command of the realm while the page is open.
func (c *window) command(name string, args ...any) any {
	if !c.runs() || c.Closed {
		return nil
	}
	v, _ := c.scripts.realm.Command(name, args...)
	return v
}

// parse hands the document over, up to the next script that the parser waits for.
func (c *window) parse() {
	s := c.scripts
	for !s.blocked && !s.ended && !c.Closed && s.realm.Stop() == nil {
		if s.at >= len(s.nodes) {
			c.parsed()
			return
		}
		from := s.at
		var element *markup.Node
		for ; s.at < len(s.nodes); s.at++ {
			n := s.nodes[s.at]
			if element != nil && n.Parent != element {
				break
			}
			if element == nil && n.Kind == markup.ElementNode && n.Name == "script" && !inTemplate(n) {
				element = n
			}
			if href, ok := n.Lookup("href"); ok && n.Kind == markup.ElementNode && n.Name == "base" && s.base == "" && !inTemplate(n) {
				s.base, _ = page.Resolve(c.URL, href)
			}
		}
		c.handOver(s.nodes[from:s.at])
		if element != nil {
			c.prepare(element, s.nodes[from:s.at])
		}
	}
}

func inTemplate(n *markup.Node) bool {
	for ; n != nil; n = n.Parent {
		if n.Kind == markup.ContentNode {
			return true
		}
	}
	return false
}

func (c *window) handOver(nodes []*markup.Node) {
	if len(nodes) == 0 {
		return
	}
	text, _ := json.Marshal(c.in.NodeItems(nodes, c.scripts.last))
	c.scripts.last += len(nodes)
	c.command("parse", string(text))
}

// scriptKind is the type of a script element (HTML, 4.12.1.1, "prepare the script element", steps 8 to 12), "" for none.
func scriptKind(n *markup.Node) string {
	kind, has := n.Lookup("type")
	if language := n.Get("language"); !has && language != "" {
		kind = "text/" + language
	}
	switch kind = strings.ToLower(strings.TrimSpace(kind)); {
	case kind == "module" || kind == "importmap":
		return kind
	case kind == "" || site.IsJavaScript(kind):
		return "classic"
	}
	return ""
}

// prepare is "prepare the script element" for one that the parser made.
func (c *window) prepare(n *markup.Node, nodes []*markup.Node) {
	if c.settings.scriptless {
		return
	}
	var text strings.Builder
	for _, t := range nodes {
		if t.Parent == n && t.Kind == markup.TextNode {
			text.WriteString(t.Text)
		}
	}
	src, external := scriptSource(n)
	kind := scriptKind(n)
	_, noModule := n.Lookup("nomodule")
	if kind == "" || kind == "classic" && noModule || !external && strings.TrimSpace(text.String()) == "" {
		return
	}
	_, async := n.Lookup("async")
	_, deferred := n.Lookup("defer")
	e := &scriptElement{parsed: n.Number, text: text.String(), module: kind == "module"}
	s := c.scripts
	if kind == "importmap" {
		if !external {
			s.imports = page.ParseImportMap(c.base(), e.text)
		}
		return
	}
	if !external {
		if !c.settings.policy.AllowsInline(e.text, n.Get("nonce")) {
			c.in.Workers.Account.Note(account.Note{Level: "error", Text: "an inline script is not run: the page's " +
				"Content-Security-Policy does not allow it", Where: c.URL})
			return
		}
		if !e.module {
			e.ready, e.url = true, c.URL
			c.block(e)
			return
		}
		s.inline++
		e.url = fmt.Sprintf("%s#module-%d", weburl.WithoutFragment(c.URL), s.inline)
		c.keepModule(e.url, []byte(e.text), c.base())
		c.queueModule(e, async)
		return
	}
	url, ok := resolveScript(c.base(), src)
	if !ok {
		c.in.clock().After(0, func() { c.command("elementEvent", e.parsed, 0, "error") })
		return
	}
	e.url = url
	if e.module {
		c.fetchModule(url, c.scriptReference(n.Lookup, url, true), func() {})
		c.queueModule(e, async)
		return
	}
	ref := c.scriptReference(n.Lookup, url, false)
	came := func() {}
	switch {
	case async:
		s.async++
		came = func() { s.async--; c.runClassic(e); c.settled() }
	case deferred:
		s.deferred = append(s.deferred, e)
		came = c.runDeferred
	default:
		c.block(e)
		came = func() { c.unblock(e) }
	}
	c.fetchScript(ref, func(text string, ok bool) {
		e.text, e.failed, e.ready = text, !ok, true
		came()
	})
}

// scriptSource is where a script's text lies; those of SVG say it in another way.
func scriptSource(n *markup.Node) (string, bool) {
	if n.Namespace != "svg" {
		return n.Lookup("src")
	}
	if href, ok := n.Lookup("href"); ok {
		return href, true
	}
	for _, a := range n.Attr {
		if a.Key == "href" && a.Namespace == "xlink" {
			return a.Val, true
		}
	}
	return "", false
}

// resolveScript gives the address of a script, which may be its text.
func resolveScript(base, src string) (string, bool) {
	if src = strings.TrimSpace(src); len(src) > 5 && strings.EqualFold(src[:5], "data:") {
		return src, true
	}
	return page.Resolve(base, src)
}

// scriptReference is the request of a script element.
func (c *window) scriptReference(lookup func(string) (string, bool), url string, module bool) page.Reference {
	get := func(name string) string {
		value, _ := lookup(name)
		return value
	}
	r := page.Reference{URL: url, Destination: request.Script, Mode: request.NoCORS, Credentials: "include", From: c.URL,
		Nonce: get("nonce"), Integrity: get("integrity"), Module: module, Charset: get("charset")}
	if module && r.Integrity == "" {
		r.Integrity = c.scripts.imports.IntegrityOf(url)
	}
	r.NoReferrer = strings.EqualFold(strings.TrimSpace(get("referrerpolicy")), "no-referrer")
	cross, has := lookup("crossorigin")
	switch {
	case strings.EqualFold(strings.TrimSpace(cross), "use-credentials"):
		r.Mode, r.Credentials = request.CORS, "include"
	case module || has:
		r.Mode, r.Credentials = request.CORS, "same-origin"
	}
	return r
}

func (c *window) base() string {
	if c.scripts != nil && !c.Worker {
		return cmp.Or(c.scripts.base, c.URL)
	}
	if c.document != nil && c.document.Base != "" {
		return c.document.Base
	}
	return c.URL
}

// block lets the parser wait for a script, and for the style sheets before it.
func (c *window) block(e *scriptElement) {
	c.scripts.blocked = true
	if e.ready {
		c.unblock(e)
	}
}

func (c *window) unblock(e *scriptElement) {
	if c.styles.pending > 0 {
		c.styles.waiting = append(c.styles.waiting, func() { c.unblock(e) })
		return
	}
	c.scripts.blocked = false
	written := c.runClassic(e)
	if written != "" {
		c.write(e, written)
	}
	c.in.clock().After(0, c.parse)
}

// write puts what a script wrote before the rest of the document (HTML, 8.4.3).
func (c *window) write(e *scriptElement, text string) {
	s := c.scripts
	s.wrote = true
	c.loadMarkup(text)
	if s.insert(e, text) {
		return
	}
	s.text = nil // what follows no longer stands where it says
	var parent *markup.Node
	for _, n := range s.nodes[:s.at] {
		if n.Number == e.parsed {
			parent = n.Parent
		}
	}
	context := "body"
	if parent != nil {
		context = parent.Name
	}
	more := markup.Fragment(text, context, "")
	for _, n := range more {
		if n.Parent == nil {
			n.Parent = parent
		}
	}
	s.nodes = append(s.nodes[:s.at:s.at], append(more, s.nodes[s.at:]...)...)
}

// mostWritten bounds the text of a document that scripts write into, in bytes.
const mostWritten = 4 << 20

// insert puts what a script wrote into the document's text, behind the script's element, and has the rest parsed anew;
// false where that would change what has been handed over already.
func (s *scripting) insert(e *scriptElement, text string) bool {
	if s.text == nil || len(s.text)+len(text) > mostWritten {
		return false
	}
	scripts := 0
	for _, n := range s.nodes[:s.at] {
		if n.Kind == markup.ElementNode && n.Name == "script" {
			scripts++
		}
		if n.Number == e.parsed {
			break
		}
	}
	end := 0
	for token := range markup.Tokens(s.text) {
		if token.Kind == markup.EndTag && token.Name == "script" {
			if scripts--; scripts == 0 {
				end = token.End
				break
			}
		}
	}
	if end == 0 {
		return false
	}
	written := slices.Concat(s.text[:end], []byte(text), s.text[end:])
	nodes, _ := markup.Nodes(written)
	if len(nodes) < s.at {
		return false
	}
	for i, old := range s.nodes[:s.at] {
		if nodes[i].Kind != old.Kind || nodes[i].Name != old.Name || nodes[i].Text != old.Text {
			return false
		}
	}
	for i, old := range s.nodes[:s.at] {
		nodes[i].Number = old.Number
	}
	s.text, s.nodes = written, nodes
	return true
}

// loadMarkup loads what elements in a text ask for, all but scripts.
func (c *window) loadMarkup(text string) {
	d := page.ParseDocument(c.base(), "text/html;charset=utf-8", []byte(text))
	for _, r := range d.References {
		if r.Inline == nil && r.Destination != request.Script || r.Preload {
			c.in.load(c, r, 1)
		}
	}
}

// runClassic runs a script that has come; it gives what the script wrote into the document.
func (c *window) runClassic(e *scriptElement) (written string) {
	if e.failed {
		c.command("elementEvent", e.parsed, e.number, "error")
		return ""
	}
	written, _ = c.command("runScript", e.parsed, e.number, transform(e.text, e.url), e.url).(string)
	if e.url != c.URL || e.parsed < 0 {
		c.command("elementEvent", e.parsed, e.number, "load")
	}
	return written
}

// queueModule lets a module run once all that it needs is there: in its order after parsing, or as soon as it can.
func (c *window) queueModule(e *scriptElement, async bool) {
	s := c.scripts
	if !async {
		s.deferred = append(s.deferred, e)
	} else {
		s.async++
	}
	c.whenComplete(e.url, func(ok bool) {
		e.ready, e.failed = true, !ok
		if async {
			c.runModule(e)
			return
		}
		c.runDeferred()
	})
}

func (c *window) runModule(e *scriptElement) {
	if e.failed {
		c.command("elementEvent", e.parsed, e.number, "error")
		c.scripts.async--
		c.settled()
		return
	}
	c.command("runModule", e.parsed, e.number, e.url)
}

// runDeferred runs those of the deferred scripts whose turn it is, once the document is parsed.
func (c *window) runDeferred() {
	s := c.scripts
	if !s.parsed || s.ended || c.Closed {
		return
	}
	for len(s.deferred) > 0 && s.deferred[0].ready {
		if c.styles.pending > 0 {
			c.styles.waiting = append(c.styles.waiting, c.runDeferred)
			return
		}
		e := s.deferred[0]
		s.deferred = s.deferred[1:]
		if e.module {
			s.async++
			c.runModule(e)
		} else {
			c.runClassic(e)
		}
	}
	if len(s.deferred) == 0 && !s.fired {
		s.fired = true
		c.in.clock().After(0, func() {
			c.command("fireAt", "document", "DOMContentLoaded", true)
			c.command("startMessages")
			c.pending--
			c.settled()
		})
	}
}

// parsed is the end of the document (HTML, 13.2.7, "the end").
func (c *window) parsed() {
	s := c.scripts
	if s.parsed {
		return
	}
	s.parsed = true
	c.command("readyState", "interactive")
	c.runDeferred()
}

// settled fires load once nothing is under way that it waits for.
func (c *window) settled() {
	s := c.scripts
	if s == nil || s.ended || !s.fired || s.loaded || s.async > 0 || c.pending > s.fetching || c.Closed {
		return
	}
	s.loaded = true
	c.in.clock().After(0, func() {
		c.command("readyState", "complete")
		c.command("fireAt", "window", "load", false)
		c.command("fireAt", "window", "pageshow", false)
		if c.whenLoaded != nil {
			c.whenLoaded()
		}
		if p := c.in.Present; p != nil && !c.Frame && !c.view.Registers &&
			weburl.OriginOf(c.URL) == weburl.OriginOf(p.Script) {
			c.in.register(c, *p)
		}
	})
}

// fetchScript fetches a script for an element, through what loads everything else.
func (c *window) fetchScript(ref page.Reference, done func(text string, ok bool)) {
	if early := c.seen[ref.URL+" "+string(ref.Destination)]; early != nil && (early.Ahead || early.Preload) && !early.taken {
		early.taken = true
		take := func() { c.takeEarly(early, ref, done) }
		if early.Done {
			c.in.clock().After(0, take)
		} else {
			early.waiting = append(early.waiting, take)
		}
		return
	}
	l := &Load{Reference: ref}
	c.view.Loads = append(c.view.Loads, l)
	c.seen[ref.URL+" "+string(ref.Destination)] = l
	if !c.settings.policy.Allows(ref.Destination, ref.URL, ref.Nonce) {
		l.Done, l.Missing, l.Why = true, true, fetch.Failure{Kind: fetch.PolicyForbids}
		c.in.clock().After(0, func() { done("", false) })
		return
	}
	c.pending++
	c.fetch(c.createRequest(ref), func(resp *fetch.Response, how fetch.Answerer) {
		c.pending--
		c.in.judge(c, l, resp, how)
		if c.Closed {
			return
		}
		text, ok := "", !l.Missing && !l.Refused
		if ok && resp.Actual().Body != nil {
			text, ok = c.scriptText(ref, resp.Actual())
		}
		done(text, ok)
		c.settled()
	})
}

// takeEarly goes on with a script that a link has asked for ahead.
func (c *window) takeEarly(early *Load, ref page.Reference, done func(text string, ok bool)) {
	if c.scripts.ended {
		return
	}
	l := *early
	l.Module, l.Integrity = ref.Module, ref.Integrity
	text, ok := "", c.in.judge(c, &l, early.came, early.how) && !l.Missing && !l.Refused
	if ok && early.came.Actual().Body != nil {
		text, ok = c.scriptText(ref, early.came.Actual())
	}
	early.Refused, early.Why = l.Refused, l.Why
	done(text, ok)
	c.settled()
}

// scriptText decodes the text of a script, and makes modules of what is none; false where it is not what was asked for.
func (c *window) scriptText(ref page.Reference, answer *fetch.Response) (text string, ok bool) {
	data, _ := answer.Body.Bytes()
	contentType := answer.Get("content-type")
	if !ref.Module {
		fallback := ref.Charset
		if fallback == "" && c.document != nil {
			fallback = c.document.Charset
		}
		return decodeScript(data, contentType, fallback), true
	}
	text = decodeScript(data, "", "utf-8")
	kind := site.Essence(contentType)
	switch isJSON := kind == "application/json" || kind == "text/json" || strings.HasSuffix(kind, "+json"); {
	case ref.Destination == request.JSON:
		return "export default " + text, isJSON && json.Valid([]byte(text))
	case ref.Destination == request.Style:
		quoted, _ := json.Marshal(text)
		return "const sheet = new CSSStyleSheet(); sheet.replaceSync(" + string(quoted) + "); export default sheet;",
			kind == "text/css"
	default:
		return text, !isJSON && kind != "text/css"
	}
}

// decodeScript decodes a script by its byte order mark, its media type or else what is given (HTML, "fetch a classic
// script").
func decodeScript(data []byte, contentType, fallback string) string {
	label := fallback
	if _, params, err := mime.ParseMediaType(contentType); err == nil && params["charset"] != "" {
		if e, _ := charset.Lookup(params["charset"]); e != nil {
			label = params["charset"]
		}
	}
	if bytes.HasPrefix(data, []byte("\xef\xbb\xbf")) {
		label, data = "utf-8", data[3:]
	}
	e, name := charset.Lookup(label)
	if e != nil && name != "utf-8" {
		if decoded, err := e.NewDecoder().Bytes(data); err == nil {
			return string(decoded)
		}
	}
	return strings.ToValidUTF8(string(data), "\ufffd")
}

// keepModule takes in the text of a module and fetches what it imports.
func (c *window) keepModule(url string, text []byte, base string) {
	m := c.scripts.texts[url]
	if m == nil {
		m = &moduleText{}
		c.scripts.texts[url] = m
	}
	m.done, m.text = true, transform(string(text), url)
	read := c.in.Reader.Script(base, text).At(base, c.scripts.imports)
	if len(read.Unresolved) > 0 {
		m.failed = true
		c.in.Workers.Account.Note(account.Note{Level: "error", Where: url,
			Text: fmt.Sprintf("TypeError: the module name %q cannot be resolved", read.Unresolved[0])})
	}
	for _, r := range read.References {
		if r.Runs || !r.Module {
			continue
		}
		m.needs = append(m.needs, r.URL)
		r.Integrity = c.scripts.imports.IntegrityOf(r.URL)
		c.fetchModule(r.URL, r, func() {})
	}
	for _, f := range m.waiting {
		f()
	}
	m.waiting = nil
}

// fetchModule is "fetch a single module script" with the module map (HTML, 8.1.4.2), and what the module imports.
func (c *window) fetchModule(url string, ref page.Reference, done func()) {
	if m := c.scripts.texts[url]; m != nil {
		if m.done {
			done()
		} else {
			m.waiting = append(m.waiting, done)
		}
		return
	}
	m := &moduleText{waiting: []func(){done}}
	c.scripts.texts[url] = m
	c.fetchScript(ref, func(text string, ok bool) {
		if !ok {
			m.done, m.failed = true, true
			for _, f := range m.waiting {
				f()
			}
			m.waiting = nil
			return
		}
		c.keepModule(url, []byte(text), url)
	})
}

// whenComplete tells once a module and all that it needs, in turn, is there, and whether nothing failed.
func (c *window) whenComplete(url string, done func(ok bool)) {
	seen := map[string]bool{}
	var look func()
	look = func() {
		clear(seen)
		complete, failed := true, false
		var wait *moduleText
		var visit func(url string)
		visit = func(url string) {
			if seen[url] {
				return
			}
			seen[url] = true
			m := c.scripts.texts[url]
			if m == nil || !m.done {
				complete, wait = false, m
				return
			}
			failed = failed || m.failed
			for _, n := range m.needs {
				visit(n)
			}
		}
		visit(url)
		switch {
		case failed:
			done(false)
		case complete:
			done(true)
		case wait != nil:
			wait.waiting = append(wait.waiting, look)
		}
	}
	c.in.clock().After(0, look)
}

// transform gives a script that the engine can run: import() has to wait for the network, and import.meta to know its
// place, which the engine can't by itself.
func transform(text, url string) string {
	const word = "import"
	if !strings.Contains(text, word) {
		return text
	}
	quoted, _ := json.Marshal(url)
	var out strings.Builder
	from := 0
	for at := 0; ; {
		next := strings.Index(text[at:], word)
		if next < 0 {
			break
		}
		start := at + next
		at = start + len(word)
		if start > 0 && (isNamePart(text[start-1]) || strings.IndexByte("\"'`", text[start-1]) >= 0) {
			continue // part of a name, or the beginning of a string
		}
		rest := strings.TrimLeft(text[at:], " \t\r\n")
		end := len(text) - len(rest)
		replacement := ""
		switch {
		case strings.HasPrefix(rest, "("):
			replacement, end = "__tachyform_import("+string(quoted)+",", end+1
		case strings.HasPrefix(rest, "."):
			rest = strings.TrimLeft(rest[1:], " \t\r\n")
			if !strings.HasPrefix(rest, "meta") || len(rest) > 4 && isNamePart(rest[4]) && rest[4] != '.' {
				continue
			}
			replacement, end = "__tachyform_meta("+string(quoted)+")", len(text)-len(rest)+4
		default:
			continue
		}
		out.WriteString(text[from:start])
		out.WriteString(replacement)
		from, at = end, end
	}
	out.WriteString(text[from:])
	return out.String()
}

// isNamePart says whether a character before or behind a word makes it part of another one.
func isNamePart(c byte) bool {
	return c == '_' || c == '$' || c == '.' || c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= '0' && c <= '9' ||
		c >= 0x80
}

// The methods of Page are what the realm asks for.

// Address is that of the document now.
func (p *Page) Address() string { return p.c.URL }

// Current says whether the page is open.
func (p *Page) Current() bool { return !p.c.Closed }

// Origin is that of the document.
func (p *Page) Origin() string { return p.c.origin() }

// Client is the page as service workers know it.
func (p *Page) Client() *serviceworker.Client { return p.c.Client }

// Session names the storage of the page's tab.
func (p *Page) Session() string { return fmt.Sprintf("%p", p.c.tab) }

// Fetch makes a request of a script.
func (p *Page) Fetch(req *fetch.Request, done func(*fetch.Response)) {
	c := p.c
	l := &Load{Reference: page.Reference{URL: weburl.WithoutFragment(req.URL), Destination: req.Destination, Mode: req.Mode,
		Credentials: req.Credentials, From: c.URL, Runs: true}}
	c.view.Loads = append(c.view.Loads, l)
	if req.Referrer == "about:client" || req.Referrer == "" {
		req.Referrer = c.URL
	}
	if !slices.ContainsFunc(req.Header, func(h [2]string) bool { return strings.EqualFold(h[0], "accept") }) {
		req.Header = append([][2]string{{"accept", "*/*"}}, req.Header...)
	}
	if !c.settings.policy.Allows(request.Data, req.URL, "") {
		l.Done, l.Missing, l.Why = true, true, fetch.Failure{Kind: fetch.PolicyForbids}
		c.in.clock().After(0, func() { done(nil) })
		return
	}
	c.pending++
	s := c.scripts
	s.fetching++
	c.fetch(req, func(resp *fetch.Response, how fetch.Answerer) {
		c.pending--
		s.fetching--
		l.Done = true
		if resp == nil {
			l.Missing, l.Why = true, fetch.FailureBy(how)
		} else {
			actual := resp.Actual()
			l.Status, l.Source, l.Bytes = actual.Status, resp.Source, fetch.BodyLen(actual.Body)
			l.Unknown = actual.Unknown
			if actual.Status >= 400 && !actual.Unknown {
				l.Missing, l.Why = true, fetch.Failure{Kind: fetch.BadStatus, Status: actual.Status}
			}
		}
		if !c.Closed {
			done(resp)
		}
	})
}

// Element loads what an element asks for that a script made.
func (p *Page) Element(text string) { p.c.loadMarkup(text) }

// Script loads a script that a script put into the page.
func (p *Page) Script(number int, element string) {
	c := p.c
	var in struct {
		Kind, Src, Text, Markup string
		Async                   bool
	}
	if json.Unmarshal([]byte(element), &in) != nil || c.settings.scriptless {
		return
	}
	s := c.scripts
	e := &scriptElement{parsed: -1, number: number, module: in.Kind == "module", text: in.Text}
	nodes := markup.Fragment(in.Markup+"</script>", "div", "")
	get := func(name string) (string, bool) {
		for _, n := range nodes {
			if n.Name == "script" {
				return n.Lookup(name)
			}
		}
		return "", false
	}
	if in.Kind == "importmap" {
		s.imports = page.ParseImportMap(c.base(), in.Text)
		return
	}
	if in.Src == "" && e.module {
		s.inline++
		e.url = fmt.Sprintf("%s#module-%d", weburl.WithoutFragment(c.URL), s.inline)
		c.keepModule(e.url, []byte(e.text), c.base())
		c.queueInserted(e, in.Async)
		return
	}
	url, ok := resolveScript(c.base(), in.Src)
	if !ok {
		c.in.clock().After(0, func() { c.command("elementEvent", -1, number, "error") })
		return
	}
	e.url = url
	if e.module {
		c.fetchModule(url, c.scriptReference(get, url, true), func() {})
		c.queueInserted(e, in.Async)
		return
	}
	s.async++
	if !in.Async {
		s.ordered = append(s.ordered, e)
	}
	c.fetchScript(c.scriptReference(get, url, false), func(text string, ok bool) {
		e.text, e.failed, e.ready = text, !ok, true
		if in.Async {
			s.async--
			c.runClassic(e)
			return
		}
		c.runOrdered()
	})
}

// queueInserted lets a module run that a script put into the page: as soon as it can, or in its order.
func (c *window) queueInserted(e *scriptElement, async bool) {
	if async {
		c.queueModule(e, true)
		return
	}
	s := c.scripts
	s.async++
	s.ordered = append(s.ordered, e)
	c.whenComplete(e.url, func(ok bool) {
		e.ready, e.failed = true, !ok
		c.runOrdered()
	})
}

// runOrdered runs those scripts that scripts put into the page and whose turn it is.
func (c *window) runOrdered() {
	s := c.scripts
	for len(s.ordered) > 0 && s.ordered[0].ready && !s.ended {
		next := s.ordered[0]
		s.ordered = s.ordered[1:]
		if next.module {
			c.runModule(next)
			continue
		}
		s.async--
		c.runClassic(next)
	}
}

// ModuleDone tells what became of a module.
func (p *Page) ModuleDone(parsed, number int, ok bool) {
	c := p.c
	c.in.clock().After(0, func() {
		if !c.runs() {
			return
		}
		c.scripts.async--
		if ok {
			c.command("elementEvent", parsed, number, "load")
		}
		c.settled()
	})
}

// Import fetches a module with all that it needs.
func (p *Page) Import(specifier, referrer, text string, local bool, done func(string, error)) {
	c := p.c
	base := referrer
	if strings.Contains(base, "#module-") {
		base = c.base()
	}
	url, ok := c.scripts.imports.Resolve(base, specifier)
	if strings.HasPrefix(specifier, "data:") || local {
		url, ok = specifier, true
	}
	if local && c.scripts.texts[url] == nil {
		c.keepModule(url, []byte(text), url)
	}
	if !ok {
		c.in.clock().After(0, func() { done("", fmt.Errorf("TypeError: the module name %q cannot be resolved", specifier)) })
		return
	}
	get := func(string) (string, bool) { return "", false }
	c.fetchModule(url, c.scriptReference(get, url, true), func() {})
	c.whenComplete(url, func(ok bool) {
		if !ok {
			done("", fmt.Errorf("TypeError: Failed to fetch dynamically imported module: %s", url))
			return
		}
		done(url, nil)
	})
}

// ModuleText is the text of a module that has been fetched.
func (p *Page) ModuleText(url string) (string, error) {
	if m := p.c.scripts.texts[url]; m != nil && m.done && !m.failed {
		return m.text, nil
	}
	return "", fmt.Errorf("the module %s is not there", url)
}

// ResolveModule resolves a module's name.
func (p *Page) ResolveModule(base, name string) (string, error) {
	if m := p.c.scripts.texts[name]; strings.Contains(name, "#module-") || m != nil && m.done {
		return name, nil
	}
	if base == "" || strings.Contains(base, "#module-") {
		base = p.c.base()
	}
	if url, ok := p.c.scripts.imports.Resolve(base, name); ok {
		return url, nil
	}
	return "", fmt.Errorf("the module name %q cannot be resolved", name)
}

// AllowsInline says whether the page's policies let an inline script run.
func (p *Page) AllowsInline(text, nonce string) bool {
	return p.c.settings.policy.AllowsInline(text, nonce)
}

// SetBase changes what addresses start from, as scripts have it.
func (p *Page) SetBase(url string) { p.c.scripts.base = url }

// SetAddress changes the address without a navigation.
func (p *Page) SetAddress(url string) { p.c.URL = url }

// maxNavigations bounds how often scripts send a tab on: a tab that has loaded five documents in one step never comes
// to rest.
const maxNavigations = 4

// Navigate leaves the page.
func (p *Page) Navigate(url string, _ bool) { p.c.leaveFor(url, p.c.passage()) }

// leaveFor is a navigation that a script starts.
func (c *window) leaveFor(url string, by passage) {
	if c.Closed || c.tab == nil || c.tab.window != nil && c.tab.window != c {
		return
	}
	if c.tab.moved++; c.tab.moved > maxNavigations {
		return
	}
	c.in.startNavigation(url, c.tab, by, func() {})
}

// Reload loads the page anew.
func (p *Page) Reload() { p.c.leaveFor(p.c.URL, passage{referrer: p.c.referrer, reload: true}) }

// Register is a call of navigator.serviceWorker.register.
func (p *Page) Register(r page.Registration, done func(error)) { p.c.in.registerFor(p.c, r, done) }

// Failed notes an error that no script of the page caught.
func (p *Page) Failed(name, text string) {
	if v := p.c.top().view; len(v.Errors) < mostErrors {
		v.Errors = append(v.Errors, ScriptError{name, text})
	}
}

// Frame is the number of the window of a frame at an address, 0 for none.
func (p *Page) Frame(url string) int {
	for _, f := range p.c.frames {
		if f.asked != nil && f.asked[0] == weburl.WithoutFragment(url) || f.URL == url {
			return f.ID
		}
	}
	return 0
}

// PostMessage gives another window a message.
func (p *Page) PostMessage(window int, message, targetOrigin string) {
	c := p.c
	to := c.top().find(window)
	if to == nil || targetOrigin != "*" && targetOrigin != to.origin() {
		return
	}
	c.in.clock().After(0, func() { to.command("windowMessage", message, c.origin(), c.ID) })
}

// StorageChanged tells other windows of a change to an area that they share (HTML, 12.2.1, "broadcast").
func (p *Page) StorageChanged(area, change string) {
	c := p.c
	var tell func(w *window)
	tell = func(w *window) {
		if w == nil {
			return
		}
		if w != c && w.runs() && !w.Worker && w.origin() == c.origin() {
			url := c.URL
			c.in.clock().After(0, func() { w.command("storageEvent", area, change, url) })
		}
		for _, f := range w.frames {
			tell(f)
		}
	}
	for _, t := range c.in.tabs {
		if area == "local" || t == c.top().tab {
			tell(t.window)
		}
	}
}

// find gives the window of a number, among this one and its frames.
func (c *window) find(id int) *window {
	if c.ID == id {
		return c
	}
	for _, f := range c.frames {
		if found := f.find(id); found != nil {
			return found
		}
	}
	return nil
}

// Matches says whether a media query holds.
func (p *Page) Matches(query string) bool { return p.c.in.Reader.Matches(query) }

// rest is how long a page may go on with timers and requests before it counts as drawn.
const rest = 5 * time.Second

// draw lets a page's scripts come to rest, and takes over the document as they have left it.
func (c *window) draw() {
	s := c.scripts
	if s == nil || s.ended {
		return
	}
	w := c.in
	w.clock().Run(func() bool { return c.pending == 0 }, w.clock().Now+Limit)
	w.clock().Settle(rest, Limit)
	w.clock().Run(func() bool { return c.pending == 0 }, w.clock().Now+rest)
	if c.Closed {
		return
	}
	c.takeOver()
}

// takeOver takes over the document as the page's scripts have left it.
func (c *window) takeOver() {
	w, s := c.in, c.scripts
	if s == nil || s.ended || c.Closed || c.turns == s.realm.Turns() {
		return
	}
	text, ok := c.command("snapshot", s.wrote).(string)
	if !ok {
		return
	}
	c.view.Shadows = Shadows{}
	if shadows, _ := c.command("shadows").(string); shadows != "" {
		_ = json.Unmarshal([]byte(shadows), &c.view.Shadows) // it is our own
	}
	c.turns = s.realm.Turns()
	c.view.FinalURL = c.URL
	if text != "" {
		c.document = w.Reader.Document(c.URL, "text/html;charset=utf-8", []byte(text)).PlacedBy(s.source)
		c.view.Document, c.view.Title, c.view.Scripted = c.document, c.document.Title, true
	}
	w.style(c)
	w.clock().Run(func() bool { return c.pending == 0 }, w.clock().Now+rest)
}
