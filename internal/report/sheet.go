package report

import (
	"fmt"
	"strings"

	"tachyform/internal/icon"
)

// Sheet says what a contact sheet shows, and what catches the eye.
func Sheet(s *icon.Sheet, file string, width int) string {
	var b strings.Builder
	fmt.Fprintf(&b, "%s  %s → %s\n\n", bold.Render(safe(s.Name)), count(len(s.Icons), "icon", "icons"), file)
	maskable := false
	for _, i := range s.Icons {
		r := i.Picture.Bounds()
		fmt.Fprintf(&b, "  %s %s %s\n", pad(fitTo(safe(i.File), 30), 30), pad(fmt.Sprintf("%dx%d", r.Dx(), r.Dy()), 10),
			i.Role)
		maskable = maskable || i.Role == "maskable"
	}
	if !maskable {
		fmt.Fprintf(&b, "\n  %s\n", wrap("There is no maskable icon: launchers lay the plain one, smaller, on white.",
			width-2, 2))
	}
	short := s.ShortName
	if short == "" {
		short = s.Name
	}
	if r := []rune(short); len(r) > icon.LabelLength {
		fmt.Fprintf(&b, "\n  %s\n", wrap(fmt.Sprintf("Under the icon launchers show some %d characters: %q becomes %q. A "+
			"shorter short_name is read whole.", icon.LabelLength, short, string(r[:icon.LabelLength])+"…"), width-2, 2))
	}
	return b.String()
}
