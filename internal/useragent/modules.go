package useragent

import (
	"tachyform/internal/page"
)

// module is one of a page's module scripts (HTML, 8.1.3.8: module map).
type module struct {
	script *page.Script
	failed bool
	ran    bool
}

// moduleGraph is a module that runs once it and all that it imports are there, and never if one of them is not.
type moduleGraph struct {
	root  *page.Script
	url   string // of the root, "" for an inline one
	depth int
}

// module starts what an inline module script, or one that has come, imports, and runs it when all of that is there.
func (b *Browser) module(c *client, s *page.Script, depth int) {
	c.graphs = append(c.graphs, &moduleGraph{s, "", depth})
	b.imports(c, s, depth)
	b.runModules(c)
}

// imports asks for what a module needs before it can run.
func (b *Browser) imports(c *client, s *page.Script, depth int) {
	for _, r := range s.References {
		if !r.Runs {
			b.load(c, r, depth+1)
		}
	}
}

// moduleCame takes down what became of a module's request; s is nil when it failed.
func (b *Browser) moduleCame(c *client, l *Load, s *page.Script, depth int) {
	if !l.Module {
		return
	}
	if c.modules == nil {
		c.modules = map[string]*module{}
	}
	c.modules[l.URL] = &module{script: s, failed: s == nil || !s.Valid || len(s.Unresolved) > 0}
	if s != nil {
		if l.ModuleRoot() || c.wanted[l.URL] {
			c.graphs = append(c.graphs, &moduleGraph{s, l.URL, depth})
		}
		b.imports(c, s, depth)
	}
	b.runModules(c)
}

// wantModule makes a module that was asked for already one that is to run.
func (b *Browser) wantModule(c *client, url string, depth int) {
	if m := c.modules[url]; m == nil {
		if c.wanted == nil {
			c.wanted = map[string]bool{}
		}
		c.wanted[url] = true
	} else if !m.failed && !m.ran {
		c.graphs = append(c.graphs, &moduleGraph{m.script, url, depth})
		b.runModules(c)
	}
}

// runModules runs the graphs that are complete.
func (b *Browser) runModules(c *client) {
	for i := 0; i < len(c.graphs); i++ {
		g := c.graphs[i]
		var order []*page.Script
		complete, failed := true, len(g.root.Unresolved) > 0
		seen := map[string]bool{}
		var visit func(s *page.Script)
		visit = func(s *page.Script) {
			for _, r := range s.References {
				if r.Runs || !r.Module || seen[r.URL] {
					continue
				}
				seen[r.URL] = true
				m := c.modules[r.URL]
				switch {
				case m == nil:
					complete = false
				case m.failed:
					failed = true
				default:
					visit(m.script)
					if !m.ran {
						order = append(order, m.script)
					}
				}
			}
		}
		visit(g.root)
		if !complete && !failed {
			continue
		}
		c.graphs = append(c.graphs[:i:i], c.graphs[i+1:]...)
		i--
		if failed {
			continue
		}
		for u := range seen {
			c.modules[u].ran = true
		}
		if m := c.modules[g.url]; m == nil || !m.ran {
			order = append(order, g.root)
			if m != nil {
				m.ran = true
			}
		}
		for _, s := range order {
			b.evaluated(c, s, g.depth)
		}
	}
}

// evaluated does what a module asks for when it runs.
func (b *Browser) evaluated(c *client, s *page.Script, depth int) {
	c.noteScript(b, s)
	for _, r := range s.References {
		if r.Runs {
			b.load(c, r, depth+1)
		}
	}
	for _, r := range s.Registrations {
		b.pageRegisters(c, r)
	}
}
