package document

import (
	"bytes"
	"encoding/json"
	"fmt"
	"mime"
	"strings"

	"tachyform/internal/encoding"
	"tachyform/internal/markup"
	"tachyform/internal/page"
	"tachyform/internal/request"
	"tachyform/internal/site"
	"tachyform/internal/useragent/account"
	"tachyform/internal/useragent/fetch"
	"tachyform/internal/weburl"
)

// scriptElement is a script that is to run.
type scriptElement struct {
	// parsed is the number of the parser's element, -1 for one that a script made, which has a number of its own.
	parsed, number int
	module         bool
	url, text      string
	ready, failed  bool
	// muted says that pages are told nothing of its errors: it is of another origin, which did not share it.
	muted bool
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
	kind := page.ScriptKind(n.Lookup)
	if kind == "" || kind == page.SpeculationRules || !external && strings.TrimSpace(text.String()) == "" {
		return
	}
	_, async := n.Lookup("async")
	_, deferred := n.Lookup("defer")
	e := &scriptElement{parsed: n.Number, text: text.String(), module: kind == page.ModuleScript}
	s := c.scripts
	if kind == page.ImportMapScript {
		if !external {
			s.imports = s.imports.Merge(page.ParseImportMap(c.base(), e.text))
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
			s.classic[c.URL] = fetchOptions{strings.ToLower(n.Get("referrerpolicy")), n.Get("nonce"), true}
			c.block(e)
			return
		}
		s.inline++
		e.url = fmt.Sprintf("%s#module-%d", weburl.WithoutFragment(c.URL), s.inline)
		c.keepModule(e.url, []byte(e.text), c.base(), fetchOptions{strings.ToLower(n.Get("referrerpolicy")), n.Get("nonce"), true})
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
		ref := c.scriptReference(n.Lookup, url, true)
		ref.ParserInserted = true
		c.fetchModule(url, ref, func() {})
		c.queueModule(e, async)
		return
	}
	ref := c.scriptReference(n.Lookup, url, false)
	ref.ParserInserted = true
	s.classic[url] = optionsOf(ref)
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
	e.muted = c.mutes(ref)
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
	if src = strings.TrimSpace(src); weburl.Hostless(src) {
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
	if _, own := lookup("integrity"); module && !own {
		r.Integrity = c.scripts.imports.IntegrityOf(url)
	}
	r.ReferrerPolicy = strings.ToLower(strings.TrimSpace(get("referrerpolicy")))
	cross, has := lookup("crossorigin")
	switch {
	case strings.EqualFold(strings.TrimSpace(cross), "use-credentials"):
		r.Mode, r.Credentials = request.CORS, "include"
	case module || has:
		r.Mode, r.Credentials = request.CORS, "same-origin"
	}
	return r
}

// mutes says whether the errors of a script are kept from the page (HTML, 8.1.4.3: muted errors).
func (c *window) mutes(r page.Reference) bool {
	return r.Mode != request.CORS && strings.HasPrefix(r.URL, "http") && weburl.OriginOf(r.URL) != c.origin()
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

// runClassic runs a script that has come; it gives what the script wrote into the document.
func (c *window) runClassic(e *scriptElement) (written string) {
	if e.failed {
		c.command("elementEvent", e.parsed, e.number, "error")
		return ""
	}
	written, _ = c.command("runScript", e.parsed, e.number, transform(e.text, e.url), e.url, e.muted).(string)
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
		// Where nothing else is waited for, both events come before any timer that the page has set.
		c.in.clock().Next(func() {
			c.command("fireAt", "document", "DOMContentLoaded", true)
			c.command("startMessages")
			c.pending--
			c.settledAfter(c.in.clock().Next)
		})
	}
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
	c.view.add(l)
	c.seen[ref.URL+" "+string(ref.Destination)] = l
	c.pending++
	c.fetch(c.createRequest(ref), func(resp *fetch.Response, why fetch.Error) {
		c.pending--
		l.judge(resp, why)
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
	l.Module = ref.Module
	text, ok := "", l.judge(early.came, early.why)
	if ok {
		if l.Why = fetch.CheckIntegrity(ref.Integrity, early.came); l.Why.Kind != fetch.NoFailure {
			l.Refused, ok = true, false
		}
	}
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
		if _, known := encoding.Name(params["charset"]); known {
			label = params["charset"]
		}
	}
	if bytes.HasPrefix(data, []byte("\xef\xbb\xbf")) {
		label, data = "utf-8", data[3:]
	}
	if name, _ := encoding.Name(label); name != "" && name != "utf-8" {
		if decoded, ok := encoding.Decode(name, data); ok {
			return decoded
		}
	}
	return strings.ToValidUTF8(string(data), "\ufffd")
}

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
		s.imports = s.imports.Merge(page.ParseImportMap(c.base(), in.Text))
		return
	}
	if in.Src == "" && e.module {
		s.inline++
		e.url = fmt.Sprintf("%s#module-%d", weburl.WithoutFragment(c.URL), s.inline)
		policy, _ := get("referrerpolicy")
		nonce, _ := get("nonce")
		c.keepModule(e.url, []byte(e.text), c.base(), fetchOptions{strings.ToLower(policy), nonce, false})
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
	ref := c.scriptReference(get, url, false)
	s.classic[url] = optionsOf(ref)
	e.muted = c.mutes(ref)
	c.fetchScript(ref, func(text string, ok bool) {
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

// ModuleDone tells that a module has run as far as it goes without waiting; external says that its text was fetched.
func (p *Page) ModuleDone(parsed, number int, external bool) {
	c := p.c
	c.in.clock().Next(func() {
		if !c.runs() {
			return
		}
		c.scripts.async--
		if external {
			c.command("elementEvent", parsed, number, "load")
		}
		c.settled()
	})
}
