package handover

import (
	"time"

	"tachyform/internal/condition"
	"tachyform/internal/site"
	"tachyform/internal/useragent"
)

// definition is a scenario: its name, the names of its steps, for which releases there is one, and what is done.
type definition struct {
	name  string
	about string
	steps []string
	fits  func(Input, *Result) bool
	play  func(*visitor)
}

// Known lists the names of all scenarios with what they are about and the names of their steps.
func Known() (list []Description) {
	for _, d := range definitions {
		list = append(list, Description{d.name, d.about, d.steps})
	}
	return list
}

// Description describes a scenario.
type Description struct {
	Name  string   `json:"name"`
	About string   `json:"about"`
	Steps []string `json:"steps"`
}

func hasWorker(_ Input, r *Result) bool { return r.OldWorker }
func hasOlder(in Input, _ *Result) bool { return len(in.Releases) > 2 }
func hasPages(in Input, _ *Result) bool { return in.another() != "" }

// earlierCache is what that worker keeps things in.
const earlierCache = "site-v1"

// earlierWorker is one such as many sites had before: it keeps whatever it sees for ever, pages first.
const earlierWorker = `const KEPT = '` + earlierCache + `';
self.addEventListener('install', (event) => { self.skipWaiting(); event.waitUntil(caches.open(KEPT)); });
self.addEventListener('activate', (event) => event.waitUntil(self.clients.claim()));
self.addEventListener('fetch', (event) => {
  if (event.request.method !== 'GET') return;
  event.respondWith(caches.open(KEPT).then((kept) => kept.match(event.request).then((hit) => hit || fetch(event.request).then((response) => {
    if (response.ok) kept.put(event.request, response.clone());
    return response;
  }))));
});
`

var definitions []*definition

