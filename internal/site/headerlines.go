package site

import (
	"fmt"
	"path"
)

// WantedHeader is a header that the host has to send at a path.
type WantedHeader struct{ Path, Name, Value string }

// HeaderLines are lines of the configuration of a usual server.
type HeaderLines struct {
	Server string
	Lines  []string
}

// LinesFor gives what makes usual servers send headers: nginx, Apache, and hosts that read them from a file of the site.
func LinesFor(list []WantedHeader) []HeaderLines {
	nginx, apache, file := HeaderLines{Server: "nginx"}, HeaderLines{Server: "Apache"}, HeaderLines{Server: "a _headers file"}
	for _, w := range list {
		if w.Name == "Content-Type" {
			ending := path.Ext(w.Path)
			nginx.Lines = append(nginx.Lines, fmt.Sprintf("location = %s {", w.Path),
				fmt.Sprintf("  types {} default_type %s;", w.Value), "}")
			apache.Lines = append(apache.Lines, fmt.Sprintf("AddType %s %s", w.Value, ending))
		} else {
			nginx.Lines = append(nginx.Lines, fmt.Sprintf("location = %s { add_header %s %q; }", w.Path, w.Name, w.Value))
			apache.Lines = append(apache.Lines, fmt.Sprintf("<Files %q>", path.Base(w.Path)),
				fmt.Sprintf("  Header set %s %q", w.Name, w.Value), "</Files>")
		}
		file.Lines = append(file.Lines, w.Path, "  "+w.Name+": "+w.Value)
	}
	return []HeaderLines{nginx, apache, file}
}

// LineFor is what makes nginx send one header, for a sentence.
func LineFor(w WantedHeader) string { return LinesFor([]WantedHeader{w})[0].Lines[0] }
