package document

import (
	"slices"
	"strings"

	"tachyform/internal/request"
	"tachyform/internal/site"
	"tachyform/internal/useragent/fetch"
	"tachyform/internal/weburl"
)

// Drawn says how far a page's scripts were run before it was judged.
type Drawn string

// How far that may be.
const (
	DrawnRun     Drawn = "run"     // they have run, or there are none
	DrawnStopped Drawn = "stopped" // our bounds ended them
	DrawnRead    Drawn = "read"    // they were only read
)

// NewFailedTab returns a tab that shows nothing, for a page that an internal error kept from being opened.
func NewFailedTab(url string) *Tab {
	return &Tab{View: &View{URL: url, FinalURL: url, Failed: true, Reason: fetch.Failure{Kind: fetch.InternalError},
		Drawn: DrawnStopped, Documents: 1}}
}

// Take takes over what the tab shows now, and what it has loaded since it was last sent somewhere.
func (t *Tab) Take() {
	c := t.window
	if c == nil {
		return
	}
	c.takeOver()
	t.View = c.view
	v := c.view
	v.Documents, v.Asked = len(t.trail), nil
	list := t.trail
	if len(list) == 0 {
		list = []*window{c}
	}
	origin := weburl.OriginOf(c.URL)
	ask := func(url string) {
		if path, own := strings.CutPrefix(weburl.WithoutFragment(url), origin); own && strings.HasPrefix(path, "/") &&
			path != "/favicon.ico" {
			v.Asked = append(v.Asked, path)
		}
	}
	for _, shown := range list {
		if len(t.trail) > 0 {
			for _, u := range shown.asked {
				ask(u)
			}
		}
		for _, l := range shown.view.Loads {
			icon := l.Background && l.Destination == request.Image
			if l.Destination != request.Manifest && !icon {
				ask(l.URL)
			}
		}
	}
	slices.Sort(v.Asked)
	v.Asked = slices.Compact(v.Asked)
	switch {
	case !c.runs() && v.Document != nil && c.in.StartRealm == nil && hasScripts(v.Document):
		v.Drawn = DrawnRead
	case c.runs() && c.scripts.realm.Stop() != nil:
		v.Drawn = DrawnStopped
	default:
		v.Drawn = DrawnRun
	}
}

// ScriptError is an error that no script of a page caught.
type ScriptError struct{ Name, Text string }

// mostErrors bounds how many errors of a page are kept.
const mostErrors = 20

// Shadows is what the shadow trees of a page show, which its text and its links as others see them leave out.
type Shadows struct {
	Text  string   `json:"text"`
	Links []string `json:"links"`
	// Pictured says that there is something to see or to use in them beside text.
	Pictured bool `json:"pictured"`
}

// ShowsNothing says whether there is no text on the page, no picture and nothing to use.
func (v *View) ShowsNothing() bool {
	return v.Document != nil && v.DrawnText() == "" && !v.Document.Pictured() && !v.Shadows.Pictured
}

// DrawnText is all that the page shows as text, what stands in shadow trees last.
func (v *View) DrawnText() string { return strings.TrimSpace(v.FullText() + " " + v.Shadows.Text) }

// HostKnows says whether the host's settings tell how it answers at a URL on its origin, so that an answer that is an
// error is what the site gives.
func (v *View) HostKnows(url string) bool { return v.hostKnows == nil || v.hostKnows(url) }

// FallsBack says whether the host answers at a URL with the page that it has for addresses without a file.
func (v *View) FallsBack(url string) bool { return v.fallsBack != nil && v.fallsBack(url) }

// longestText bounds how much of a page's text is shown to others, in characters.
const longestText = 400

// FullText is what the page shows as text, with white space collapsed, "" where it shows no document.
func (v *View) FullText() string {
	switch {
	case v.Document != nil:
		return v.reader.Text(v.Document, v.styles)
	case v.Failed || v.Stuck || v.Response == nil:
		return ""
	}
	actual := v.Response.Actual()
	if kind := site.Essence(actual.Get("content-type")); strings.HasPrefix(kind, "text/") || kind == "application/json" {
		return strings.Join(strings.Fields(string(actual.Bytes())), " ")
	}
	return ""
}

// Text is the beginning of FullText.
func (v *View) Text() string {
	if v.kept != nil {
		return v.kept.text
	}
	letters := []rune(v.FullText())
	return string(letters[:min(longestText, len(letters))])
}

// DrawnLinks are the addresses on the page's own origin that its links lead to, in their order.
func (v *View) DrawnLinks() (list []string) {
	if v.Document == nil {
		return nil
	}
	for _, l := range v.Document.Links {
		if !l.Anchor || weburl.OriginOf(l.URL) != weburl.OriginOf(v.FinalURL) {
			continue
		}
		url := l.URL
		if l.Fragment != "" {
			url += "#" + l.Fragment
		}
		list = append(list, url)
	}
	for _, url := range v.Shadows.Links {
		if weburl.OriginOf(url) == weburl.OriginOf(v.FinalURL) {
			list = append(list, url)
		}
	}
	return list
}

// mostLinks bounds how many links of a page are listed.
const mostLinks = 40

// Links are the paths on the page's own origin that its links lead to, each once, sorted.
func (v *View) Links() []string {
	list := []string{}
	switch {
	case v.kept != nil:
		return v.kept.links
	case v.Document == nil:
		return list
	}
	origin := weburl.OriginOf(v.FinalURL)
	for _, l := range v.Document.Links {
		path, own := strings.CutPrefix(weburl.WithoutQuery(weburl.WithoutFragment(l.URL)), origin)
		if l.Anchor && own && strings.HasPrefix(path, "/") {
			list = append(list, path)
		}
	}
	slices.Sort(list)
	list = slices.Compact(list)
	return list[:min(mostLinks, len(list))]
}
