package useragent

import (
	"encoding/json"
	"maps"
	"slices"
	"strconv"
)

// messages is what reaches a registration without a page: subscriptions, registered syncs, notifications that are shown.
type messages struct {
	subscribed    bool
	syncs         map[string]bool
	periodic      map[string]bool
	notifications []notification
	nextNote      int
}

// notification is one that is shown, as the options that it was shown with (Notifications API, 2).
type notification map[string]any

func (n notification) text(key string) string {
	s, _ := n[key].(string)
	return s
}

func (m messages) branch() messages {
	m.syncs, m.periodic, m.notifications = maps.Clone(m.syncs), maps.Clone(m.periodic), slices.Clone(m.notifications)
	return m
}

// messageOperation carries out what a worker asks of push, background sync and notifications. handled is false for other operations.
func (r *realm) messageOperation(op string, args []any, later func(func() (any, string))) (handled bool) {
	g := r.w.reg
	m := &g.messages
	tag := word(args, 1)
	set := func(list *map[string]bool) {
		if *list == nil {
			*list = map[string]bool{}
		}
		(*list)[tag] = true
	}
	tags := func(list map[string]bool) []string { return append([]string{}, slices.Sorted(maps.Keys(list))...) }
	// What is for an active worker is refused while the first is being installed.
	active := func(failure string, f func() (any, string)) {
		later(func() (any, string) {
			if g.Active == nil {
				return nil, failure
			}
			return f()
		})
	}
	switch op {
	case "push.subscribe":
		active("AbortError: there is no active worker to subscribe", func() (any, string) { m.subscribed = true; return true, "" })
	case "push.subscription":
		later(func() (any, string) { return m.subscribed, "" })
	case "push.unsubscribe":
		later(func() (any, string) {
			was := m.subscribed
			m.subscribed = false
			return was, ""
		})
	case "sync.register":
		active("InvalidStateError: there is no active worker to register a sync for", func() (any, string) {
			set(&m.syncs)
			r.b.clock.After(0, r.b.SendSyncs)
			return nil, ""
		})
	case "sync.tags":
		later(func() (any, string) { return tags(m.syncs), "" })
	case "periodicsync.register":
		active("InvalidStateError: there is no active worker to register a sync for", func() (any, string) { set(&m.periodic); return nil, "" })
	case "periodicsync.unregister":
		later(func() (any, string) { delete(m.periodic, tag); return nil, "" })
	case "periodicsync.tags":
		later(func() (any, string) { return tags(m.periodic), "" })
	case "notification.show":
		var n notification
		if json.Unmarshal([]byte(tag), &n) != nil || n == nil {
			n = notification{}
		}
		active("TypeError: there is no active worker to show a notification for", func() (any, string) {
			m.nextNote++
			n["id"] = strconv.Itoa(m.nextNote)
			if t := n.text("tag"); t != "" {
				m.notifications = slices.DeleteFunc(m.notifications, func(o notification) bool { return o.text("tag") == t })
			}
			m.notifications = append(m.notifications, n)
			r.b.record(r.w, Event{Kind: EventNotification, Text: n.text("title")})
			return nil, ""
		})
	case "notification.list":
		later(func() (any, string) {
			list := []notification{}
			for _, n := range m.notifications {
				if tag == "" || n.text("tag") == tag {
					list = append(list, n)
				}
			}
			return list, ""
		})
	case "notification.close":
		m.notifications = slices.DeleteFunc(m.notifications, func(n notification) bool { return n.text("id") == tag })
	default:
		return false
	}
	return true
}

// SendSyncs sends the registered sync events to workers, unless there is no connection (Web Background Synchronization, 5).
func (b *Browser) SendSyncs() {
	if b.net.Condition.Refuses {
		return
	}
	for _, g := range b.regs {
		for _, tag := range slices.Sorted(maps.Keys(g.messages.syncs)) {
			if b.send(g, "sync", map[string]any{"tag": tag, "lastChance": false}) {
				delete(g.messages.syncs, tag)
			}
		}
	}
}

// send gives a registration's active worker an event that needs no page. It reports whether there is such a worker.
func (b *Browser) send(g *Registration, name string, detail map[string]any) bool {
	w := g.Active
	if w == nil {
		return false
	}
	b.runServiceWorker(w, func(r *realm, err error) {
		if err == nil {
			r.event(name, detail, nil, func(bool) {})
		}
	})
	return true
}

// ClickNotification clicks on a shown notification with a tag or title. It reports whether there is one.
func (b *Browser) ClickNotification(which, action string) bool {
	for _, g := range b.regs {
		for _, n := range g.messages.notifications {
			if n.text("tag") == which || n.text("title") == which {
				return b.send(g, "notificationclick", map[string]any{"notification": n, "action": action})
			}
		}
	}
	return false
}
