package rehearsal

import (
	"context"
	"slices"
	"time"

	"tachyform/internal/condition"
	"tachyform/internal/page"
	"tachyform/internal/site"
	"tachyform/internal/useragent"
	"tachyform/internal/useragent/account"
	"tachyform/internal/useragent/document"
)

// embedded drives the embedded user agent.
type embedded struct {
	ctx     context.Context
	b       *useragent.Browser
	hosts   []site.Host
	options useragent.Options
	tabs    map[string]*document.Tab
	events  []account.Event
}

// NewEmbedded gives a driver for the embedded user agent: a fresh profile, online.
func NewEmbedded(ctx context.Context, hosts []site.Host, o useragent.Options) Driver {
	if o.Reader == nil {
		o.Reader = &page.Reader{}
	}
	d := &embedded{ctx: ctx, b: useragent.New(ctx, hosts, o), hosts: hosts, options: o, tabs: map[string]*document.Tab{}}
	d.b.Record(&d.events)
	return d
}

func (d *embedded) Open(tab, url string) {
	d.tabs[tab] = d.b.Open(url, d.tabs[tab])
	d.rest()
}

func (d *embedded) Reload(tab string, pastWorker bool) {
	if t := d.tabs[tab]; t != nil {
		d.tabs[tab] = d.b.Reload(t, pastWorker)
		d.rest()
	}
}

func (d *embedded) Traverse(tab string, delta int) bool {
	t := d.tabs[tab]
	if t == nil || !d.b.Traverse(t, delta) {
		return false
	}
	d.rest()
	return true
}

// rest lets everything come to rest and notes which pages a worker controls by now.
func (d *embedded) rest() {
	d.b.Settle()
	for _, t := range d.tabs {
		d.b.Take(t)
		t.View.Controlled = t.IsControlled()
	}
}

func (d *embedded) Close(tab string) {
	if t := d.tabs[tab]; t != nil {
		d.b.CloseTab(t)
		delete(d.tabs, tab)
		d.rest()
	}
}

func (d *embedded) CloseAll() {
	for _, t := range d.tabs {
		d.b.CloseTab(t)
	}
	d.tabs = map[string]*document.Tab{}
	d.rest()
	d.b.StopWorkers()
}

func (d *embedded) SetCondition(c condition.Condition) {
	d.b.SetCondition(c)
	d.b.SendSyncs()
	d.rest()
}

func (d *embedded) Deploy(hosts []site.Host) {
	d.b.Deploy(hosts...)
	d.hosts = slices.Clone(d.hosts)
	for _, h := range hosts {
		for i := range d.hosts {
			if d.hosts[i].Origin() == h.Origin() {
				d.hosts[i] = h
			}
		}
	}
}

func (d *embedded) StopWorkers()      { d.b.StopWorkers() }
func (d *embedded) Evict(what string) { d.b.Evict(what) }

func (d *embedded) Deliver(event string, detail map[string]any) bool {
	delivered := d.b.Deliver(event, detail)
	d.rest()
	return delivered
}

func (d *embedded) ClickNotification(which string) bool {
	clicked := d.b.ClickNotification(which, "")
	d.rest()
	return clicked
}

func (d *embedded) Act(tab string, a document.Action) string {
	t := d.tabs[tab]
	if t == nil {
		return "there is no open tab"
	}
	wrong := d.b.Act(t, a)
	d.rest()
	return wrong
}

func (d *embedded) Stored(tab, key string) (string, bool) {
	if t := d.tabs[tab]; t != nil {
		return d.b.StoredItem(t, key)
	}
	return "", false
}

func (d *embedded) SetCookie(name, value string) { d.b.SetCookie(d.hosts[0].Origin(), name, value) }

func (d *embedded) Wait(t time.Duration) {
	d.b.Pass(t)
	for _, t := range d.tabs {
		d.b.Take(t)
		t.View.Controlled = t.IsControlled()
	}
}

func (d *embedded) View(tab string) *document.View {
	if t := d.tabs[tab]; t != nil {
		return t.View
	}
	return nil
}

// Judge compares with the same page online, without a worker, as it is deployed now.
func (d *embedded) Judge(tab string) *PageOutcome {
	v := d.View(tab)
	if v == nil {
		return nil
	}
	o := d.options
	o.WithoutWorkers, o.HTTPCache = true, false
	plain := useragent.New(d.ctx, d.hosts, o)
	defer plain.Close()
	plain.CopyCookies(d.b)
	plain.Strain(d.b.Strained())
	outcome := judge(d.b, v, plain.Open(v.URL, nil).View)
	if len(outcome.Lacks) > 0 {
		plain.Pass(laterBy)
		outcome.settleDrawn(plain.Open(v.URL, nil).View)
	}
	return outcome
}

func (d *embedded) Profile() Profile {
	return Profile{d.b.Registrations(), d.b.Caches(), d.b.Notifications()}
}

func (d *embedded) Events() []account.Event { return d.events }
func (d *embedded) Now() time.Duration      { return d.b.Now() }
func (d *embedded) Lacks() []string         { return d.b.Gaps() }
func (d *embedded) End()                    { d.b.Close() }
