package report

import (
	"fmt"
	"strings"

	"charm.land/lipgloss/v2"

	"tachyform/internal/audit"
)

// Retired says what a visitor goes through when a worker is put in the place of another to remove it.
func Retired(r *audit.Retired, at, file string, width int) string {
	var b strings.Builder
	if file != "" {
		fmt.Fprintf(&b, "%s  to be served at %s\n\n", bold.Render(file), at)
	}
	tried := func(style lipgloss.Style, text string) {
		fmt.Fprintf(&b, "  tried    %s\n", each(style, wrap(safe(text), width-11, 11)))
	}
	switch {
	case !r.Had:
		tried(lipgloss.NewStyle(),
			"no worker of this site's present pages could be installed, so there was nothing to remove")
	case r.Gone:
		tried(green, fmt.Sprintf("a visitor with the present worker, %s kept: nothing left after the next visit",
			count(r.Kept, "file", "files")))
	default:
		tried(red, r.Left)
	}
	return b.String()
}
