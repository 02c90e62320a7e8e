package document

import (
	"fmt"
	"strings"

	"tachyform/internal/page"
	"tachyform/internal/request"
	"tachyform/internal/useragent/account"
)

// moduleText is a module that was fetched, or is being fetched.
type moduleText struct {
	text    string
	failed  bool
	done    bool
	needs   []string
	options fetchOptions
	waiting []func()
}

// fetchOptions are a script's fetch options, as far as what it imports has them too (HTML, 8.1.4.1).
type fetchOptions struct {
	referrerPolicy, nonce string
	parserInserted        bool
}

func optionsOf(r page.Reference) fetchOptions {
	return fetchOptions{r.ReferrerPolicy, r.Nonce, r.ParserInserted}
}

// descend gives what a script imports its options ("get the descendant script fetch options").
func (o fetchOptions) descend(r *page.Reference) {
	r.ReferrerPolicy, r.Nonce, r.ParserInserted = o.referrerPolicy, o.nonce, o.parserInserted
}

// keepModule takes in the text of a module and fetches what it imports, with the module's own fetch options.
func (s *scripting) keepModule(url string, text []byte, base string, options fetchOptions) {
	c := s.window
	m := s.texts[url]
	if m == nil {
		m = &moduleText{}
		s.texts[url] = m
	}
	m.done, m.text, m.options = true, transform(string(text), url), options
	read := c.in.Reader.Script(base, text).At(base, s.imports)
	if len(read.Unresolved) > 0 {
		m.failed = true
		c.in.Workers.Account.Note(account.Note{Level: "error", Where: url,
			Text: fmt.Sprintf("TypeError: the module name %q cannot be resolved", read.Unresolved[0])})
	}
	for _, r := range read.References {
		if r.Destination == request.Style && c.in.WithoutStyleModules {
			m.failed = true
			c.in.Workers.Account.Note(account.Note{Level: "error", Where: url, Text: "TypeError: Import attribute type \"css\" is not valid"})
			continue
		}
		m.needs = append(m.needs, r.URL)
		r.Integrity = s.imports.IntegrityOf(r.URL)
		options.descend(&r)
		s.fetchModule(r.URL, r, func() {})
	}
	for _, f := range m.waiting {
		f()
	}
	m.waiting = nil
}

// fetchModule is "fetch a single module script" with the module map (HTML, 8.1.4.2), and what the module imports.
func (s *scripting) fetchModule(url string, ref page.Reference, done func()) {
	if m := s.texts[url]; m != nil {
		if m.done {
			done()
		} else {
			m.waiting = append(m.waiting, done)
		}
		return
	}
	m := &moduleText{waiting: []func(){done}}
	s.texts[url] = m
	s.fetchScript(ref, func(text string, ok bool) {
		if !ok {
			m.done, m.failed = true, true
			for _, f := range m.waiting {
				f()
			}
			m.waiting = nil
			return
		}
		s.keepModule(url, []byte(text), url, optionsOf(ref))
	})
}

// whenComplete tells once a module and all that it needs, in turn, is there, and whether nothing failed.
func (s *scripting) whenComplete(url string, done func(ok bool)) {
	c := s.window
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
			m := s.texts[url]
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

// Import fetches a module with all that it needs.
func (p *Page) Import(specifier, referrer string, done func(string, error)) {
	c := p.c
	base := referrer
	if strings.Contains(base, "#module-") {
		base = c.base()
	}
	url, ok := c.scripts.imports.Resolve(base, specifier)
	if !ok {
		c.in.clock().After(0, func() { done("", fmt.Errorf("TypeError: the module name %q cannot be resolved", specifier)) })
		return
	}
	get := func(string) (string, bool) { return "", false }
	ref := c.scripts.scriptReference(get, url, true)
	if m := c.scripts.texts[referrer]; m != nil {
		m.options.descend(&ref)
	} else {
		c.scripts.classic[referrer].descend(&ref)
	}
	c.scripts.fetchModule(url, ref, func() {})
	c.scripts.whenComplete(url, func(ok bool) {
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

// Imports is the page's import map, nil for none.
func (p *Page) Imports() *page.ImportMap { return p.c.scripts.imports }

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
