package survey

import (
	"context"

	"tachyform/internal/page"
	"tachyform/internal/site"
)

// TakeSnapshot takes pages of a live site with all that they ask for on its own origin, in turn, as visits have shown
// and their files say.
func TakeSnapshot(ctx context.Context, s *site.Snapshot, urls []string, r *page.Reader, shown *page.Seen) error {
	seen := map[string]bool{}
	queue := append([]string{}, urls...)
	for _, url := range shown.URLs() {
		for _, ask := range shown.Pages[url].Requests {
			queue = append(queue, ask.URL)
		}
	}
	for i := 0; i < len(queue); i++ {
		if err := ctx.Err(); err != nil {
			return err
		}
		if seen[queue[i]] {
			continue
		}
		seen[queue[i]] = true
		file, err := s.Take(ctx, queue[i])
		if err != nil {
			return err
		}
		if file == nil {
			continue
		}
		c := read(s.Folder, r, file)
		if c.err != nil {
			return c.err
		}
		for _, ref := range c.refs {
			queue = append(queue, ref.URL)
		}
	}
	return nil
}
