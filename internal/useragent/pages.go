package useragent

import (
	"tachyform/internal/page"
	"tachyform/internal/useragent/document"
	"tachyform/internal/useragent/fetch"
)

// Open opens a URL in a tab, a new one when old is nil. The page that the tab showed before is closed once the new one
// takes its place.
func (b *Browser) Open(url string, old *document.Tab) (t *document.Tab) {
	b.attempt(func() { t = b.windows.Open(url, old) })
	return b.orUnknown(t, url)
}

// orUnknown returns t, or where opening it ended in a panic a tab without a document.
func (b *Browser) orUnknown(t *document.Tab, url string) *document.Tab {
	if t == nil || t.View == nil {
		t = document.NewFailedTab(url)
	}
	return t
}

// Act lets a person do something on the page that a tab shows; see document.Windows.
func (b *Browser) Act(t *document.Tab, a document.Action) (wrong string) {
	b.attempt(func() { wrong = b.windows.Act(t, a) })
	return wrong
}

// StoredItem gives a value of the local storage of the page that a tab shows.
func (b *Browser) StoredItem(t *document.Tab, key string) (string, bool) {
	return b.windows.StoredItem(t, key)
}

// Traverse lets a person go back or ahead in a tab by a number of steps; it gives whether there are so many.
func (b *Browser) Traverse(t *document.Tab, delta int) (there bool) {
	b.attempt(func() { there = b.windows.Traverse(t, delta) })
	return there
}

// Reload loads what a tab shows anew; pastWorker is a reload that asks the network alone.
func (b *Browser) Reload(t *document.Tab, pastWorker bool) (again *document.Tab) {
	b.attempt(func() { again = b.windows.Reload(t, pastWorker) })
	return b.orUnknown(again, t.URL)
}

// Take brings the view of a tab up to date with what it shows now.
func (b *Browser) Take(t *document.Tab) { b.attempt(t.Take) }

// CloseTab closes a tab.
func (b *Browser) CloseTab(t *document.Tab) { b.attempt(func() { b.windows.CloseTab(t) }) }

// Fetch makes a request as the page at a URL, or the one that a tab shows, would. done is false when no answer came
// within document.Limit; resp is nil for a network error, with its reason.
func (b *Browser) Fetch(from *document.Tab, url string, req *fetch.Request) (resp *fetch.Response, why fetch.Failure,
	done bool) {
	b.attempt(func() { resp, why, done = b.windows.Fetch(from, url, req) })
	return resp, why, done
}

// Navigate asks for a page as opening it would, without showing it.
func (b *Browser) Navigate(url string) (resp *fetch.Response, why fetch.Failure, done bool) {
	b.attempt(func() { resp, why, done = b.windows.Request(url) })
	return resp, why, done
}

// Glance gives a page as its host answers for it, without loading what it asks for or running its scripts.
func (b *Browser) Glance(url string) *document.View {
	v := document.NewFailedTab(url).View
	b.attempt(func() { v = b.windows.Glance(url) })
	return v
}

// ReadDocument gives a page's document without loading what it asks for, nil when it is no HTML page with status 200.
func (b *Browser) ReadDocument(url string) (d *page.Document) {
	b.attempt(func() { d = b.windows.ReadDocument(url) })
	return d
}

// Asked says whether Options told what a page asks for once its scripts run.
func (b *Browser) Asked(url string) bool { return b.windows.Asked(url) }

// UnreadRegistrations are calls of register whose worker can't be read.
func (b *Browser) UnreadRegistrations() []page.Place { return b.windows.UnreadRegistrations }
