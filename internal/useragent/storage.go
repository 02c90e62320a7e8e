package useragent

import (
	"maps"
	"slices"
	"strings"

	"tachyform/internal/useragent/fetch"
	"tachyform/internal/weburl"
)

// storage is what an origin keeps: caches by name in the order they were opened, and cookies.
type storage struct {
	names   []string
	caches  map[string]*cache
	cookies []cookie
	// databases holds Indexed Database content by name, in the form in which scripts hand it over.
	databases   map[string]string
	scriptBytes int64 // bytes of content in caches that scripts made
}

// maxDatabases bounds the text in which all databases are kept, in bytes: every transaction writes a database anew. What a browser would
// still take is said to be missing here.
const maxDatabases = 48 << 20

// keepDatabase keeps a database in the place of the one that was there, or removes it for an empty text. It says whether there was room.
func (s *storage) keepDatabase(name, text string) bool {
	if text == "" {
		delete(s.databases, name)
		return true
	}
	size := len(text)
	for other, t := range s.databases {
		if other != name {
			size += len(t)
		}
	}
	if size > maxDatabases {
		return false
	}
	s.databases[name] = text
	return true
}

func newStorage() *storage {
	return &storage{caches: map[string]*cache{}, databases: map[string]string{}}
}

// branch copies the storage; contents of files are shared, since they never change.
func (s *storage) branch() *storage {
	n := &storage{names: slices.Clone(s.names), caches: make(map[string]*cache, len(s.caches)), cookies: slices.Clone(s.cookies), databases: maps.Clone(s.databases), scriptBytes: s.scriptBytes}
	for name, c := range s.caches {
		n.caches[name] = c.branch()
	}
	return n
}

func (s *storage) open(name string) *cache {
	c := s.caches[name]
	if c == nil {
		c = &cache{name: name, byURL: map[string][]*cacheEntry{}}
		s.caches[name] = c
		s.names = append(s.names, name)
	}
	return c
}

func (s *storage) delete(name string) bool {
	if s.caches[name] == nil {
		return false
	}
	delete(s.caches, name)
	s.names = slices.DeleteFunc(s.names, func(n string) bool { return n == name })
	return true
}

// cache is a request to response list (Service Workers, 5.3). Entries keep the order they were put in.
type cache struct {
	name    string
	entries []*cacheEntry
	byURL   map[string][]*cacheEntry // by URL without query and fragment
	shared  bool                     // entries and byURL belong to several branches
}

type cacheEntry struct {
	request  *fetch.Request
	response *fetch.Response
}

type matchOptions struct {
	IgnoreSearch bool   `json:"ignoreSearch"`
	IgnoreMethod bool   `json:"ignoreMethod"`
	IgnoreVary   bool   `json:"ignoreVary"`
	CacheName    string `json:"cacheName"`
	HasName      bool   `json:"hasName"`
}

func (c *cache) branch() *cache {
	c.shared = true
	return &cache{name: c.name, entries: c.entries, byURL: c.byURL, shared: true}
}

// own makes the lists this cache's own before a change.
func (c *cache) own() {
	if !c.shared {
		return
	}
	c.entries = slices.Clone(c.entries)
	m := make(map[string][]*cacheEntry, len(c.byURL))
	for k, v := range c.byURL {
		m[k] = slices.Clone(v)
	}
	c.byURL, c.shared = m, false
}

// match gives the entries that answer a request, in order (Service Workers, "query cache").
func (c *cache) match(r *fetch.Request, o matchOptions) []*cacheEntry {
	if r.Method != "GET" && !o.IgnoreMethod {
		return nil
	}
	var found []*cacheEntry
	for _, e := range c.byURL[weburl.WithoutQuery(r.URL)] {
		if e.matches(r, o) {
			found = append(found, e)
		}
	}
	return found
}

func (e *cacheEntry) matches(r *fetch.Request, o matchOptions) bool {
	if e.request.Method != "GET" && !o.IgnoreMethod {
		return false
	}
	if !o.IgnoreSearch && weburl.WithoutFragment(e.request.URL) != weburl.WithoutFragment(r.URL) {
		return false
	}
	if vary := e.response.Actual().Get("vary"); vary != "" && !o.IgnoreVary {
		for _, field := range strings.Split(vary, ",") {
			field = strings.TrimSpace(field)
			if field == "*" || fetch.HeaderValue(e.request.Header, field) != fetch.HeaderValue(r.Header, field) {
				return false
			}
		}
	}
	return true
}

func (c *cache) remove(gone []*cacheEntry) {
	if len(gone) == 0 {
		return
	}
	c.own()
	is := func(e *cacheEntry) bool { return slices.Contains(gone, e) }
	c.entries = slices.DeleteFunc(c.entries, is)
	for _, e := range gone {
		key := weburl.WithoutQuery(e.request.URL)
		if c.byURL[key] = slices.DeleteFunc(c.byURL[key], is); len(c.byURL[key]) == 0 {
			delete(c.byURL, key)
		}
	}
}

func (c *cache) put(r *fetch.Request, resp *fetch.Response) {
	c.remove(c.match(r, matchOptions{}))
	c.own()
	e := &cacheEntry{r, resp}
	c.entries = append(c.entries, e)
	key := weburl.WithoutQuery(r.URL)
	c.byURL[key] = append(c.byURL[key], e)
}
