package rehearsal

import (
	"context"
	"slices"
	"sync"
	"time"

	"tachyform/internal/condition"
	"tachyform/internal/crash"
	"tachyform/internal/page"
	"tachyform/internal/request"
	"tachyform/internal/useragent"
	"tachyform/internal/useragent/document"
)

// Variant is another way in which people come to the start page without a network, than in a desktop's tab soon after their first visits.
type Variant string

// The variants.
const (
	Installed    Variant = "installed"            // opened as an app
	OnPhone      Variant = "phone"                // in a phone's window
	ThirdVisit   Variant = "third visit"          // after two more visits online
	MonthLater   Variant = "30 days later"        // without any visit in between
	MinuteOn     Variant = "a minute on the page" // as it looks after a minute
	ManyRequests Variant = "200 requests"         // after as many to the worker
)

// Varied is the outcome of the start page in one variant.
type Varied struct {
	Variant Variant
	*PageOutcome
}

const (
	month      = 30 * 24 * time.Hour
	manyAsked  = 200
	twiceAgain = 2
)

// startOnline is the start page online without workers, as it is opened and a minute later.
type startOnline struct {
	sync.Once
	plain          *useragent.Browser
	opened, minute *document.View
}

func (s *startOnline) open(start string) (opened, minute *document.View) {
	s.Do(func() { s.opened, s.minute = openForMinute(s.plain, start) })
	return s.opened, s.minute
}

// openForMinute opens a page and stays for a minute.
func openForMinute(b *useragent.Browser, url string) (opened, minute *document.View) {
	tab := b.Open(url, nil)
	view := *tab.View // the tab's own goes on
	view.Loads = slices.Clone(view.Loads)
	b.Pass(time.Minute)
	b.Take(tab)
	return &view, tab.View
}

// vary opens the start page offline in all variants, in branches of a browser that has made the visits, and adds what it shows to the result.
func (r *Rehearsal) vary(ctx context.Context, b *useragent.Browser, out *Result) {
	start := r.Start
	var branches [4]*useragent.Browser
	for i := range branches {
		branches[i] = b.Branch()
	}
	online := &startOnline{plain: r.withoutWorkers(ctx, b)}
	defer online.plain.Close()
	var lists [len(branches)][]Varied
	crash.Each(len(branches), func(i int) {
		branch := branches[i]
		defer branch.Close()
		logCrash(ctx, crash.Try(func() error {
			switch i {
			case 0:
				lists[i] = r.staying(branch, online)
			case 1:
				branch.Pass(month)
				branch.SetCondition(condition.Offline)
				opened, _ := online.open(start)
				branch.SetForeground()
				lists[i] = []Varied{{MonthLater, judge(branch, branch.Open(start, nil).View, opened)}}
			case 2:
				lists[i] = r.onScreen(ctx, OnPhone, branch, page.Phone)
			case 3:
				screen := page.Desktop
				screen.Installed = true
				lists[i] = r.onScreen(ctx, Installed, branch, screen)
			}
			return nil
		}))
	})
	out.Varied = slices.Concat(lists[:]...)
}

// staying visits the start page twice more online, opens it offline, stays for a minute, and asks the worker for much.
func (r *Rehearsal) staying(b *useragent.Browser, online *startOnline) (list []Varied) {
	for range twiceAgain {
		tab := b.Open(r.Start, nil)
		b.Settle()
		b.CloseTab(tab)
		b.Settle()
	}
	b.StopWorkers()
	b.SetCondition(condition.Offline)
	b.SetForeground()
	opened, minute := online.open(r.Start)
	first, later := openForMinute(b, r.Start)
	// What is not whole any more says nothing of what follows.
	for _, v := range []Varied{{ThirdVisit, judge(b, first, opened)}, {MinuteOn, judge(b, later, minute)}} {
		if list = append(list, v); v.Outcome != Whole {
			return list
		}
	}
	askAgain(b, later)
	return append(list, Varied{ManyRequests, judge(b, b.Open(r.Start, nil).View, opened)})
}

// onScreen opens the start page offline on another screen.
func (r *Rehearsal) onScreen(ctx context.Context, v Variant, b *useragent.Browser, screen page.Screen) []Varied {
	plain := r.withoutWorkers(ctx, b)
	defer plain.Close()
	plain.SetScreen(screen)
	b.SetScreen(screen)
	b.SetCondition(condition.Offline)
	b.SetForeground()
	o := judge(b, b.Open(r.Start, nil).View, plain.Open(r.Start, nil).View)
	return []Varied{{v, o}}
}

// askAgain asks the worker many times for what a page has loaded, as long visits do.
func askAgain(b *useragent.Browser, v *document.View) {
	tab := b.Open(v.URL, nil)
	var asked []Probe
	for _, l := range v.Loads {
		if !l.Missing && !l.Background && l.Method == "" && l.Mode != request.Navigate {
			asked = append(asked, Probe{URL: l.URL, Mode: l.Mode, Destination: l.Destination})
		}
	}
	if len(asked) == 0 {
		asked = []Probe{{URL: v.URL, Mode: request.SameOrigin}}
	}
	for i := 0; i < manyAsked && !b.SpentUp(); i++ {
		probe(b, tab, asked[i%len(asked)])
	}
}
