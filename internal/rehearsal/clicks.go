package rehearsal

import (
	"context"
	"runtime"
	"slices"

	"tachyform/internal/useragent"
	"tachyform/internal/useragent/document"
	"tachyform/internal/weburl"
)

// People reach pages by clicking links, which a router may answer otherwise than it opens the address.

// link is one that is to be clicked: on the page from, to the page to. url is its address.
type link struct {
	from, to *PageResult
	url      string
	// offline is the browser in which it is clicked without a network, nil where that is not tried.
	offline *useragent.Browser
	// routed says that a script took the click.
	routed bool
}

// triedBySet is how many links of pages with the same scripts are clicked before it is taken for granted that no script takes clicks.
const triedBySet = 2

// click clicks links to the pages that were tried, each page's once, online and offline. What a click asks for belongs to the page that it leads
// to, whose outcome is the worse one of both ways.
func (r *Rehearsal) click(ctx context.Context, b *useragent.Browser, out *Result) {
	sets := map[string][]*link{}
	var order []string
	for _, l := range linksBetween(out.Pages, out.Unanswered, r.Follow) {
		if sets[l.from.scripts] == nil {
			order = append(order, l.from.scripts)
		}
		sets[l.from.scripts] = append(sets[l.from.scripts], l)
	}
	offline := r.triesOffline()
	left := r.Clicks
	for _, set := range order {
		list := sets[set]
		first := min(triedBySet, len(list), left)
		r.clickAll(ctx, b, list[:first], offline)
		left -= first
		if ctx.Err() != nil {
			return
		}
		if slices.ContainsFunc(list[:first], func(l *link) bool { return l.routed }) {
			n := min(left, len(list)-first)
			r.clickAll(ctx, b, list[first:first+n], offline)
			left -= n
			out.Unclicked += len(list) - first - n
		}
	}
}

// linksBetween lists the first link to each page, from another page whose scripts draw. Among them are those to addresses that the host does not
// answer: a router may draw something there all the same.
func linksBetween(pages, unanswered []*PageResult, follow *Following) (list []*link) {
	at := map[string]*PageResult{}
	for _, p := range slices.Concat(pages, unanswered) {
		at[pageAt(p.URL)] = p
	}
	clicked := map[*PageResult]bool{}
	for _, from := range pages {
		if !from.drawn || !from.opens || from.scripts == "" {
			continue
		}
		for _, url := range from.Seen.Links {
			place := pageAt(url)
			if follow != nil && follow.Same != nil {
				place = follow.Same(place)
			}
			to := at[place]
			if to == nil || to == from || !to.opens && to.Status < 400 || clicked[to] || weburl.OriginOf(url) != weburl.OriginOf(from.URL) {
				continue
			}
			clicked[to] = true
			list = append(list, &link{from: from, to: to, url: url})
		}
	}
	return list
}

// clickAll clicks some links, as many at a time as there are processors.
func (r *Rehearsal) clickAll(ctx context.Context, b *useragent.Browser, list []*link, offline bool) {
	for chunk := range slices.Chunk(list, 4*runtime.GOMAXPROCS(0)) {
		for _, l := range chunk {
			if offline && l.from.actsOffline() {
				l.offline = r.branchOffline(b)
			}
		}
		eachOf(ctx, len(chunk), func(i int) { r.clickOne(ctx, b, chunk[i]) })
		for _, l := range chunk {
			if l.offline != nil {
				l.offline.Close()
			}
		}
	}
}

// clickOne clicks one link.
func (r *Rehearsal) clickOne(ctx context.Context, b *useragent.Browser, l *link) {
	plain := r.withoutWorkers(ctx, b)
	defer plain.Close()
	click := act{l.from, document.Action{Kind: document.Follow, On: l.url}, l.url}
	online, asked := click.do(plain)
	if online == nil {
		return
	}
	l.routed, l.to.Routed = true, true
	if !l.to.opens { // only the click leads there
		l.from.needs(online, asked)
		return
	}
	l.to.needs(online, asked)
	if l.offline == nil {
		return
	}
	o := r.afterAct(ctx, b, click, l.offline, online)
	if o == nil {
		return // the page does not come as far as to take the click
	}
	o.From = l.from.URL
	l.to.replaceWhole(o)
}
