package rehearsal

import (
	"bytes"
	"slices"
	"sync"

	"tachyform/internal/request"
	"tachyform/internal/site"
	"tachyform/internal/useragent"
	"tachyform/internal/useragent/document"
	"tachyform/internal/useragent/fetch"
	"tachyform/internal/weburl"
)

// onlineAnswers knows what the hosts answer for addresses. A page that got the same answers without the network as it
// gets online draws the same, and need not be drawn twice: runs are deterministic.
type onlineAnswers struct {
	mu    sync.Mutex
	known map[string]*fetch.Response
}

// decisive are the headers of a document that change what is made of its bytes.
var decisive = []string{"content-type", "content-security-policy", "link", "refresh", "referrer-policy"}

// draws says whether a view shows what the page draws online for certain: its document and all that it asked for came
// to the end, with the bytes that the hosts answer. glance is the page as its host answers for it, plain a browser
// without workers.
func (a *onlineAnswers) draws(v, glance *document.View, plain *useragent.Browser) bool {
	if v.Drawn != document.DrawnRun || v.Documents > 1 || v.FinalURL != glance.FinalURL || v.Document == nil ||
		len(v.Registrations) == 0 || glance.Response == nil || !sameAnswer(v.Response.Actual(), glance.Response.Actual()) {
		return false
	}
	for _, name := range decisive {
		if v.Response.Actual().Get(name) != glance.Response.Actual().Get(name) {
			return false
		}
	}
	asked := map[string]bool{weburl.WithoutFragment(v.FinalURL): true}
	for _, l := range v.Loads {
		asked[l.URL] = true
		if l.Missing || l.Refused || l.Unknown || !l.Done || l.Destination == request.Frame ||
			l.Answer != nil && !sameAnswer(l.Answer, a.of(l.URL, plain)) {
			return false
		}
	}
	origin := weburl.OriginOf(v.FinalURL)
	return !slices.ContainsFunc(v.Asked, func(path string) bool { return !asked[origin+path] })
}

func (a *onlineAnswers) of(url string, plain *useragent.Browser) *fetch.Response {
	a.mu.Lock()
	defer a.mu.Unlock()
	if resp, known := a.known[url]; known {
		return resp
	}
	resp, _, _ := plain.Navigate(url)
	if a.known == nil {
		a.known = map[string]*fetch.Response{}
	}
	a.known[url] = resp.Actual()
	return resp.Actual()
}

func sameAnswer(a, b *fetch.Response) bool {
	return a != nil && b != nil && a.Status == b.Status && !a.Unknown && !b.Unknown &&
		a.Get("content-type") == b.Get("content-type") && (sameFile(a.Body, b.Body) || bytes.Equal(a.Bytes(), b.Bytes()))
}

func sameFile(a, b site.Body) bool {
	f, is := a.(*site.File)
	g, alike := b.(*site.File)
	return is && alike && f == g
}

// areFolders says whether hosts answer from folders alone, always alike. A live one would have to be asked once more.
func areFolders(hosts []site.Host) bool {
	return !slices.ContainsFunc(hosts, func(h site.Host) bool { _, is := h.(*site.Folder); return !is })
}
