package document

import (
	"cmp"
	"encoding/json"
	"slices"
	"strings"
	"time"

	"tachyform/internal/markup"
	"tachyform/internal/page"
	"tachyform/internal/request"
	"tachyform/internal/useragent/account"
	"tachyform/internal/useragent/fetch"
	"tachyform/internal/useragent/realm"
	"tachyform/internal/useragent/serviceworker"
	"tachyform/internal/useragent/structured"
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
	// Freeze holds back all of its tasks until Thaw, since its document is kept for going back.
	Freeze()
	Thaw()
	HoldsLocks() bool
	// ChargeText counts against the limits of scripts that the browser parses so many bytes for them.
	ChargeText(size int)
	// Turns is how many tasks its scripts have had.
	Turns() int
	// FromDedicated gives it a message of a dedicated worker that it started.
	FromDedicated(id int, m serviceworker.Message)
	// What workers tell pages; see serviceworker.Window.
	PostMessage(from *serviceworker.Worker, m serviceworker.Message)
	WorkerChanged(w *serviceworker.WorkerView)
	RegistrationChanged(g serviceworker.RegistrationView, found bool)
}

// Start makes the realm of a page. beside, if set, is a realm whose scripts may reach its objects; with successor it takes
// over the global object of that one.
type Start func(p *Page, s realm.Settings, beside Realm, successor bool) (WindowRealm, error)

// WindowRealm is a realm of a page or frame.
type WindowRealm interface {
	Realm
	// Restart has it go on with the document that takes the place of the empty one that its window began with.
	Restart(p *Page, s realm.Settings) error
	// Traverse goes to another place in the history of its document, by the key of its entry.
	Traverse(url string, state *structured.Value, key int)
}

// StartWorker makes the realm of a dedicated or shared worker.
type StartWorker func(p *Page, o serviceworker.WorkerOptions) (WorkerRealm, error)

// WorkerRealm is the global object of a dedicated or shared worker.
type WorkerRealm interface {
	Realm
	// ToWorker gives it a message, a shared one a connection.
	ToWorker(m serviceworker.Message)
}

// scripting is the running of the scripts of a document or worker (HTML, 8.1).
type scripting struct {
	window *window
	realm  Realm
	// before is the realm of the document that the frame showed before, whose global object goes on to this one's.
	before Realm
	page   *Page
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
	// ahead says that part of what the running script wrote has been handed over already.
	ahead bool
	// base is what a base element says that has come, "" for none.
	base  string
	texts map[string]*moduleText
	// classic are the fetch options of classic scripts by their addresses; those of the document's own scripts are together.
	classic map[string]fetchOptions
	inline  int
	// ordered are scripts that scripts put into the page and that run in their order; fetching counts what scripts fetch, which
	// nothing waits for.
	ordered  []*scriptElement
	fetching int
}

// runDocument parses a document and runs its scripts where they stand (HTML, 13.2.7 and 8.1.4).
func (w *Windows) runDocument(c *window, d *page.Document, mediaType string) {
	if !c.startScripting(d, mediaType, false) {
		c.scripts = nil
		if c.whenLoaded != nil {
			c.whenLoaded()
		}
		return
	}
	c.pending++ // until the document is parsed
	w.clock().After(0, func() { c.scripts.parse() })
}

// startScripting makes the realm of a window, with an empty document that is to take the nodes of d; complete says that
// nothing of it runs and that it has loaded already.
func (c *window) startScripting(d *page.Document, mediaType string, complete bool) bool {
	nodes, quirks := parseAs(mediaType, d)
	quirks = quirks && c.URL != "about:srcdoc" // HTML, 13.2.6.4.1: "iframe srcdoc document"
	s := &scripting{window: c, page: &Page{c}, nodes: nodes, texts: map[string]*moduleText{}, classic: map[string]fetchOptions{}, source: d, parsed: complete, fired: complete,
		loaded: complete}
	settings := realm.Settings{MediaType: mediaType, Charset: d.Charset, Quirks: quirks, Referrer: c.documentReferrer(), Reload: c.by.reload,
		NoEval: !c.settings.Policy.AllowsEval(), Complete: complete, Name: c.name(), Sandbox: c.frame != nil && c.frame.sandbox, State: c.startState(), Back: c.by.handling.back}
	if screen := c.in.Reader.Screen; screen.Touch {
		settings.Width, settings.Height, settings.Density = screen.Width, screen.Height, screen.Density
	}
	if c.holds != nil {
		settings.Parent, settings.Top = c.holds.ID, c.top().ID
	}
	if c.borrows() {
		settings.Base = c.holds.base()
	}
	var err error
	if s.realm, err = c.startRealm(s.page, settings); err != nil {
		c.in.Workers.Account.Note(account.Note{Level: "error", Text: err.Error(), Where: c.URL})
		return false
	}
	if mediaType == "text/html" {
		s.text = d.Decoded()
	}
	c.scripts = s
	return true
}

