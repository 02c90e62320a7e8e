package report

import (
	"fmt"
	"strings"

	"tachyform/internal/fit"
	"tachyform/internal/project"
)

// Upload tells what is to be put on a live site: the files in a folder, and the lines for its template.
func Upload(p *fit.Plan, pr *project.Project, into, url string, width int) string {
	var b strings.Builder
	fmt.Fprintf(&b, "%s → %s\n\n", bold.Render(safe(pr.App.Text("name"))), into)
	fmt.Fprintf(&b, "%s\n", bold.Render("UPLOAD, AS THEY LIE IN THE FOLDER"))
	for _, c := range p.Changes {
		note := "new"
		if c.Old != nil {
			note = "in the place of the one that is there"
		}
		fmt.Fprintf(&b, "  %s %s  %s\n", pad(fitTo(c.Path, width-52), width-52), padLeft(size(int64(len(c.New))), 9),
			faint.Render(note))
	}
	fmt.Fprintf(&b, "\n%s\n", bold.Render("PASTE INTO THE HEAD OF EVERY PAGE'S TEMPLATE"))
	for _, l := range p.Head.Snippet() {
		fmt.Fprintf(&b, "  %s\n", l)
	}
	if p.Head.StandIn != "" {
		fmt.Fprintf(&b, "\n  On %s the script's tag gets %s too,\n  so that the page that was wanted comes back.\n",
			p.Head.StandIn, "data-stand-in=\""+p.Head.StandIn+"\"")
	}
	if p.Worker != nil {
		fmt.Fprintf(&b, "\n  worker   keeps %s, %s\n", count(len(p.Worker.Pack), "file", "files"), size(p.Worker.Bytes()))
		b.WriteString(Notes(p.Worker.Notes, width))
	}
	return b.String() + Next("tachyform audit "+url, "proves it once that is done")
}
