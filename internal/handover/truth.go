package handover

import (
	"bytes"
	"context"
	"strings"
	"sync"

	"tachyform/internal/rehearsal"
	"tachyform/internal/request"
	"tachyform/internal/useragent"
	"tachyform/internal/useragent/document"
	"tachyform/internal/useragent/fetch"
	"tachyform/internal/weburl"
)

// Whose says from which release the bytes of something are.
type Whose string

// From which that may be.
const (
	Old     Whose = "old"
	New     Whose = "new"
	Same    Whose = "same"    // the hosts of both releases answer that address with these bytes
	Missing Whose = "missing" // nothing came
	Other   Whose = "other"   // bytes of neither, such as an answer that the worker made
)

// truth knows what the hosts of each release answer. Many visitors may ask it at once.
type truth struct {
	ctx    context.Context
	in     Input
	origin string
	// icons are the addresses of manifests and icons, which browsers fetch on their own account.
	icons map[string]bool
	// oldWorker is the script of the old release's worker and what it imports, oldCaches and newCaches the names of the
	// caches that somebody has who has seen one of the releases alone.
	oldWorker            []string
	oldCaches, newCaches []string

	mu    sync.Mutex
	plain []*useragent.Browser // by release
	known map[truthKey]*fetch.Response
	views map[viewKey]*viewOnce
}

type truthKey struct {
	release int
	url     string
}

type viewKey struct {
	release *Release
	url     string
	later   bool
}

type viewOnce struct {
	once sync.Once
	view *document.View
}

func newTruth(ctx context.Context, in Input) *truth {
	t := &truth{ctx: ctx, in: in, origin: in.Releases[0].Host.Origin(), known: map[truthKey]*fetch.Response{},
		views: map[viewKey]*viewOnce{}, icons: map[string]bool{in.Releases[0].Host.Origin() + "/favicon.ico": true}}
	o := in.Options
	o.WithoutWorkers, o.HTTPCache = true, false
	for _, r := range in.Releases {
		b := useragent.New(ctx, r.hosts(), o)
		t.plain = append(t.plain, b)
		for _, url := range in.Visit {
			d := b.ReadDocument(url)
			if d == nil {
				continue
			}
			for _, ref := range d.References {
				if ref.Destination == request.Manifest || ref.Background && ref.Destination == request.Image {
					t.icons[ref.URL] = true
				}
				if ref.Destination == request.Manifest {
					for _, icon := range manifestIcons(b, ref.URL) {
						t.icons[icon] = true
					}
				}
			}
		}
	}
	return t
}

func (t *truth) close() {
	for _, b := range t.plain {
		b.Close()
	}
}

// aside says whether an address is of a manifest or an icon.
func (t *truth) aside(url string) bool { return t.icons[url] }

// local writes an address on the site's own origin as path and query.
func (t *truth) local(url string) string {
	if rest, own := strings.CutPrefix(url, t.origin); own && strings.HasPrefix(rest, "/") {
		return rest
	}
	return url
}

// answer is what the host of a release answers at an address.
func (t *truth) answer(release int, url string) *fetch.Response {
	t.mu.Lock()
	defer t.mu.Unlock()
	key := truthKey{release, weburl.WithoutFragment(url)}
	resp, known := t.known[key]
	if !known {
		got, _, _ := t.plain[release].Navigate(key.url)
		resp = got.Actual()
		t.known[key] = resp
	}
	return resp
}

// whose says from which release an answer is. Of several old ones the first counts as the old one, then the others.
func (t *truth) whose(url string, got *fetch.Response) Whose {
	if got == nil {
		return Missing
	}
	if got.Unknown {
		return Same
	}
	last := len(t.in.Releases) - 1
	is := func(release int) bool {
		a := t.answer(release, url)
		return a != nil && !a.Unknown && a.Status == got.Status && bytes.Equal(a.Bytes(), got.Bytes())
	}
	isNew := is(last)
	isOld := false
	for release := range last {
		isOld = isOld || is(release)
	}
	switch {
	case isOld && isNew:
		return Same
	case isOld:
		return Old
	case isNew:
		return New
	}
	return Other
}

// oldOf is the old release that a view's document is of, the last one where several have it.
func (t *truth) oldOf(view *document.View) *Release {
	for i := len(t.in.Releases) - 2; i > 0; i-- {
		if a := t.answer(i, view.FinalURL); a != nil && view.Response != nil && bytes.Equal(a.Bytes(), view.Response.Actual().Bytes()) {
			return &t.in.Releases[i]
		}
	}
	return &t.in.Releases[0]
}

// reference is a page as a release draws it online, without a worker.
func (t *truth) reference(r *Release, url string, later bool) *document.View {
	t.mu.Lock()
	key := viewKey{r, url, later}
	v := t.views[key]
	if v == nil {
		v = &viewOnce{}
		t.views[key] = v
	}
	t.mu.Unlock()
	v.once.Do(func() { v.view = rehearsal.Reference(t.ctx, r.hosts(), url, t.in.Options, later) })
	return v.view
}
