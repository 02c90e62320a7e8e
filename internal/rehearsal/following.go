package rehearsal

import (
	"strings"

	"tachyform/internal/weburl"
)

// queue is the list of pages that are tried, which grows by what the pages link to.
type queue struct {
	*Following
	pages []string
	depth []int // of each, how many links it is away
	seen  map[string]bool
}

func (r *Rehearsal) newQueue() *queue {
	q := &queue{Following: r.Follow, pages: r.Pages[:len(r.Pages):len(r.Pages)], seen: map[string]bool{}}
	for _, url := range r.Pages {
		q.seen[pageAt(url)] = true
	}
	q.depth = make([]int, len(q.pages))
	return q
}

// pageAt is the address of a page as it is told from others: without its query, and without a fragment that no router
// reads.
func pageAt(url string) string {
	rest, fragment, _ := strings.Cut(url, "#")
	rest = weburl.WithoutQuery(rest)
	if route := strings.TrimPrefix(fragment, "!"); strings.HasPrefix(route, "/") && route != "/" {
		return rest + "#" + fragment
	}
	return rest
}

// follow adds what pages link to; first is the place of the first of them in the list.
func (q *queue) follow(pages []*PageResult, first int) {
	for i, p := range pages {
		if q.Following == nil || p == nil || q.depth[first+i] >= q.Depth {
			continue
		}
		for _, l := range p.Seen.Links {
			url := pageAt(l)
			if q.Same != nil {
				url = q.Same(url)
			}
			if q.seen[url] || len(q.pages) >= q.AtMost || weburl.OriginOf(url) != weburl.OriginOf(p.URL) {
				continue
			}
			q.seen[url] = true
			if path := strings.TrimPrefix(url, weburl.OriginOf(url)); q.Allows != nil && !q.Allows(path) {
				continue
			}
			q.pages, q.depth = append(q.pages, url), append(q.depth, q.depth[first+i]+1)
		}
	}
}

// found says whether links led to a page.
func (q *queue) found(index int) bool { return q.depth[index] > 0 }
