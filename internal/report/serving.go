package report

import (
	"fmt"
	"strings"

	"tachyform/internal/rehearsal"
	"tachyform/internal/serve"
	"tachyform/internal/useragent/fetch"
)

// Serving is the first output of tachyform serve: the URLs of the site and of the control page, and the keys.
func Serving(name, site, control string, keys []string) string {
	var b strings.Builder
	line := func(what, address string) {
		fmt.Fprintf(&b, "%s %s\n", faint.Render(fmt.Sprintf("%-13s", what)), address)
	}
	if strings.Contains(name, "://") {
		name = "site" // the backend is in the project file or the command
	}
	line(fitTo(safe(name), 13), site)
	line("control page", control)
	if len(keys) > 0 {
		fmt.Fprintf(&b, "%s  %s\n", faint.Render("keys"), strings.Join(keys, "  "))
	}
	fmt.Fprintf(&b, "\nRequests that reach the host:\n")
	return b.String()
}

// ServedLine formats a request as a line of the list.
func ServedLine(e serve.Entry, width int) string {
	status, style := fmt.Sprint(e.Status), green
	switch {
	case e.Status == 0:
		status, style = "lost", red
	case e.Status >= 400:
		style = red
	case e.Status >= 300:
		style = yellow
	}
	destination := e.Destination
	switch destination {
	case "":
		destination = "-"
	case "serviceworker", "sharedworker":
		destination = "worker"
	}
	head := fmt.Sprintf("%s  %s %8s  %-8s  %-12s  ", e.At.Format("15:04:05"), style.Render(fmt.Sprintf("%-4s", status)), size(e.Bytes), fitTo(safe(destination), 8), e.By)
	const before = 49
	return head + fitTo(safe(e.Method+" "+e.Path), max(width-before, 20)) + "\n"
}

// NetworkNow reports a new network condition.
func NetworkNow(name string) string { return bold.Render("network: "+name) + "\n" }

// Predicted describes the predicted response for a page on one line.
func Predicted(t *rehearsal.Traced, origin string) string {
	if t.Source.Kind == fetch.NoSource {
		return "no page: " + t.Reason.String()
	}
	text := fmt.Sprintf("%d, from %s", t.Status, sourceText(t.Source))
	if t.Shown != "" {
		text += ", shows " + strings.TrimPrefix(t.Shown, origin) + " instead"
	}
	return text
}

// ReleaseNow reports which release is served.
func ReleaseNow(next bool) string {
	if next {
		return bold.Render("the next release is deployed") + "\n"
	}
	return bold.Render("the current release is deployed again") + "\n"
}