// documentReferrer is what the document knows of who asked for it.
func (c *window) documentReferrer() string {
	switch c.told {
	case "":
		return c.by.referrer
	case fetch.NoReferrer:
		return ""
	}
	return c.told
}

// parseAs parses a document by its media type.
func parseAs(mediaType string, d *page.Document) (nodes []*markup.Node, quirks bool) {
	if strings.HasSuffix(mediaType, "xml") {
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
func (s *scripting) parse() {
	c := s.window
	for !s.blocked && !s.ended && !c.Closed && s.realm.Stop() == nil {
		if s.at >= len(s.nodes) {
			s.theEnd()
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
				s.base, _ = page.Resolve(c.ownBase(), href)
			}
		}
		s.handOver(s.nodes[from:s.at])
		if element != nil {
			s.parsedScript(element, s.nodes[from:s.at])
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

func (s *scripting) handOver(nodes []*markup.Node) {
	c := s.window
	if len(nodes) == 0 {
		return
	}
	items := c.in.NodeItems(nodes, s.last)
	s.last += len(nodes)
	c.command("parse", items)
}

func (c *window) base() string {
	if c.scripts != nil && !c.Worker {
		return cmp.Or(c.scripts.base, c.ownBase())
	}
	if c.document != nil && c.document.Base != "" {
		return c.document.Base
	}
	return c.ownBase()
}

// parsed is the end of the document (HTML, 13.2.7, "the end").
func (s *scripting) theEnd() {
	c := s.window
	if s.parsed {
		return
	}
	s.parsed = true
	c.command("readyState", "interactive")
	s.runDeferred()
}

// settled fires load once nothing is under way that it waits for.
func (c *window) settled() {
	c.settledAfter(func(load func()) { c.in.clock().After(0, load) })
}

// settledAfter does so in a task that queue makes.
func (c *window) settledAfter(queue func(load func())) {
	s := c.scripts
	if s == nil || s.ended || !s.fired || s.loaded || s.async > 0 || c.pending > s.fetching || c.Closed {
		return
	}
	s.loaded = true
	queue(func() {
		c.command("readyState", "complete")
		c.command("fireAt", "window", "load", false)
		c.command("transition", "pageshow", false)
		if c.whenLoaded != nil {
			c.whenLoaded()
		}
		if p := c.in.Present; p != nil && !c.Frame && len(c.view.Registrations) == 0 &&
			weburl.OriginOf(c.URL) == weburl.OriginOf(p.Script) {
			c.in.register(c, *p)
		}
	})
}

// rest is how long a page may go on with timers and requests before it counts as drawn.
const rest = 5 * time.Second

// draw lets a page's scripts come to rest, and takes over the document as they have left it.
func (c *window) draw() {
	s := c.scripts
	if s == nil || s.ended {
		return
	}
	w := c.in
	w.clock().Run(func() bool { return c.pending == 0 || s.realm.Stop() != nil }, w.clock().Now+Limit)
	if s.realm.Stop() != nil {
		c.registerFitted()
	}
	w.clock().Settle(rest, Limit)
	w.clock().Run(func() bool { return c.pending == 0 || s.realm.Stop() != nil }, w.clock().Now+rest)
	if c.Closed {
		return
	}
	c.takeOver()
}

// registerFitted registers the worker whose registering script the page has, if scripts that were stopped kept it from
// running.
func (c *window) registerFitted() {
	known := c.in.Fitted
	if known == nil || c.Closed || c.scripts.source == nil ||
		slices.ContainsFunc(c.view.Registrations, func(r page.Registration) bool { return r.Script == known.Script }) {
		return
	}
	for _, r := range c.scripts.source.References {
		if r.Destination == request.Script && r.URL == known.URL {
			c.in.register(c, known.Registration)
			return
		}
	}
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
	if w.Presses && !c.Frame {
		c.view.Pressables = c.pressables()
	}
	c.turns = s.realm.Turns()
	c.view.FinalURL = c.URL
	if text != "" {
		c.document = w.Reader.Drawn(c.URL, []byte(text), s.source)
		c.view.Document, c.view.Title, c.view.Scripted = c.document, c.document.Title, true
	}
	w.style(c)
	w.clock().Run(func() bool { return c.pending == 0 }, w.clock().Now+rest)
}
