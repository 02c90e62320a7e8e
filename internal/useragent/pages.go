package useragent

import (
	"tachyform/internal/page"
	"tachyform/internal/useragent/document"
	"tachyform/internal/useragent/fetch"
)

// Open opens a URL in a tab, a new one when old is nil. The page that the tab showed before is closed once the new one
// takes its place.
func (b *Browser) Open(url string, old *document.Tab) *document.Tab { return b.windows.Open(url, old) }

// Act lets a person do something on the page that a tab shows; see document.Windows.
func (b *Browser) Act(t *document.Tab, a document.Action) (wrong string) { return b.windows.Act(t, a) }

// StoredItem gives a value of the local storage of the page that a tab shows.
func (b *Browser) StoredItem(t *document.Tab, key string) (string, bool) {
	return b.windows.StoredItem(t, key)
}

// Traverse lets a person go back or ahead in a tab by a number of steps; it gives whether there are so many.
func (b *Browser) Traverse(t *document.Tab, delta int) bool { return b.windows.Traverse(t, delta) }

// Reload loads what a tab shows anew; pastWorker is a reload that asks the network alone.
func (b *Browser) Reload(t *document.Tab, pastWorker bool) *document.Tab {
	return b.windows.Reload(t, pastWorker)
}

// CloseTab closes a tab.
func (b *Browser) CloseTab(t *document.Tab) { b.windows.CloseTab(t) }

// Fetch makes a request as the page at a URL, or the one that a tab shows, would. done is false when no answer came
// within document.Limit; resp is nil for a network error.
func (b *Browser) Fetch(from *document.Tab, url string, req *fetch.Request) (resp *fetch.Response, by fetch.Answerer,
	done bool) {
	return b.windows.Fetch(from, url, req)
}

// Navigate asks for a page as opening it would, without showing it.
func (b *Browser) Navigate(url string) (resp *fetch.Response, by fetch.Answerer, reason fetch.Failure, done bool) {
	return b.windows.Request(url)
}

// Glance gives a page as its host answers for it, without loading what it asks for or running its scripts.
func (b *Browser) Glance(url string) *document.View { return b.windows.Glance(url) }

// ReadDocument gives a page's document without loading what it asks for, nil when it is no HTML page with status 200.
func (b *Browser) ReadDocument(url string) *page.Document { return b.windows.ReadDocument(url) }

// Asked says whether Options told what a page asks for once its scripts run.
func (b *Browser) Asked(url string) bool { return b.windows.Asked(url) }

// UnreadRegistrations are calls of register whose worker can't be read.
func (b *Browser) UnreadRegistrations() []page.Place { return b.windows.UnreadRegistrations }
