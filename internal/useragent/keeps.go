package useragent

import (
	"cmp"
	"slices"
	"sort"

	whatwg "github.com/nlnwa/whatwg-url/url"

	"tachyform/internal/useragent/fetch"
	"tachyform/internal/useragent/storage"
	"tachyform/internal/weburl"
)

// CacheContent lists what a cache holds.
type CacheContent struct {
	Name    string
	Entries []CachedEntry
}

// CachedEntry is one request and its stored response.
type CachedEntry struct {
	URL      string
	Status   int
	Type     string
	Redirect bool
	Bytes    int64
	// Personal says what in the headers of the host's answer makes it one for a single person, "" for nothing.
	Personal string
}

// Caches lists what the profile's caches hold, in the order in which they were made.
func (b *Browser) Caches() []CacheContent {
	list := []CacheContent{}
	for _, name := range b.store.Names {
		c := CacheContent{Name: name}
		for _, e := range b.store.Caches[name].Entries {
			actual := e.Response.Actual()
			c.Entries = append(c.Entries, CachedEntry{
				URL: e.Request.URL, Status: actual.Status, Type: e.Response.Type, Redirect: len(actual.URLs) > 1,
				Bytes: fetch.BodyLen(actual.Body),
				// a worker may keep it under a query of its own
				Personal: cmp.Or(b.personal[e.Request.URL], b.personal[weburl.WithoutQuery(e.Request.URL)]),
			})
		}
		sort.Slice(c.Entries, func(i, j int) bool { return c.Entries[i].URL < c.Entries[j].URL })
		list = append(list, c)
	}
	return list
}

// CachedURLs lists the addresses in all caches, in order.
func (b *Browser) CachedURLs() (list []string) {
	for _, name := range b.store.Names {
		for _, e := range b.store.Caches[name].Entries {
			list = append(list, e.Request.URL)
		}
	}
	sort.Strings(list)
	return list
}

// CacheEntries counts the entries of all caches.
func (b *Browser) CacheEntries() (n int) {
	for _, name := range b.store.Names {
		n += len(b.store.Caches[name].Entries)
	}
	return n
}

// AddCache makes a cache with the first entry of another, where there is none of its name.
func (b *Browser) AddCache(name, like string) {
	if b.store.Caches[name] == nil {
		entries := b.store.Caches[like].Entries
		b.store.Open(name).Entries = entries[:min(1, len(entries))]
	}
}

// Evict throws away what the profile keeps: caches, databases, cookies or everything. Registrations go with
// everything, as when a visitor clears a site's data.
func (b *Browser) Evict(what string) {
	if what == "caches" || what == "everything" {
		b.store.Names, b.store.Caches = nil, map[string]*storage.Cache{}
		if b.fetcher.Cache != nil {
			b.fetcher.Cache = fetch.NewHTTPCache()
		}
	}
	if what == "databases" || what == "everything" {
		b.store.Databases.Clear()
	}
	if what == "cookies" || what == "everything" {
		b.store.Cookies = nil
	}
	if what == "everything" {
		b.windows.LetGoOfKept()
		for _, g := range slices.Clone(b.workers.Registrations()) {
			g.Remove()
		}
	}
}

// SetCookie keeps a cookie for the host of an origin.
func (b *Browser) SetCookie(origin, name, value string) {
	b.store.SetCookie(weburl.HostName(origin), name, value)
}

// Cookies gives what the visitor brings to a URL, "" for none.
func (b *Browser) Cookies(u *whatwg.Url) string {
	return b.store.Retrieve(u, fetch.Crossing{}, b.clock.Now)
}

// CopyCookies takes over the cookies of another profile.
func (b *Browser) CopyCookies(from *Browser) { b.store.Cookies = slices.Clone(from.store.Cookies) }
