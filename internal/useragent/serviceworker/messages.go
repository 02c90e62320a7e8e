package serviceworker

import (
	"maps"
	"slices"
	"strconv"
)

// Messages is what reaches a registration without a page: subscriptions, registered syncs, notifications that are
// shown.
type Messages struct {
	// Subscribed is set by the push manager.
	Subscribed bool
	// Syncs and Periodic are tags of registered synchronisations.
	Syncs, Periodic map[string]bool
	Notifications   []Notification
	nextNote        int
}

// Notification is one that is shown, as the options that it was shown with (Notifications API, 2).
type Notification map[string]any

// Text is an option of the kind string, "" where it is none.
func (n Notification) Text(key string) string {
	s, _ := n[key].(string)
	return s
}

func (m Messages) branch() Messages {
	m.Syncs, m.Periodic, m.Notifications = maps.Clone(m.Syncs), maps.Clone(m.Periodic), slices.Clone(m.Notifications)
	return m
}

// SendSyncs sends the registered sync events to workers, unless there is no connection (Web Background
// Synchronization, 5).
func (s *Container) SendSyncs() {
	if !s.Fetcher.Online() {
		return
	}
	for _, g := range s.registrations {
		for _, tag := range slices.Sorted(maps.Keys(g.Messages.Syncs)) {
			if g.fireFunctionalEvent("sync", map[string]any{"tag": tag, "lastChance": false}) {
				delete(g.Messages.Syncs, tag)
			}
		}
	}
}

// ClickNotification clicks on a shown notification with a tag or title. It reports whether there is one.
func (s *Container) ClickNotification(which, action string) bool {
	for _, g := range s.registrations {
		for _, n := range g.Messages.Notifications {
			if n.Text("tag") == which || n.Text("title") == which {
				return g.fireFunctionalEvent("notificationclick", map[string]any{"notification": n, "action": action})
			}
		}
	}
	return false
}

// Deliver gives every active worker an event that needs no page. It reports whether there is any.
func (s *Container) Deliver(name string, detail map[string]any) (delivered bool) {
	for _, g := range s.registrations {
		delivered = g.fireFunctionalEvent(name, detail) || delivered
	}
	return delivered
}

// ShowNotification shows a notification in the place of one with its tag (Notifications API, "show steps").
func (m *Messages) ShowNotification(n Notification) {
	m.nextNote++
	n["id"] = strconv.Itoa(m.nextNote)
	if t := n.Text("tag"); t != "" {
		m.Notifications = slices.DeleteFunc(m.Notifications, func(o Notification) bool { return o.Text("tag") == t })
	}
	m.Notifications = append(m.Notifications, n)
}

// CloseNotification takes away the notification with a number.
func (m *Messages) CloseNotification(id string) {
	m.Notifications = slices.DeleteFunc(m.Notifications, func(n Notification) bool { return n.Text("id") == id })
}