func init() { // the functions refer to the list
	definitions = []*definition{
		{Returning, "comes back, reloads twice, closes all, comes again, and once more without a network",
			[]string{"old", "reload-1", "reload-2", "reopen", "offline"}, nil, func(v *visitor) {
				v.arrive()
				v.note("old", "")
				v.deploy(v.newest()...)
				v.comeBack(condition.Online)
				v.notePages()
			}},
		{"tab-left-open", "leaves the page open, looks at it an hour later, and goes on in it",
			[]string{"old", "hour-later", "next-page", "back"}, hasPages, func(v *visitor) {
				v.begin()
				v.note("old", "")
				v.deploy(v.newest()...)
				v.b.Pass(time.Hour)
				v.note("hour-later", "")
				v.open("", v.in.another())
				v.note("next-page", "")
				v.open("", v.entry())
				v.note("back", "")
			}},
		{"two-tabs", "has two tabs, uses one and leaves the other, then closes that",
			[]string{"old", "reload-1", "other-tab", "reload-2", "other-closed", "reopen"}, nil, func(v *visitor) {
				v.begin()
				v.open("second", v.entry())
				v.note("old", "")
				v.deploy(v.newest()...)
				v.reloadAs("reload-1")
				v.note("other-tab", "second")
				v.reloadAs("reload-2")
				v.close("second")
				v.reloadAs("other-closed")
				v.reopenAs("reopen", condition.Online)
			}},
		{"offline-first", "comes back without a network, and has one the times after",
			[]string{"offline", "online", "online-again"}, nil, func(v *visitor) {
				v.quit()
				v.deploy(v.newest()...)
				v.b.SetCondition(condition.Offline)
				v.open("", v.entry())
				v.note("offline", "")
				v.reopenAs("online", condition.Online)
				v.reopenAs("online-again", condition.Online)
			}},
		{"slow-network", "comes back over a slow network", []string{"reload-1", "reload-2", "reopen", "offline"}, nil,
			func(v *visitor) {
				v.begin()
				v.deploy(v.newest()...)
				v.b.SetCondition(condition.Slow)
				v.comeBack(condition.Slow)
			}},
		{"flaky-network", "comes back over a network that loses a third of the requests, and later over a good one",
			[]string{"reload-1", "reload-2", "reopen", "steady", "steady-again"}, nil, func(v *visitor) {
				v.begin()
				v.deploy(v.newest()...)
				v.b.SetCondition(condition.Flaky)
				v.reloadAs("reload-1", "reload-2")
				for _, step := range []string{"reopen", "steady", "steady-again"} {
					v.quit()
					v.open("", v.entry())
					v.note(step, "")
					v.b.SetCondition(condition.Online)
				}
			}},
		{"cut-off", "loses the network in the middle of the update", []string{"cut", "offline", "online", "reopen"}, nil,
			func(v *visitor) {
				v.begin()
				probe := newVisitor(v.ctx, v.in, v.truth, v.b.Branch())
				probe.begin()
				probe.deploy(probe.newest()...)
				probe.reload("")
				half := max(probe.requests/2, 1)
				probe.b.Close()
				v.deploy(v.newest()...)
				v.b.Refuse(func(string) bool { return v.requests >= half })
				v.reloadAs("cut")
				v.b.Refuse(nil)
				v.reopenAs("offline", condition.Offline)
				v.reopenAs("online", condition.Online)
				v.reopenAs("reopen", condition.Online)
			}},
		{"pages-first", "comes while the new pages are deployed and all else is still the old", halfSteps(), nil,
			halfway(func(now, before site.Host) site.Host { return inParts{now, before} })},
		{"files-first", "comes while all but the pages is deployed", halfSteps(), nil,
			halfway(func(now, before site.Host) site.Host { return inParts{before, now} })},
		{"old-files-kept", "comes back to a host that still has the files of the old release",
			[]string{"reload-1", "reload-2", "reopen", "offline"}, nil, func(v *visitor) {
				v.begin()
				v.deploy(v.wrapped(func(now, before site.Host) site.Host { return keeping{now, before} })...)
				v.comeBack(condition.Online)
			}},
		{"releases-skipped", "had the oldest release and missed those between", []string{"old", "reload-1", "reload-2", "reopen", "offline"},
			hasOlder, func(v *visitor) {
				v.startOver(v.in.Releases[0].hosts())
				v.arrive()
				v.note("old", "")
				v.deploy(v.newest()...)
				v.comeBack(condition.Online)
			}},
		{"release-by-release", "had each release in turn", []string{"between", "reload-1", "reload-2", "reopen", "offline"},
			hasOlder, func(v *visitor) {
				v.startOver(v.in.Releases[0].hosts())
				v.arrive()
				for _, r := range v.in.Releases[1 : len(v.in.Releases)-1] {
					v.deploy(r.hosts()...)
					v.reload("")
					v.quit()
					v.open("", v.entry())
				}
				v.note("between", "")
				v.deploy(v.newest()...)
				v.comeBack(condition.Online)
			}},
		{RolledBack, "has the new release when the host goes back to the old one",
			[]string{"new", "back-1", "back-2", "reopen", "offline"}, nil, func(v *visitor) {
				v.begin()
				v.deploy(v.newest()...)
				v.reload("")
				v.reload("")
				v.reopenAs("new", condition.Online)
				v.deploy(v.in.old().hosts()...)
				v.reloadAs("back-1", "back-2")
				v.reopenAs("reopen", condition.Online)
				v.reopenAs("offline", condition.Offline)
			}},
		{"worker-held-back", "gets the worker's old script and its imports from a cache on the way for a day",
			[]string{"reload-1", "reopen", "day-later", "reopen-then"}, hasWorker, func(v *visitor) {
				v.begin()
				v.deploy(v.wrapped(func(now, before site.Host) site.Host { return holding{now, before, v.truth.oldWorker} })...)
				v.reloadAs("reload-1")
				v.reopenAs("reopen", condition.Online)
				v.b.Pass(25 * time.Hour)
				v.deploy(v.newest()...)
				v.reloadAs("day-later")
				v.reopenAs("reopen-then", condition.Online)
			}},
		{"earlier-worker", "had an earlier worker at the same address, which kept whatever it saw",
			[]string{"old", "reload-1", "reload-2", "reopen", "offline"}, hasWorker, func(v *visitor) {
				// In a profile of its own, which never saw the worker of the old release.
				v.startOver(v.wrap(*v.in.old(), func(now, _ site.Host) site.Host {
					return replacing{now, v.truth.oldWorker[0], []byte(earlierWorker)}
				}))
				v.arrive()
				v.reloadAs("old")
				v.deploy(v.newest()...)
				v.comeBack(condition.Online)
			}},
		{"storage-lost", "comes back after the browser threw away what it kept", []string{"reload-1", "reopen", "offline"}, nil,
			func(v *visitor) {
				v.begin()
				v.deploy(v.newest()...)
				v.b.Evict("everything")
				v.reloadAs("reload-1")
				v.reopenAs("reopen", condition.Online)
				v.reopenAs("offline", condition.Offline)
			}},
		{"worker-retired", "comes back after the worker was replaced by one that removes itself",
			[]string{"reload-1", "reload-2", "reopen"},
			func(in Input, r *Result) bool { return r.OldWorker && len(in.Retiring) > 0 }, func(v *visitor) {
				v.begin()
				v.deploy(v.wrapped(func(now, _ site.Host) site.Host { return replacing{now, v.truth.oldWorker[0], v.in.Retiring} })...)
				v.reloadAs("reload-1", "reload-2")
				v.reopenAs("reopen", condition.Online)
			}},
		{"never-closed", "has the app open on a desk for three days, then reloads it", []string{"old", "day-1", "day-2", "day-3", "reload"},
			nil, func(v *visitor) {
				v.begin()
				v.note("old", "")
				v.deploy(v.newest()...)
				for _, day := range []string{"day-1", "day-2", "day-3"} {
					v.b.Pass(24 * time.Hour)
					v.note(day, "")
				}
				v.reloadAs("reload")
			}},
	}
}

