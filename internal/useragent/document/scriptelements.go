package document

import (
	"bytes"
	"encoding/json"
	"fmt"
	"mime"
	"strconv"
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

// scriptElement is a script that is to run (HTML, 4.12.1).
type scriptElement struct {
	// parsed is the number of the parser's element, -1 for one that a script made, which has a number of its own.
	parsed, number int
	// kind is classic, module or importmap.
	kind string
	// external says that its text lies elsewhere, at src.
	external, async, deferred bool
	src, url, text            string
	lookup                    func(name string) (string, bool) // of its attributes
	ready, failed             bool
	// muted says that pages are told nothing of its errors: it is of another origin, which did not share it.
	muted bool
}

func (e *scriptElement) get(name string) string {
	value, _ := e.lookup(name)
	return value
}

func (e *scriptElement) module() bool { return e.kind == page.ModuleScript }

// parserInserted says that the parser made it, rather than a script.
func (e *scriptElement) parserInserted() bool { return e.parsed >= 0 }

// parsedScript has a script run that the parser made.
func (s *scripting) parsedScript(n *markup.Node, nodes []*markup.Node) {
	c := s.window
	if c.settings.scriptless {
		return
	}
	var text strings.Builder
	for _, t := range nodes {
		if t.Parent == n && t.Kind == markup.TextNode {
			text.WriteString(t.Text)
		}
	}
	e := &scriptElement{parsed: n.Number, kind: page.ScriptKind(n.Lookup), text: text.String(), lookup: n.Lookup}
	e.src, e.external = scriptSource(n)
	_, e.async = n.Lookup("async")
	_, e.deferred = n.Lookup("defer")
	if e.kind == "" || e.kind == page.SpeculationRules || !e.external && strings.TrimSpace(e.text) == "" {
		return
	}
	if !e.external && e.kind != page.ImportMapScript && !c.settings.Policy.AllowsInline(e.text, e.get("nonce")) {
		c.in.Workers.Account.Note(account.Note{Level: "error", Text: "an inline script is not run: the page's " +
			"Content-Security-Policy does not allow it", Where: c.URL})
		return
	}
	s.prepareTheScriptElement(e)
}

// Script has a script run that a script put into the page. Inline classic ones run by themselves.
func (p *Page) Script(number int, element string) {
	var in struct {
		Kind, Src, Text, Markup string
		Async                   bool
	}
	if json.Unmarshal([]byte(element), &in) != nil || p.c.settings.scriptless {
		return
	}
	e := &scriptElement{parsed: -1, number: number, kind: in.Kind, src: in.Src, external: in.Src != "", text: in.Text, async: in.Async}
	e.lookup = func(string) (string, bool) { return "", false }
	for _, n := range markup.Fragment(in.Markup+"</script>", "div", "") {
		if n.Name == "script" {
			e.lookup = n.Lookup
		}
	}
	p.c.scripts.prepareTheScriptElement(e)
}

// prepareTheScriptElement is "prepare the script element" (HTML, 4.12.1.1), from where it is clear that the script is to run
// (step 25).
func (s *scripting) prepareTheScriptElement(e *scriptElement) {
	c := s.window
	options := fetchOptions{strings.ToLower(e.get("referrerpolicy")), e.get("nonce"), e.parserInserted()}
	switch {
	case e.kind == page.ImportMapScript:
		if !e.external {
			s.imports = s.imports.Merge(page.ParseImportMap(c.base(), e.text))
		}
	case e.external:
		url, ok := resolveScript(c.base(), e.src)
		if !ok {
			c.in.clock().After(0, func() { c.command("elementEvent", e.parsed, e.number, "error") })
			return
		}
		e.url = url
		ref := s.scriptReference(e.lookup, url, e.module())
		ref.ParserInserted = e.parserInserted()
		if e.module() {
			s.fetchModule(url, ref, func() {})
			s.awaitModule(e)
			return
		}
		s.classic[url] = optionsOf(ref)
		e.muted = s.mutes(ref)
		s.await(e)
		s.fetchScript(ref, func(text string, ok bool) {
			e.text, e.failed, e.ready = text, !ok, true
			s.came(e)
		})
	case e.module():
		s.inline++
		e.url = fmt.Sprintf("%s#module-%d", weburl.WithoutFragment(c.URL), s.inline)
		s.keepModule(e.url, []byte(e.text), c.base(), options)
		s.awaitModule(e)
	default:
		e.ready, e.url = true, c.URL
		s.classic[c.URL] = options
		s.await(e)
	}
}

// scriptTiming says when a script runs (HTML, 4.12.1.1, steps 33 and 34).
type scriptTiming int

const (
	blocking   scriptTiming = iota // the parser waits for it
	afterwards                     // in its order, once the document is parsed
	inOrder                        // as soon as it can, after those that were put in before it
	soon                           // as soon as it can
)

func (e *scriptElement) timing() scriptTiming {
	switch {
	case !e.external && !e.module():
		return blocking
	case e.async:
		return soon
	case !e.parserInserted():
		return inOrder
	case e.module() || e.deferred:
		return afterwards
	}
	return blocking
}

// await takes a script up among those that are to run.
func (s *scripting) await(e *scriptElement) {
	switch e.timing() {
	case blocking:
		s.block(e)
	case afterwards:
		s.deferred = append(s.deferred, e)
	case inOrder:
		s.async++
		s.ordered = append(s.ordered, e)
	case soon:
		s.async++
	}
}

// awaitModule does so with a module, which can run once all that it needs is there.
func (s *scripting) awaitModule(e *scriptElement) {
	s.await(e)
	s.whenComplete(e.url, func(ok bool) {
		e.ready, e.failed = true, !ok
		s.came(e)
	})
}

// came goes on once a script can run.
func (s *scripting) came(e *scriptElement) {
	switch e.timing() {
	case blocking:
		s.unblock(e)
	case afterwards:
		s.runDeferred()
	case inOrder:
		s.runOrdered()
	case soon:
		s.runScript(e)
	}
}

// runScript runs a script for which load waits ("execute the script element", HTML, 4.12.1.1).
func (s *scripting) runScript(e *scriptElement) {
	c := s.window
	if e.module() {
		s.runModule(e)
		return
	}
	s.async--
	s.runClassic(e)
	c.settled()
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
func (s *scripting) scriptReference(lookup func(string) (string, bool), url string, module bool) page.Reference {
	c := s.window
	get := func(name string) string {
		value, _ := lookup(name)
		return value
	}
	r := page.Reference{URL: url, Destination: request.Script, Mode: request.NoCORS, Credentials: "include", From: c.URL,
		Nonce: get("nonce"), Integrity: get("integrity"), Module: module, Charset: get("charset")}
	if _, own := lookup("integrity"); module && !own {
		r.Integrity = s.imports.IntegrityOf(url)
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
func (s *scripting) mutes(r page.Reference) bool {
	c := s.window
	return r.Mode != request.CORS && strings.HasPrefix(r.URL, "http") && weburl.OriginOf(r.URL) != c.origin()
}

// block lets the parser wait for a script, and for the style sheets before it.
func (s *scripting) block(e *scriptElement) {
	s.blocked = true
	if e.ready {
		s.unblock(e)
	}
}

func (s *scripting) unblock(e *scriptElement) {
	c := s.window
	if c.styles.pending > 0 {
		c.styles.waiting = append(c.styles.waiting, func() { s.unblock(e) })
		return
	}
	s.blocked = false
	if after, text := s.runClassic(e); text != "" {
		s.write(after, text)
	}
	c.in.clock().After(0, s.parse)
}

// runClassic runs a script that has come; it gives what the script wrote into the document that is not parsed
// yet, and the number of the script behind which that stands.
func (s *scripting) runClassic(e *scriptElement) (after int, rest string) {
	c := s.window
	if e.failed {
		c.command("elementEvent", e.parsed, e.number, "error")
		return 0, ""
	}
	written, _ := c.command("runScript", e.parsed, e.number, transform(e.text, e.url), e.url, e.muted).(string)
	if e.url != c.URL || e.parsed < 0 {
		c.command("elementEvent", e.parsed, e.number, "load")
	}
	number, rest, _ := strings.Cut(written, " ")
	after, _ = strconv.Atoi(number)
	return after, rest
}

func (s *scripting) runModule(e *scriptElement) {
	c := s.window
	if e.failed {
		c.command("elementEvent", e.parsed, e.number, "error")
		s.async--
		c.settled()
		return
	}
	c.command("runModule", e.parsed, e.number, e.url)
}

// runDeferred runs those of the deferred scripts whose turn it is, once the document is parsed.
func (s *scripting) runDeferred() {
	c := s.window
	if !s.parsed || s.ended || c.Closed {
		return
	}
	for len(s.deferred) > 0 && s.deferred[0].ready {
		if c.styles.pending > 0 {
			c.styles.waiting = append(c.styles.waiting, s.runDeferred)
			return
		}
		e := s.deferred[0]
		s.deferred = s.deferred[1:]
		if e.module() {
			s.async++
			s.runModule(e)
		} else {
			s.runClassic(e)
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
func (s *scripting) fetchScript(ref page.Reference, done func(text string, ok bool)) {
	c := s.window
	if early := c.seen[loadKey(ref)]; early != nil && (early.Ahead || early.Preload) && !early.taken {
		early.taken = true
		take := func() { s.takeEarly(early, ref, done) }
		if early.Done {
			c.in.clock().After(0, take)
		} else {
			early.waiting = append(early.waiting, take)
		}
		return
	}
	l := &Load{Reference: ref}
	c.view.add(l)
	c.seen[loadKey(ref)] = l
	c.pending++
	c.fetch(c.createRequest(ref), func(resp *fetch.Response, why fetch.Error) {
		c.pending--
		l.judge(resp, why)
		if c.Closed {
			return
		}
		text, ok := "", !l.Missing && !l.Refused
		if ok && resp.Actual().Body != nil {
			text, ok = s.scriptText(ref, resp.Actual())
		}
		done(text, ok)
		c.settled()
	})
}

// takeEarly goes on with a script that a link has asked for ahead.
func (s *scripting) takeEarly(early *Load, ref page.Reference, done func(text string, ok bool)) {
	c := s.window
	if s.ended {
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
		text, ok = s.scriptText(ref, early.came.Actual())
	}
	early.Refused, early.Why = l.Refused, l.Why
	done(text, ok)
	c.settled()
}

// scriptText decodes the text of a script, and makes modules of what is none; false where it is not what was asked for.
func (s *scripting) scriptText(ref page.Reference, answer *fetch.Response) (text string, ok bool) {
	c := s.window
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

// runOrdered runs those scripts that scripts put into the page and whose turn it is.
func (s *scripting) runOrdered() {
	for len(s.ordered) > 0 && s.ordered[0].ready && !s.ended {
		next := s.ordered[0]
		s.ordered = s.ordered[1:]
		s.runScript(next)
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
