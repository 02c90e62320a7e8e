package rehearsal

import (
	"bytes"
	"context"
	"regexp"
	"strconv"
	"strings"

	"tachyform/internal/page"
	"tachyform/internal/request"
	"tachyform/internal/site"
	"tachyform/internal/useragent"
	"tachyform/internal/useragent/document"
	"tachyform/internal/useragent/fetch"
	"tachyform/internal/weburl"
)

// NextRelease is what became of a page that was open, and of what was kept, when a release came that changes the
// worker's script by a line and some of the files that the page had got from the worker.
type NextRelease struct {
	// Failure says why the new worker could not be installed, "" when it was.
	Failure string
	// AtOnce tells that it took over while the page of the release before was open.
	AtOnce bool
	// Mixed is a file that the open page then got from the new release, although it had come from what the old one kept;
	// "" for none.
	Mixed string
	// Left are caches under names of earlier releases that are still there once the new worker is active alone. Nobody
	// had put them there but the probe.
	Left []string
}

// amended is a host as it answers after the next release.
type amended struct {
	site.Host
	script string          // the worker's
	files  map[string]bool // that change
}

// Answer implements site.Host.
func (h amended) Answer(ctx context.Context, r *site.Request) (*site.Response, error) {
	resp, err := h.Host.Answer(ctx, r)
	if err != nil || resp.Body == nil || resp.Status != 200 {
		return resp, err
	}
	url := r.URL.Href(true)
	if url != h.script && !h.files[url] {
		return resp, nil
	}
	text, err := resp.Body.Bytes()
	if err != nil {
		return nil, err
	}
	out := *resp
	out.Body = site.Bytes(append(bytes.Clone(text), "\n/* the release after */\n"...))
	return &out, nil
}

var versionInName = regexp.MustCompile(`[0-9]+`)

// earlierName gives the name that a cache may have had a release ago: with another number in it, "" where it has none.
func earlierName(name string) string {
	all := versionInName.FindAllStringIndex(name, -1)
	if all == nil {
		return ""
	}
	last := all[len(all)-1]
	n, err := strconv.ParseUint(name[last[0]:last[1]], 10, 63)
	if err != nil {
		return ""
	}
	if n == 0 {
		n = 8
	} else {
		n--
	}
	text := strconv.FormatUint(n, 10)
	for len(text) < last[1]-last[0] {
		text = "0" + text
	}
	return name[:last[0]] + text + name[last[1]:]
}

// maxMixed is how many of a page's files are looked at.
const maxMixed = 3

// deployNext deploys a release in a branch of the browser that visited the site. It gives nil where no worker serves
// the first page.
func (r *Rehearsal) deployNext(b *useragent.Browser) *NextRelease {
	defer b.Close()
	url := r.Visit[0]
	g, ok := b.RegistrationFor(url)
	if !ok || g.Active == nil || g.Waiting != nil {
		return nil
	}
	old := g.Active
	out := &NextRelease{}
	kept := map[string]bool{}
	existing := map[string]bool{}
	for _, c := range b.Caches() {
		existing[c.Name] = true
	}
	for _, c := range b.Caches() {
		if earlier := earlierName(c.Name); earlier != "" && !existing[earlier] {
			b.AddCache(earlier, c.Name)
			kept[earlier] = true
		}
	}
	tab := b.Open(url, nil)
	b.Settle()
	shown := tab.View
	before := map[page.Reference][]byte{}
	files := map[string]bool{}
	for _, l := range tab.Loads {
		if (l.Destination == request.Style || l.Destination == request.Script) && l.Source.Kind == fetch.CacheSource &&
			strings.HasPrefix(l.URL, weburl.OriginOf(url)+"/") && len(files) < maxMixed {
			files[l.URL] = true
			before[l.Reference] = content(b, tab, l.Reference)
		}
	}
	host := b.Host(weburl.OriginOf(url))
	deploy := func(files map[string]bool) bool {
		b.Deploy(amended{host, old.Script, files})
		failed := len(b.Failures())
		b.CheckForUpdate(g.Scope)
		b.Settle()
		if failures := b.Failures(); len(failures) > failed {
			out.Failure = failures[len(failures)-1].Error
			return false
		}
		out.Failure = ""
		return true
	}
	// A worker that knows its files by their content takes no others; then its script changes alone.
	if !deploy(files) && (len(files) == 0 || !deploy(nil)) {
		return out
	}
	now, _ := b.RegistrationFor(url)
	if out.AtOnce = now.Active == nil || now.Active.ID != old.ID; out.AtOnce && tab.Shows(shown) {
		for ref, was := range before {
			if now := content(b, tab, ref); was != nil && now != nil && !bytes.Equal(was, now) &&
				(out.Mixed == "" || ref.URL < out.Mixed) {
				out.Mixed = ref.URL
			}
		}
	}
	b.CloseTab(tab)
	b.Settle()
	b.CloseTab(b.Open(url, nil))
	b.Settle()
	for _, c := range b.Caches() {
		if kept[c.Name] {
			out.Left = append(out.Left, c.Name)
		}
	}
	return out
}

// content asks for something from the page in a tab and gives the bytes, nil when nothing comes.
func content(b *useragent.Browser, tab *document.Tab, ref page.Reference) []byte {
	resp, _, _ := b.Fetch(tab, "", &fetch.Request{
		URL: ref.URL, Method: "GET", Mode: ref.Mode, Destination: ref.Destination, Credentials: ref.Credentials,
		Cache: "default", Redirect: "follow", Referrer: "about:client",
	})
	return resp.Actual().Bytes()
}
