package document

import (
	"tachyform/internal/page"
)

// module is one of a page's module scripts (HTML, 8.1.3.8: module map).
type module struct {
	script *page.Script
	failed bool
	ran    bool
}

// moduleMap holds a window's modules, and those that wait for others.
type moduleMap struct {
	byURL  map[string]*module
	graphs []*moduleGraph
	wanted map[string]bool // that are to run although they were first asked for otherwise
}

// moduleGraph is a module that runs once it and all that it imports are there, and never if one of them is not.
type moduleGraph struct {
	root  *page.Script
	url   string // of the root, "" for an inline one
	depth int
}

// module starts what an inline module script, or one that has come, imports, and runs it when all of that is there.
func (w *Windows) module(c *window, s *page.Script, depth int) {
	c.modules.graphs = append(c.modules.graphs, &moduleGraph{s, "", depth})
	w.imports(c, s, depth)
	w.runModules(c)
}

// imports asks for what a module needs before it can run.
func (w *Windows) imports(c *window, s *page.Script, depth int) {
	for _, r := range s.References {
		if !r.Runs {
			w.load(c, r, depth+1)
		}
	}
}

// moduleCame takes down what became of a module's request; s is nil when it failed.
func (w *Windows) moduleCame(c *window, l *Load, s *page.Script, depth int) {
	if !l.Module {
		return
	}
	if c.modules.byURL == nil {
		c.modules.byURL = map[string]*module{}
	}
	c.modules.byURL[l.URL] = &module{script: s, failed: s == nil || !s.Valid || len(s.Unresolved) > 0}
	if s != nil {
		if l.ModuleRoot() || c.modules.wanted[l.URL] {
			c.modules.graphs = append(c.modules.graphs, &moduleGraph{s, l.URL, depth})
		}
		w.imports(c, s, depth)
	}
	w.runModules(c)
}

// wantModule makes a module that was asked for already one that is to run.
func (w *Windows) wantModule(c *window, url string, depth int) {
	if m := c.modules.byURL[url]; m == nil {
		if c.modules.wanted == nil {
			c.modules.wanted = map[string]bool{}
		}
		c.modules.wanted[url] = true
	} else if !m.failed && !m.ran {
		c.modules.graphs = append(c.modules.graphs, &moduleGraph{m.script, url, depth})
		w.runModules(c)
	}
}

// runModules runs the graphs that are complete.
func (w *Windows) runModules(c *window) {
	for i := 0; i < len(c.modules.graphs); i++ {
		g := c.modules.graphs[i]
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
				m := c.modules.byURL[r.URL]
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
		c.modules.graphs = append(c.modules.graphs[:i:i], c.modules.graphs[i+1:]...)
		i--
		if failed {
			continue
		}
		for u := range seen {
			c.modules.byURL[u].ran = true
		}
		if m := c.modules.byURL[g.url]; m == nil || !m.ran {
			order = append(order, g.root)
			if m != nil {
				m.ran = true
			}
		}
		for _, s := range order {
			w.evaluated(c, s, g.depth)
		}
	}
}

// evaluated does what a module asks for when it runs.
func (w *Windows) evaluated(c *window, s *page.Script, depth int) {
	c.noteRequests(s)
	for _, r := range s.References {
		if r.Runs {
			w.load(c, r, depth+1)
		}
	}
	for _, r := range s.Registrations {
		w.register(c, r)
	}
}
