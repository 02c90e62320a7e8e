package report

import (
	"fmt"
	"strings"

	"tachyform/internal/fit"
	"tachyform/internal/site"
)

// hostSends tells what the host has to send with what was written, as lines for usual servers. It is for the first fit,
// after which the audit watches over it.
func hostSends(p *fit.Plan) string {
	var list []site.WantedHeader
	if p.Worker != nil {
		list = append(list, site.WantedHeader{Path: p.Worker.Script, Name: "Cache-Control", Value: "no-cache"})
	}
	if p.Head.Manifest != "" {
		list = append(list, site.WantedHeader{Path: p.Head.Manifest, Name: "Content-Type", Value: "application/manifest+json"})
	}
	if len(list) == 0 {
		return ""
	}
	var b strings.Builder
	fmt.Fprintf(&b, "\n  %s\n", bold.Render("The host has to send these headers; as lines for"))
	for _, s := range site.LinesFor(list) {
		for i, l := range s.Lines {
			name := ""
			if i == 0 {
				name = s.Server
			}
			fmt.Fprintf(&b, "  %s %s\n", pad(name, 15), faint.Render(safe(l)))
		}
	}
	return b.String()
}
