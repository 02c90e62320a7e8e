package report

import (
	"fmt"
	"strings"

	"tachyform/internal/icon"
)

// Icons lists an icon set.
func Icons(list []icon.Icon, master, into string) string {
	var b strings.Builder
	where := ""
	if into != "" {
		where = " → " + into
	}
	total := 0
	for _, i := range list {
		total += len(i.Data)
	}
	fmt.Fprintf(&b, "%s%s  %s, %s\n\n", bold.Render(safe(master)), where, count(len(list), "icon", "icons"),
		size(int64(total)))
	for _, i := range list {
		fmt.Fprintf(&b, "  %s %s %s %s\n", pad(i.Name, 22), padLeft(icon.SizeText(i.Size), 9),
			padLeft(size(int64(len(i.Data))), 9), i.Purpose)
	}
	if into == "" {
		b.WriteString(Next("tachyform icons --into FOLDER", "writes them there; fit writes them into the site"))
	}
	return b.String()
}
