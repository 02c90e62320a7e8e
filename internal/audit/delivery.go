package audit

import (
	"crypto/sha256"
	"encoding/base64"
	"fmt"
	"slices"
	"strings"

	"tachyform/internal/condition"
	"tachyform/internal/page"
	"tachyform/internal/rehearsal"
	"tachyform/internal/site"
	"tachyform/internal/weburl"
)

// checkDelivery judges how the host and the tags let things come: policies, the way from http, credentials.
func (a *auditor) checkDelivery() {
	a.checkPolicies()
	a.checkPlainHTTP()
	var early []string
	href := ""
	for _, u := range a.documentsInOrder() {
		for _, t := range a.documents[u].LinkTags {
			if _, has := t.Attr["crossorigin"]; t.Rel("preload") && strings.EqualFold(t.Attr["as"], "font") && !has && t.Attr["href"] != "" {
				early, href = append(early, u), t.Attr["href"]
				break
			}
		}
	}
	a.findPages("link.crossorigin", early, 0, 0, href)
	a.checkSignedOut()
	if urls := sortedKeys(a.ran.Personal); len(urls) > 0 {
		a.find("app.apart", Where{URL: a.local(urls[0])}, a.local(urls[0])+": "+a.ran.Personal[urls[0]], "")
	}
	opaque := map[string]int{}
	first := ""
	for _, c := range a.ran.Caches {
		for _, e := range c.Entries {
			if e.Type == "opaque" {
				if opaque[c.Name]++; first == "" {
					first = e.URL
				}
			}
		}
	}
	if first != "" {
		n := 0
		for _, count := range opaque {
			n += count
		}
		evidence := first
		if n > 1 {
			evidence += fmt.Sprintf(" and %d more", n-1)
		}
		a.find("keep.opaque", Where{URL: first}, evidence, "")
	}
}

// checkPolicies finds pages whose policy keeps the inline script that registers the worker from running.
func (a *auditor) checkPolicies() {
	var blocked []string
	hash := ""
	for _, u := range a.documentsInOrder() {
		d := a.documents[u]
		if !slices.ContainsFunc(d.Scripts, func(s *page.InlineScript) bool { return len(s.Registrations) > 0 }) {
			continue
		}
		texts := d.Policies()
		if resp, _ := a.follow(u); resp != nil {
			texts = append(texts, resp.Header.Values("Content-Security-Policy")...)
		}
		policy := page.ParsePolicy(u, texts)
		for _, s := range d.Scripts {
			if len(s.Registrations) > 0 && !policy.AllowsInline(s.Text, s.Nonce) {
				sum := sha256.Sum256([]byte(s.Text))
				blocked, hash = append(blocked, u), base64.StdEncoding.EncodeToString(sum[:])
				break
			}
		}
	}
	a.findPages("page.policy", blocked, 0, 0, "script-src would have to name 'sha256-"+hash+"'")
}

// checkPlainHTTP asks the http origin beside an https site, where the project file lists it, whether it leads there.
func (a *auditor) checkPlainHTTP() {
	rest, secure := strings.CutPrefix(a.origin, "https://")
	if !secure {
		return
	}
	for _, o := range a.Others {
		if o.Origin() != "http://"+rest {
			continue
		}
		resp := a.requestFrom(o, o.Origin()+a.report.Entry)
		switch {
		case resp == nil:
		case resp.Status < 300 || resp.Status > 399:
			a.find("site.http", Where{URL: o.Origin() + a.report.Entry}, fmt.Sprintf("%s%s answers with status %d", o.Origin(), a.report.Entry, resp.Status), "")
		case !strings.HasPrefix(resp.Header.Get("Location"), "https://"):
			a.find("site.http", Where{URL: o.Origin() + a.report.Entry}, o.Origin()+a.report.Entry+" redirects to "+resp.Header.Get("Location"), "")
		}
	}
}

// checkSignedOut asks for what is shown offline in the place of pages as those would get it who have not signed in.
func (a *auditor) checkSignedOut() {
	var urls []string
	add := func(u string) {
		if u != "" && !slices.Contains(urls, u) && strings.HasPrefix(u, a.origin+"/") {
			urls = append(urls, u)
		}
	}
	s := a.Project.Worker.StandIns
	for _, path := range []string{s.Page, s.Image, s.Font} {
		if path != "" {
			add(a.absolute(path))
		}
	}
	for _, p := range a.ran.Pages {
		if o := p.Under[condition.Offline.Name]; o != nil && o.Outcome == rehearsal.StandIn {
			add(o.ShownFrom)
		}
	}
	host := a.Host
	if live, ok := host.(interface{ SignedOut() site.Host }); ok {
		host = live.SignedOut()
	}
	for _, u := range urls {
		resp := a.requestFrom(host, u)
		switch {
		case resp == nil, resp.Status == 200, resp.Status == 404, resp.Status == 410:
		case resp.Status >= 300 && resp.Status <= 399:
			if a.leadsToSignIn(u, resp) {
				a.find("offline.signed-out", a.place(u, 0, 0), a.local(u)+" redirects to "+a.local(resp.Header.Get("Location")), "")
			}
		default:
			a.find("offline.signed-out", a.place(u, 0, 0), fmt.Sprintf("%s answers with status %d", a.local(u), resp.Status), "")
		}
	}
}

// leadsToSignIn tells a redirect to another page from one that only tidies the address.
func (a *auditor) leadsToSignIn(url string, resp *site.Response) bool {
	to, ok := page.Resolve(url, resp.Header.Get("Location"))
	trim := func(s string) string {
		return strings.TrimSuffix(strings.TrimSuffix(strings.TrimSuffix(weburl.WithoutQuery(s), "/"), ".html"), "/index")
	}
	return ok && trim(to) != trim(url)
}
