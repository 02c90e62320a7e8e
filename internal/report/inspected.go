package report

import (
	"strings"

	"tachyform/internal/audit"
	"tachyform/internal/serve"
	"tachyform/internal/useragent"
	"tachyform/internal/useragent/account"
	"tachyform/internal/worker"
)

// Inspected converts an inspection for the control page.
func Inspected(in *audit.Inspection, origin string) *serve.Inspection {
	out := &serve.Inspection{Source: "embedded user agent", Embedded: true, Workers: []serve.WorkerState{}, Caches: []serve.CacheState{}, Answers: []string{}, Console: []string{},
		Notifications: []string{}}
	local := func(url string) string { return ownStamp.ReplaceAllString(strings.TrimPrefix(url, origin), "") }
	for _, g := range in.Profile.Registrations {
		for _, w := range []struct {
			*useragent.WorkerState
			name string
		}{{g.Installing, "installing"}, {g.Waiting, "waiting"}, {g.Active, ""}} {
			if w.WorkerState == nil {
				continue
			}
			state := w.name
			if state == "" {
				state = string(w.State)
			}
			out.Workers = append(out.Workers, serve.WorkerState{Script: local(w.Script), Scope: local(g.Scope), State: state})
		}
	}
	for _, c := range in.Profile.Caches {
		cache := serve.CacheState{Name: worker.WithoutStamp(c.Name), Count: len(c.Entries), Entries: []serve.EntryState{}}
		for i, e := range c.Entries {
			cache.Bytes += e.Bytes
			if i < serve.MostCacheEntries {
				cache.Entries = append(cache.Entries, serve.EntryState{URL: local(e.URL), Bytes: e.Bytes, Age: -1})
			}
		}
		out.Caches = append(out.Caches, cache)
	}
	for _, n := range in.Profile.Notifications {
		out.Notifications = append(out.Notifications, n.Title)
	}
	for _, e := range in.Events {
		what, text := eventText(e)
		switch {
		case e.Event.Answered():
			out.Answers = append(out.Answers, text)
		case e.Kind == account.EventConsole:
			out.Console = append(out.Console, what+": "+text)
		}
	}
	return out
}

// Happened describes the events of a delivery, one line each.
func Happened(in *audit.Inspection) (list []string) {
	if !in.Delivered {
		return []string{"There is no active worker."}
	}
	for _, e := range in.Events {
		what, text := eventText(e)
		list = append(list, what+": "+safe(text))
	}
	return list
}
