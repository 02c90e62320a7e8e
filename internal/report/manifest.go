package report

import (
	"fmt"
	"strings"

	"tachyform/internal/manifest"
)

// Manifest shows what a browser makes of a manifest.
func Manifest(p *manifest.Processed, issues []manifest.Issue, file string, width int) string {
	var b strings.Builder
	row := func(k, v string) {
		if v != "" {
			fmt.Fprintf(&b, "  %s %s\n", pad(k, 17), fitTo(safe(v), width-20))
		}
	}
	if p.Fatal {
		fmt.Fprintf(&b, "%s\n", red.Render("Browsers throw this manifest away whole."))
	} else {
		fmt.Fprintf(&b, "%s\n\n", bold.Render("What a browser takes from "+file))
		row("name", p.Name)
		row("short_name", p.ShortName)
		row("id", p.ID)
		row("start_url", p.StartURL)
		row("scope", p.Scope)
		row("display", p.ShownDisplay)
		row("theme_color", p.ThemeColor)
		row("background_color", p.BackgroundColor)
		for _, i := range p.Icons {
			row("icon", strings.Join(i.Sizes, " ")+" "+strings.Join(i.Purpose, " ")+" "+i.Src)
		}
	}
	for _, i := range issues {
		fmt.Fprintf(&b, "\n  %s %s\n", yellow.Render(fmt.Sprintf("%s:%d:%d", file, i.Line, i.Column)),
			wrap(safe(i.What), width-4, 4))
		if i.Mend != "" {
			fmt.Fprintf(&b, "    %s\n", blue.Render("→ ")+wrap(safe(i.Mend), width-6, 6))
		}
	}
	return b.String()
}
