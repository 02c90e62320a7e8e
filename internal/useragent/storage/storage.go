// Package storage keeps what the sites of a profile keep: caches, databases and cookies; branches of a profile share
// what does not change.
package storage

import (
	"slices"
	"strings"
	"time"

	"tachyform/internal/useragent/fetch"
	"tachyform/internal/useragent/indexeddb"
	"tachyform/internal/weburl"
)

// Storage is what an origin keeps: caches by name in the order they were opened, and cookies.
type Storage struct {
	Names     []string
	Caches    map[string]*Cache
	Cookies   []Cookie
	Databases *indexeddb.Databases
	// Locks and Channels are of what runs: a branch has none.
	Locks    *Locks
	Channels *Channels
	Ports    *Ports
	// ObjectURLs are those of what runs.
	ObjectURLs *ObjectURLs
	// Web is local storage and that of tabs.
	Web         WebStorage
	ScriptBytes int64 // bytes of content in caches that scripts made
}

// CacheDelay is the virtual time that one operation on the caches takes.
const CacheDelay = time.Millisecond

// SetSchedule says how what realms share is told to them: in a task of its own.
func (s *Storage) SetSchedule(schedule func(func())) {
	s.Databases.Schedule, s.Locks.Schedule, s.Channels.Schedule = schedule, schedule, schedule
	s.Ports.Schedule = schedule
}

// Usage is how many bytes the caches and databases hold.
func (s *Storage) Usage() (n int64) {
	for _, c := range s.Caches {
		for _, e := range c.Entries {
			n += fetch.BodyLen(e.Response.Actual().Body)
		}
	}
	return n + s.Databases.Size()
}

// New is the storage of a fresh profile.
func New() *Storage {
	return &Storage{Caches: map[string]*Cache{}, Databases: indexeddb.New(), Locks: &Locks{}, Channels: &Channels{}, Ports: &Ports{}, ObjectURLs: &ObjectURLs{}, Web: WebStorage{}}
}

// Branch copies the storage; contents of files are shared, since they never change.
func (s *Storage) Branch() *Storage {
	n := &Storage{Names: slices.Clone(s.Names), Caches: make(map[string]*Cache, len(s.Caches)),
		Cookies: slices.Clone(s.Cookies), Databases: s.Databases.Branch(), Locks: &Locks{}, Channels: &Channels{}, Ports: &Ports{}, ObjectURLs: &ObjectURLs{},
		Web:         s.Web.Branch(),
		ScriptBytes: s.ScriptBytes}
	for name, c := range s.Caches {
		n.Caches[name] = c.branch()
	}
	return n
}

// Open gives the cache of a name, made where there is none (Service Workers, 5.5.3).
func (s *Storage) Open(name string) *Cache {
	c := s.Caches[name]
	if c == nil {
		c = &Cache{Name: name, byURL: map[string][]*Entry{}}
		s.Caches[name] = c
		s.Names = append(s.Names, name)
	}
	return c
}

// ClearCaches takes all caches away.
func (s *Storage) ClearCaches() { s.Names, s.Caches = nil, map[string]*Cache{} }

// ClearCookies takes the cookies away that a host is sent.
func (s *Storage) ClearCookies(host string) {
	s.Cookies = slices.DeleteFunc(slices.Clone(s.Cookies), func(c Cookie) bool {
		return c.Domain == host || strings.HasSuffix(host, "."+c.Domain)
	})
}

// Delete takes a cache away and says whether it was there (Service Workers, 5.5.4). Who has opened it goes on using
// it.
func (s *Storage) Delete(name string) bool {
	if s.Caches[name] == nil {
		return false
	}
	delete(s.Caches, name)
	s.Names = slices.DeleteFunc(s.Names, func(n string) bool { return n == name })
	return true
}

// Cache is a request to response list (Service Workers, 5.3). Entries keep the order they were put in.
type Cache struct {
	Name    string
	Entries []*Entry
	byURL   map[string][]*Entry // by URL without query and fragment
	shared  bool                // entries and byURL belong to several branches
}

// Entry is a request with its stored response.
type Entry struct {
	Request  *fetch.Request
	Response *fetch.Response
}

// MatchOptions are CacheQueryOptions and MultiCacheQueryOptions (Service Workers, 5.4 and 5.5), as scripts hand them
// over.
type MatchOptions struct {
	IgnoreSearch bool   `json:"ignoreSearch"`
	IgnoreMethod bool   `json:"ignoreMethod"`
	IgnoreVary   bool   `json:"ignoreVary"`
	CacheName    string `json:"cacheName"`
	HasName      bool   `json:"hasName"`
}

func (c *Cache) branch() *Cache {
	c.shared = true
	return &Cache{Name: c.Name, Entries: c.Entries, byURL: c.byURL, shared: true}
}

// own makes the lists this cache's own before a change.
func (c *Cache) own() {
	if !c.shared {
		return
	}
	c.Entries = slices.Clone(c.Entries)
	m := make(map[string][]*Entry, len(c.byURL))
	for k, v := range c.byURL {
		m[k] = slices.Clone(v)
	}
	c.byURL, c.shared = m, false
}

// QueryCache gives the entries that answer a request, in order (Service Workers, "query cache").
func (c *Cache) QueryCache(r *fetch.Request, o MatchOptions) []*Entry {
	if r.Method != "GET" && !o.IgnoreMethod {
		return nil
	}
	var found []*Entry
	for _, e := range c.byURL[weburl.WithoutQuery(r.URL)] {
		if e.RequestMatchesCachedItem(r, o) {
			found = append(found, e)
		}
	}
	return found
}

// RequestMatchesCachedItem is "Request Matches Cached Item" (Service Workers).
func (e *Entry) RequestMatchesCachedItem(r *fetch.Request, o MatchOptions) bool {
	if e.Request.Method != "GET" && !o.IgnoreMethod {
		return false
	}
	if !o.IgnoreSearch && weburl.WithoutFragment(e.Request.URL) != weburl.WithoutFragment(r.URL) {
		return false
	}
	if vary := e.Response.Actual().Get("vary"); vary != "" && !o.IgnoreVary {
		for _, field := range strings.Split(vary, ",") {
			field = strings.TrimSpace(field)
			if field == "*" || fetch.HeaderValue(e.Request.Header, field) != fetch.HeaderValue(r.Header, field) {
				return false
			}
		}
	}
	return true
}

// Remove takes entries out ("Batch Cache Operations", delete).
func (c *Cache) Remove(gone []*Entry) {
	if len(gone) == 0 {
		return
	}
	c.own()
	is := func(e *Entry) bool { return slices.Contains(gone, e) }
	c.Entries = slices.DeleteFunc(c.Entries, is)
	for _, e := range gone {
		key := weburl.WithoutQuery(e.Request.URL)
		if c.byURL[key] = slices.DeleteFunc(c.byURL[key], is); len(c.byURL[key]) == 0 {
			delete(c.byURL, key)
		}
	}
}

// Put stores a response in the place of those that answer its request ("Batch Cache Operations", put).
func (c *Cache) Put(r *fetch.Request, resp *fetch.Response) {
	c.Remove(c.QueryCache(r, MatchOptions{}))
	c.own()
	e := &Entry{r, resp}
	c.Entries = append(c.Entries, e)
	key := weburl.WithoutQuery(r.URL)
	c.byURL[key] = append(c.byURL[key], e)
}
