package useragent

import (
	"context"
	"strings"

	"tachyform/internal/page"
	"tachyform/internal/request"
	"tachyform/internal/site"
	"tachyform/internal/useragent/document"
	"tachyform/internal/useragent/fetch"
	"tachyform/internal/weburl"
)

// Installer looks at a page as a browser does that considers whether to offer installing it: it opens the page online,
// in a browser that has never been there, and asks for the manifest and its icons as the page would.
type Installer struct {
	b   *Browser
	tab *document.Tab
}

// Fetched is what an installer was given.
type Fetched struct {
	// URL is the address that answered, after redirects.
	URL string
	// Status is 0 where nothing came that could be used; Why says why then.
	Status int
	Type   string
	Body   site.Body
	Why    fetch.Failure
}

// NewInstaller opens the page at url, after the pages that are visited before it: it may be there only for those who
// have their cookies. Workers are left out unless another page is shown in its place.
func NewInstaller(ctx context.Context, hosts []site.Host, o Options, visit []string, url string) *Installer {
	o.WithoutWorkers, o.ScriptsOnly = true, true
	b := New(ctx, hosts, o)
	var tab *document.Tab
	for _, v := range visit {
		if v == url {
			break
		}
		tab = b.Open(v, tab)
	}
	tab = b.Open(url, tab)
	if tab.Response != nil && tab.Response.Actual().URL() != weburl.WithoutFragment(url) {
		// A page that stands in its way may wait for a worker before it lets anybody through.
		b.windows.WithoutWorkers = false
		tab = b.Open(url, tab)
		b.Settle()
		b.Take(tab)
	}
	return &Installer{b, tab}
}

// Close gives back what the installer holds.
func (i *Installer) Close() { i.b.Close() }

// Strained is how many limits are known to have been exhausted on the site; see Browser.Strain.
func (i *Installer) Strained() int { return i.b.Strained() }

// Page is the page that it looks at.
func (i *Installer) Page() *document.View { return i.tab.View }

// Document is the page as its scripts have left it; nil when it is none.
func (i *Installer) Document() *page.Document { return i.tab.Document }

// Manifest fetches a manifest (HTML, 4.6.8.9): in the mode cors, with credentials only where the link asks for them.
func (i *Installer) Manifest(url string, credentials bool) Fetched {
	req := &fetch.Request{URL: url, Method: "GET", Mode: request.CORS, Credentials: "omit", Redirect: "follow",
		Destination: request.Manifest, Referrer: i.tab.Address()}
	if credentials {
		req.Credentials = "include"
	}
	return i.ask(i.tab, req)
}

// Icon fetches a picture that the manifest names, as the page's own pictures are fetched.
func (i *Installer) Icon(url string) Fetched {
	from := i.tab
	if strings.HasPrefix(url, "data:") {
		from = nil // a picture that is its own address is not asked for, so that no policy of the page keeps it away
	}
	return i.ask(from, &fetch.Request{URL: url, Method: "GET", Mode: request.NoCORS, Credentials: "include", Redirect: "follow",
		Destination: request.Image, Referrer: i.tab.Address()})
}

// ask makes a request for the page that a tab shows, or for none.
func (i *Installer) ask(from *document.Tab, req *fetch.Request) (came Fetched) {
	came = Fetched{URL: req.URL, Why: fetch.Failure{Kind: fetch.NothingAnswers}}
	said := len(i.b.account.Notes)
	resp, why, done := i.b.Fetch(from, i.tab.Address(), req)
	if !done {
		return came
	}
	if why.Kind == fetch.PolicyForbids {
		came.Why = why
		return came
	}
	if resp == nil {
		for _, n := range i.b.account.Notes[said:] {
			came.Why = fetch.Failure{Kind: fetch.ToldOnConsole, Detail: n.Text}
		}
		return came
	}
	actual := resp.Actual()
	if origin := weburl.OriginOf(actual.URL()); strings.HasPrefix(origin, "http") && i.b.net.Hosts[origin] == nil {
		came.Why = fetch.Failure{Kind: fetch.UnknownOrigin, Detail: origin}
		return came
	}
	came.Status, came.Type, came.Body, came.Why = actual.Status, actual.Get("content-type"), actual.Body, fetch.Failure{}
	if u := actual.URL(); u != "" {
		came.URL = u
	}
	return came
}
