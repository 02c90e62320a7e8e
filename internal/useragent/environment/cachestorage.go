package environment

import (
	"encoding/json"
	"strings"

	"tachyform/internal/site"
	"tachyform/internal/useragent/account"
	"tachyform/internal/useragent/fetch"
	"tachyform/internal/useragent/storage"
)

// maxScriptBytes is how much content that scripts made an origin may keep, in bytes; files of the site cost us nothing.
const maxScriptBytes = 200 << 20

// overQuota is what a refused put comes to.
type overQuota struct{}

var cacheOperations = func() operations {
	out := operations{}
	for _, name := range []string{
		"caches.open", "caches.has", "caches.delete", "caches.keys", "caches.match",
		"cache.match", "cache.matchAll", "cache.put", "cache.delete", "cache.keys",
	} {
		out[name] = touching(func(r *Realm, args arguments) (any, error) {
			return nil, r.cacheOperation(name, args.number(0), args[1:])
		})
	}
	return out
}()

// cacheOperation carries out an operation of CacheStorage or Cache and settles the promise id with its result.
func (r *Realm) cacheOperation(op string, id int, args arguments) error {
	var req *fetch.Request
	var resp *fetch.Response
	var opt storage.MatchOptions
	var err error
	name := args.text(0)
	var c *storage.Cache
	if strings.HasPrefix(op, "cache.") {
		c = r.opened[args.number(0)]
	}
	switch op {
	case "caches.match", "cache.match", "cache.matchAll", "cache.delete", "cache.keys":
		if text := args.text(1); text != "" {
			if req, err = r.decodeRequest(text); err != nil {
				return err
			}
		}
		if err = json.Unmarshal([]byte(args.text(2)), &opt); err != nil {
			return err
		}
	case "cache.put":
		if req, err = r.decodeRequest(args.text(1)); err != nil {
			return err
		}
		if resp, err = r.decode(args.text(2)); err != nil {
			return err
		}
	}
	r.p.clock().After(storage.CacheDelay, func() {
		if !r.current() {
			return
		}
		result := r.cacheResult(op, name, c, req, resp, opt)
		if result == any(overQuota{}) {
			r.settle(id, nil, "QuotaExceededError: the site keeps too much")
			return
		}
		r.settleNow(id, result)
	})
	return nil
}

func (r *Realm) cacheResult(op, name string, c *storage.Cache, req *fetch.Request, resp *fetch.Response,
	opt storage.MatchOptions) any {
	s := r.p.store()
	switch op {
	case "caches.open":
		r.next++
		r.opened[r.next] = s.Open(name)
		return r.next
	case "caches.has":
		return s.Caches[name] != nil
	case "caches.delete":
		there := s.Delete(name)
		if there {
			r.record(account.Event{Kind: account.EventRemoved, Cache: name})
		}
		return there
	case "caches.keys":
		return append([]string{}, s.Names...)
	case "caches.match":
		for _, n := range s.Names {
			if opt.HasName && n != opt.CacheName {
				continue
			}
			if found := s.Caches[n].QueryCache(req, opt); len(found) > 0 {
				return r.fromCache(n, found[0])
			}
		}
		return nil
	}
	if c == nil {
		return nil
	}
	name = c.Name
	switch op {
	case "cache.match":
		if found := c.QueryCache(req, opt); len(found) > 0 {
			return r.fromCache(name, found[0])
		}
		return nil
	case "cache.matchAll":
		found := c.Entries
		if req != nil {
			found = c.QueryCache(req, opt)
		}
		list := []*fetch.Response{}
		for _, e := range found {
			list = append(list, r.fromCache(name, e))
		}
		return list
	case "cache.keys":
		found := c.Entries
		if req != nil {
			found = c.QueryCache(req, opt)
		}
		list := []*fetch.Request{}
		for _, e := range found {
			key := r.encodeRequest(e.Request)
			if r.p.lacks(WholeKeys) {
				key.Mode, key.Credentials, key.Referrer = "no-cors", "omit", "no-referrer"
			}
			list = append(list, key)
		}
		return list
	case "cache.put":
		if made, ok := resp.Actual().Body.(site.Bytes); ok {
			if s.ScriptBytes += int64(len(made)); s.ScriptBytes > maxScriptBytes {
				return overQuota{}
			}
		}
		resp.Source = fetch.Source{Kind: fetch.CacheSource, Cache: name}
		if r.p.lacks(CopiesByVary) {
			c.Remove(c.QueryCache(req, storage.MatchOptions{IgnoreVary: true}))
		}
		c.Put(req, resp)
		r.record(account.Event{Kind: account.EventStored, URL: req.URL, Cache: name})
		r.p.account().Stored = append(r.p.account().Stored, account.Stored{Cache: name, Request: req, Response: resp})
		return true
	case "cache.delete":
		found := c.QueryCache(req, opt)
		c.Remove(found)
		if len(found) > 0 {
			r.record(account.Event{Kind: account.EventRemoved, URL: req.URL, Cache: name})
		}
		return len(found) > 0
	}
	return nil
}

func (r *Realm) fromCache(name string, e *storage.Entry) *fetch.Response {
	copied := *e.Response
	copied.Source, copied.Key = fetch.Source{Kind: fetch.CacheSource, Cache: name}, e.Request.URL
	return r.encode(&copied)
}
