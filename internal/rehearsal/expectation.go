package rehearsal

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"tachyform/internal/useragent"
	"tachyform/internal/useragent/account"
	"tachyform/internal/useragent/document"
	"tachyform/internal/weburl"
)

// unmet says what of an expectation does not hold.
func (s *Session) unmet(name string, e *Expectation) (wrong []string) {
	say := func(format string, args ...any) { wrong = append(wrong, fmt.Sprintf(format, args...)) }
	differ := func(what, want, got string) {
		if want != "" && want != got {
			say("%s: expected %s, got %s", what, want, orNothing(got))
		}
	}
	origin, profile := s.origin, s.driver.Profile()
	short := func(url string) string {
		if rest, ok := strings.CutPrefix(url, origin); ok && rest != "" {
			return rest
		}
		return url
	}
	long := func(path string) string {
		if strings.HasPrefix(path, "/") {
			return origin + path
		}
		return path
	}
	if v := s.driver.View(name); v != nil {
		o := s.driver.Judge(name)
		differ("outcome", string(e.Outcome), string(o.Outcome))
		differ("title", e.Title, v.Title)
		differ("address", e.Address, short(v.FinalURL))
		if e.AnsweredBy != "" && !v.Source.Is(e.AnsweredBy) {
			say("answered by: expected %s, got %s", e.AnsweredBy, orNothing(v.Source.String()))
		}
		if e.Status != 0 && e.Status != v.Status {
			say("status: expected %d, got %d", e.Status, v.Status)
		}
		if e.Controlled != nil && *e.Controlled != v.Controlled {
			say("controlled by a worker: expected %v, got %v", *e.Controlled, !*e.Controlled)
		}
		if e.Shows != "" && !shows(v, e.Shows) {
			drawn := []rune(v.DrawnText())
			say("shows: the page does not hold %q, but %q", e.Shows, string(drawn[:min(mostShown, len(drawn))]))
		}
		for _, l := range e.Links {
			if !slices.Contains(v.Links(), l) {
				say("links: the page does not link to %s", l)
			}
		}
		for _, key := range slices.Sorted(maps.Keys(e.Storage)) {
			if got, there := s.driver.Stored(name, key); !there || got != e.Storage[key] {
				say("storage: expected %s to be %q, got %s", key, e.Storage[key], orNothing(got))
			}
		}
		if e.NoneMissing || e.Missing != nil {
			var got, want []string
			for _, l := range o.Missing {
				got = append(got, short(l.URL))
			}
			for _, m := range e.Missing {
				want = append(want, short(m))
			}
			slices.Sort(got)
			slices.Sort(want)
			if !slices.Equal(got, want) {
				say("missing: expected %s, got %s", listed(want), listed(got))
			}
		}
	} else if string(e.Outcome)+e.Title+e.Address+e.AnsweredBy+e.Shows != "" || e.Status != 0 || e.Controlled != nil ||
		e.Missing != nil || e.NoneMissing || len(e.Links)+len(e.Storage) > 0 {
		say("there is no open tab to look at")
	}
	active, waiting, _ := s.Worker()
	if e.Worker != "" {
		got := "none"
		if active != nil {
			got = string(active.State)
		}
		differ("worker", e.Worker, got)
	}
	if e.Waiting != "" && (e.Waiting == "yes") != (waiting != nil) {
		say("a worker that waits: expected %s", e.Waiting)
	}
	kept := map[string]bool{}
	for _, c := range profile.Caches {
		for _, entry := range c.Entries {
			kept[entry.URL], kept[weburl.WithoutQuery(entry.URL)] = true, true
		}
	}
	for _, u := range e.Kept {
		if !kept[long(u)] {
			say("kept: %s is in no cache", u)
		}
	}
	for _, u := range e.NotKept {
		if kept[long(u)] {
			say("not kept: %s is in a cache", u)
		}
	}
	asked := map[string]bool{}
	for _, h := range s.lastStep {
		if h.Kind == account.EventNetwork {
			asked[h.String()] = true
		}
	}
	for _, u := range e.Asked {
		if !asked[long(u)] {
			say("asked: the network was not asked for %s", u)
		}
	}
	for _, u := range e.NotAsked {
		if asked[long(u)] {
			say("not asked: the network was asked for %s", u)
		}
	}
	if e.Says != "" && !slices.ContainsFunc(s.driver.Events(), func(h account.Event) bool {
		return h.Kind == account.EventConsole && strings.Contains(h.Text, e.Says)
	}) {
		say("says: nothing on the console holds %q", e.Says)
	}
	if e.Notification != "" && !slices.ContainsFunc(profile.Notifications,
		func(n useragent.Notification) bool { return n.Title == e.Notification || n.Tag == e.Notification }) {
		say("notification: none %q is shown", e.Notification)
	}
	return wrong
}

// mostShown bounds how much of a page's text is told, in characters.
const mostShown = 400

// shows says whether a page draws a text. One with a tag in it is about the document as it came; any other is not looked
// for there, where scripts hold texts that nobody has seen.
func shows(v *document.View, text string) bool {
	if strings.ContainsAny(text, "<>") && v.Response != nil &&
		strings.Contains(string(v.Response.Actual().Bytes()), text) {
		return true
	}
	return strings.Contains(v.DrawnText(), strings.Join(strings.Fields(text), " "))
}

func orNothing(s string) string {
	if s == "" {
		return "nothing"
	}
	return s
}

func listed(list []string) string {
	if len(list) == 0 {
		return "nothing"
	}
	return strings.Join(list, ", ")
}