func halfSteps() []string { return []string{"half", "half-again", "whole", "reopen", "offline"} }

// begin opens the entry page in a branch, where the pages were visited before.
func (v *visitor) begin() { v.open("", v.entry()) }

func (v *visitor) entry() string { return v.in.entry() }

// another is a visited page beside the entry, "" for none.
func (in Input) another() string {
	for _, url := range in.Visit {
		if url != in.entry() {
			return url
		}
	}
	return ""
}

// newest are the hosts of the new release.
func (v *visitor) newest() []site.Host { return v.in.newest().hosts() }

// startOver gives the visitor a new profile, which reaches other hosts.
func (v *visitor) startOver(hosts []site.Host) {
	v.b.Close()
	v.b = useragent.New(v.ctx, hosts, v.in.Options)
	v.watch()
}

// wrapped are the hosts of the new release with the site's own changed; before is the one of the release before it.
func (v *visitor) wrapped(change func(now, before site.Host) site.Host) []site.Host {
	return v.wrap(*v.in.newest(), change)
}

func (v *visitor) wrap(r Release, change func(now, before site.Host) site.Host) []site.Host {
	hosts := r.hosts()
	hosts[0] = change(r.Host, v.in.old().Host)
	return hosts
}

// reloadAs reloads the page once for each step.
func (v *visitor) reloadAs(steps ...string) {
	for _, step := range steps {
		v.reload("")
		v.note(step, "")
	}
}

// reopenAs closes all and opens the entry page again, under a condition of the network.
func (v *visitor) reopenAs(step string, under condition.Condition) {
	v.quit()
	v.b.SetCondition(under)
	v.open("", v.entry())
	v.note(step, "")
}

// comeBack reloads twice, closes all, comes again under the same condition, and once more without a network.
func (v *visitor) comeBack(under condition.Condition) {
	v.reloadAs("reload-1", "reload-2")
	v.reopenAs("reopen", under)
	v.reopenAs("offline", condition.Offline)
}

// halfway is somebody who comes while half of the new release is deployed, and again when all is.
func halfway(change func(now, before site.Host) site.Host) func(*visitor) {
	return func(v *visitor) {
		v.begin()
		v.deploy(v.wrapped(change)...)
		v.reloadAs("half", "half-again")
		v.deploy(v.newest()...)
		v.reloadAs("whole")
		v.reopenAs("reopen", condition.Online)
		v.reopenAs("offline", condition.Offline)
	}
}
