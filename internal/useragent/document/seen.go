package document

import (
	"strings"

	"tachyform/internal/page"
	"tachyform/internal/request"
	"tachyform/internal/weburl"
)

// add takes in a load, but for those that no host is asked for.
func (v *View) add(l *Load) {
	if !weburl.Hostless(l.URL) {
		v.Loads = append(v.Loads, l)
	}
}

// kept is what a view without its document still tells.
type kept struct {
	text  string
	links []string
}

// WithoutDocument gives the view as it is kept of pages that are compared with nothing any more: it has Links and Text
// still, but neither DrawnLinks nor FullText.
func (v *View) WithoutDocument() *View {
	if v.Document == nil {
		return v
	}
	out := *v
	out.kept, out.Document = &kept{strings.Clone(v.Text()), v.Links()}, nil
	return &out
}

// Seen gives what the visit has shown as a value.
func (v *View) Seen() *page.SeenPage {
	s := &page.SeenPage{URL: v.URL, Status: v.Status, Title: v.Title, Scripted: v.Scripted,
		Links: v.DrawnLinks(), Registrations: v.Registrations,
		Unfinished: v.Drawn != DrawnRun || len(v.Gaps) > 0 || len(v.Errors) > 0}
	final, asked := weburl.WithoutQuery(weburl.WithoutFragment(v.FinalURL)), weburl.WithoutQuery(weburl.WithoutFragment(v.URL))
	if v.Documents > 1 && final != asked && weburl.OriginOf(final) == weburl.OriginOf(asked) {
		s.Led = final
	}
	known := map[string]bool{}
	for _, l := range v.Loads {
		if l.Destination == request.Manifest || l.Background && l.Destination == request.Image || known[l.URL] {
			continue
		}
		known[l.URL] = true
		s.Requests = append(s.Requests, page.SeenRequest{URL: l.URL, Destination: l.Destination, Mode: l.Mode, Method: l.Method, Status: l.Status,
			Missing: l.Missing || !l.Done, Unknown: l.Unknown, ByScript: l.Runs})
	}
	origin := weburl.OriginOf(v.FinalURL)
	for _, path := range v.Asked {
		if url := origin + path; !known[url] && url != weburl.WithoutFragment(v.FinalURL) {
			known[url] = true
			s.Requests = append(s.Requests, page.SeenRequest{URL: url, ByScript: true})
		}
	}
	return s
}
