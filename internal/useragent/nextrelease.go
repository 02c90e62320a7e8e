package useragent

import (
	"bytes"
	"context"
	"regexp"
	"strconv"
	"strings"

	"tachyform/internal/page"
	"tachyform/internal/site"
	"tachyform/internal/weburl"
)

// NextRelease is what became of a page that was open, and of what was kept, when a release came that changes the worker's script by a line and
// some of the files that the page had got from the worker.
type NextRelease struct {
	// Failure says why the new worker could not be installed, "" when it was.
	Failure string
	// AtOnce tells that it took over while the page of the release before was open.
	AtOnce bool
	// Mixed is a file that the open page then got from the new release, although it had come from what the old one kept; "" for none.
	Mixed string
	// Left are caches under names of earlier releases that are still there once the new worker is active alone. Nobody had put them
	// there but the probe.
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

// deployNext deploys a release in a branch of the browser that visited the site. It gives nil where no worker serves the first page.
func (r *Rehearsal) deployNext(b *Browser) *NextRelease {
	defer b.Close()
	url := r.Visit[0]
	g := b.matchServiceWorkerRegistration(url)
	if g == nil || g.Active == nil || g.Waiting != nil {
		return nil
	}
	old := g.Active
	out := &NextRelease{}
	kept := map[string]string{}
	for _, name := range append([]string(nil), b.store.names...) {
		if earlier := earlierName(name); earlier != "" && b.store.caches[earlier] == nil {
			b.store.open(earlier).entries = b.store.caches[name].entries[:min(1, len(b.store.caches[name].entries))]
			kept[earlier] = name
		}
	}
	tab := b.Open(url, nil)
	b.Settle()
	shown := tab.client
	before := map[string][]byte{}
	files := map[string]bool{}
	for _, l := range tab.Loads {
		if (l.Destination == "style" || l.Destination == "script") && l.Source.Kind == CacheSource && strings.HasPrefix(l.URL, weburl.OriginOf(url)+"/") && len(files) < maxMixed {
			files[l.URL] = true
			before[l.URL] = b.content(tab, l.Reference)
		}
	}
	origin := weburl.OriginOf(url)
	host := b.net.hosts[origin]
	deploy := func(files map[string]bool) bool {
		hosts := map[string]site.Host{}
		for at, h := range b.net.hosts {
			hosts[at] = h
		}
		hosts[origin] = amended{host, old.Script, files}
		b.net.hosts = hosts
		failed := len(b.failures)
		b.softUpdate(g)
		b.Settle()
		if len(b.failures) > failed {
			out.Failure = b.failures[len(b.failures)-1].Failure
			return false
		}
		out.Failure = ""
		return true
	}
	// A worker that knows its files by their content takes no others; then its script changes alone.
	if !deploy(files) && (len(files) == 0 || !deploy(nil)) {
		return out
	}
	if out.AtOnce = g.Active != old; out.AtOnce && tab.client == shown {
		for u, was := range before {
			if now := b.content(tab, page.Reference{URL: u, Destination: shown.seen[u+" style"].kind(), Mode: "no-cors", Credentials: "include"}); was != nil && now != nil && !bytes.Equal(was, now) && (out.Mixed == "" || u < out.Mixed) {
				out.Mixed = u
			}
		}
	}
	b.CloseTab(tab)
	b.Settle()
	b.CloseTab(b.Open(url, nil))
	b.Settle()
	for _, name := range b.store.names {
		if kept[name] != "" {
			out.Left = append(out.Left, name)
		}
	}
	return out
}

// kind is the destination of a load that was a style sheet, else that of a script.
func (l *Load) kind() string {
	if l == nil {
		return "script"
	}
	return l.Destination
}

// content asks for something from the page in a tab and gives the bytes, nil when nothing comes.
func (b *Browser) content(tab *Tab, ref page.Reference) (text []byte) {
	done := false
	req := &Request{URL: ref.URL, Method: "GET", Mode: ref.Mode, Destination: ref.Destination, Credentials: ref.Credentials, Cache: "default", Redirect: "follow", Referrer: "about:client"}
	b.clientFetch(tab.client, req, func(resp *Response, _ Answerer) {
		if done = true; resp != nil {
			text = bodyBytes(resp.Actual())
		}
	})
	b.clock.run(func() bool { return done }, b.clock.now+DocumentLimit)
	return text
}
