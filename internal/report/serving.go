package report

import (
	"fmt"
	"strings"

	"tachyform/internal/rehearsal"
	"tachyform/internal/useragent/fetch"
)

// Served is a request that reached the host while a site is served.
type Served struct {
	Time, Method, Path, Destination, By string
	// Status is 0 where the connection was lost.
	Status int
	Bytes  int64
}

// Serving is the head of what tachyform serve prints: where the site is, where it can be switched, and with which keys.
func Serving(name, site, control string, keys []string) string {
	var b strings.Builder
	line := func(what, address string) {
		fmt.Fprintf(&b, "%-13s %s\n", faint.Render(fmt.Sprintf("%-13s", what)), address)
	}
	line(fitTo(safe(name), 13), site)
	line("control page", control)
	if len(keys) > 0 {
		fmt.Fprintf(&b, "%s  %s\n", faint.Render("keys"), strings.Join(keys, "  "))
	}
	fmt.Fprintf(&b, "\nRequests that reach the host:\n")
	return b.String()
}

// ServedLine is a request as a line of the list.
func ServedLine(s Served, width int) string {
	status, style := fmt.Sprint(s.Status), green
	switch {
	case s.Status == 0:
		status, style = "lost", red
	case s.Status >= 400:
		style = red
	case s.Status >= 300:
		style = yellow
	}
	destination := s.Destination
	switch destination {
	case "":
		destination = "-"
	case "serviceworker", "sharedworker":
		destination = "worker"
	}
	head := fmt.Sprintf("%s  %s %8s  %-8s  %-12s  ", s.Time, style.Render(fmt.Sprintf("%-4s", status)), size(s.Bytes), fitTo(safe(destination), 8), s.By)
	const before = 49
	return head + fitTo(safe(s.Method+" "+s.Path), max(width-before, 20)) + "\n"
}

// NetworkNow tells that the network is in another condition.
func NetworkNow(name string) string { return bold.Render("network: "+name) + "\n" }

// Predicted says in a few words what a page is predicted to show.
func Predicted(t *rehearsal.Traced, origin string) string {
	if t.Source.Kind == fetch.NoSource {
		return "no page: " + t.Reason.String()
	}
	text := fmt.Sprintf("%d, from %s", t.Status, sourceText(t.Source))
	if t.Shown != "" {
		text += ", " + strings.TrimPrefix(t.Shown, origin) + " in its place"
	}
	return text
}

// ReleaseNow tells that the next release is served, or the one before again.
func ReleaseNow(next bool) string {
	if next {
		return bold.Render("the next release is deployed") + "\n"
	}
	return bold.Render("the next release is taken back") + "\n"
}
