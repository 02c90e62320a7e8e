package rehearsal

import (
	"slices"

	"tachyform/internal/useragent"
	"tachyform/internal/useragent/document"
	"tachyform/internal/weburl"
)

// standIns knows what was shown in the place of pages. Once some pages in a row have shown the same document, with the same
// text and the same loads, that document is taken to look alike at other addresses, and is not drawn again.
type standIns struct {
	by map[standInKey]*standInShown
}

type standInKey struct{ condition, body string }

type standInShown struct {
	view  *document.View
	times int
	same  bool
}

// learn takes in the outcomes of a wave of pages.
func (s *standIns) learn(pages []*PageResult) {
	if s.by == nil {
		s.by = map[standInKey]*standInShown{}
	}
	for _, p := range pages {
		if p == nil {
			continue
		}
		for name, o := range p.Under {
			if o.Outcome != StandIn || o.View == nil || o.View.Response == nil || o.Doubt != nil {
				continue
			}
			key := standInKey{name, string(o.View.Response.Actual().Bytes())}
			k := s.by[key]
			if k == nil {
				s.by[key] = &standInShown{view: o.View, times: 1, same: true}
				continue
			}
			k.times++
			k.same = k.same && k.view.FullText() == o.View.FullText() && slices.EqualFunc(k.view.Loads, o.View.Loads,
				func(x, y *document.Load) bool { return x.URL == y.URL && x.Missing == y.Missing || x.Runs && y.Runs })
		}
	}
}

// known says whether there is a document that needs not be drawn again under a condition.
func (s *standIns) known(condition string) bool {
	for key, k := range s.by {
		if key.condition == condition && k.same && k.times >= sampleOfSet {
			return true
		}
	}
	return false
}

// open opens a page under a condition. Where a document is answered that is known to stand in for pages, it is not drawn
// again.
func (s *standIns) open(b *useragent.Browser, url, condition string, reference *document.View) *document.View {
	if !s.known(condition) {
		return b.Open(url, nil).View
	}
	glance := b.Glance(url)
	if glance.Response == nil || ownContent(glance, reference) {
		return b.Open(url, nil).View
	}
	k := s.by[standInKey{condition, string(glance.Response.Actual().Bytes())}]
	if k == nil || !k.same || k.times < sampleOfSet {
		return b.Open(url, nil).View
	}
	v := *k.view
	v.URL, v.FinalURL, v.Response, v.Status = url, weburl.WithoutFragment(url), glance.Response, glance.Status
	v.Loads = nil
	for _, l := range k.view.Loads {
		load := *l
		if load.URL == weburl.WithoutFragment(k.view.FinalURL) {
			load.URL = weburl.WithoutFragment(v.FinalURL) // it asks whether the page that was wanted is there again
		}
		v.Loads = append(v.Loads, &load)
	}
	return &v
}
