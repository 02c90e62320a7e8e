package page

import (
	"slices"

	"tachyform/internal/request"
)

// Seen is what visits of a site's pages have shown, online and without a service worker. Makers of packs and projects
// take it as a value; the nil Seen has shown nothing.
type Seen struct {
	// Pages are the visited ones by address, as they were asked for.
	Pages map[string]*SeenPage
	// Alike says of pages that were not opened, by URL, which files pages with the same scripts ask for, as URLs.
	Alike map[string][]string
	// Unvisited counts pages with scripts that were not opened, because there are so many.
	Unvisited int
}

// SeenPage is what one visit has shown.
type SeenPage struct {
	// URL is the address as asked for, Status that of its document.
	URL    string
	Status int
	Title  string
	// Led is the address, on its own origin, of the document that it led to by itself, "" where it stayed.
	Led string
	// Scripted says that scripts have drawn on it.
	Scripted bool
	// Requests are those that it made, whoever made them for it, each once.
	Requests []SeenRequest
	// Links are the addresses on its own origin that it leads to.
	Links []string
	// Registrations are its calls of navigator.serviceWorker.register.
	Registrations []Registration
	// Unfinished says that its scripts were stopped, or used what is lacking here, so that they may do more elsewhere.
	Unfinished bool
}

// SeenRequest is something that a page asked for.
type SeenRequest struct {
	URL         string
	Destination request.Destination
	Mode        request.Mode
	// Method is that of a script's request, "" for GET.
	Method string
	// Status is that of the answer, 0 for none. Missing says that nothing of use came, Unknown that its content is not
	// known here.
	Status           int
	Missing, Unknown bool
	// ByScript says that a script asked for it once it ran.
	ByScript bool
}

// ScriptSet names the scripts of a document: pages with the same ones do much the same. It is "" where there are none.
func (d *Document) ScriptSet() string {
	names := ""
	for _, r := range d.References {
		if r.Destination == request.Script {
			names += r.URL + "\n"
		}
	}
	for _, s := range d.Scripts {
		names += s.Text + "\n"
	}
	return names
}

// Of gives what a page has shown, nil for one that was not opened.
func (s *Seen) Of(url string) *SeenPage {
	if s == nil {
		return nil
	}
	return s.Pages[url]
}

// URLs are the addresses of the pages in order.
func (s *Seen) URLs() []string {
	if s == nil {
		return nil
	}
	list := make([]string, 0, len(s.Pages))
	for url := range s.Pages {
		list = append(list, url)
	}
	slices.Sort(list)
	return list
}

// Registrations are the calls of register that were seen, each worker and scope once, in the order of the pages.
func (s *Seen) Registrations() (list []Registration) {
	for _, url := range s.URLs() {
		for _, r := range s.Pages[url].Registrations {
			if !slices.ContainsFunc(list, func(o Registration) bool { return o.Script == r.Script && o.Covers() == r.Covers() }) {
				list = append(list, r)
			}
		}
	}
	return list
}
