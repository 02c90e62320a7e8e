package rehearsal

import (
	"context"
	"strings"

	"tachyform/internal/site"
	"tachyform/internal/useragent"
	"tachyform/internal/weburl"
)

// PagesOf lists the absolute URLs of pages found from links, starting with entry, on its origin, at most so many and
// so many links away; what the host's robots.txt asks to leave alone is. It is for sites without a folder.
func PagesOf(ctx context.Context, host site.Host, entry string, most, depth int) []string {
	b := useragent.New(ctx, []site.Host{host}, useragent.Options{})
	defer b.Close()
	robots := site.AskRobots(ctx, host)
	seen := map[string]int{entry: 1} // one more than the links it is away
	queue := []string{entry}
	var pages []string
	for i := 0; i < len(queue) && len(pages) < most && ctx.Err() == nil; i++ {
		d := b.ReadDocument(queue[i])
		if d == nil {
			continue
		}
		pages = append(pages, queue[i])
		for _, l := range d.Links {
			u := weburl.WithoutQuery(l.URL)
			if path, own := strings.CutPrefix(u, host.Origin()); own && strings.HasPrefix(path, "/") && seen[u] == 0 &&
				seen[queue[i]] <= depth && robots.Allows(path) {
				seen[u] = seen[queue[i]] + 1
				queue = append(queue, u)
			}
		}
	}
	return pages
}
