package audit

import (
	"crypto/sha256"
	"encoding/base64"
	"fmt"
	"slices"
	"strings"
	"tachyform/internal/csp"

	"tachyform/internal/condition"
	"tachyform/internal/page"
	"tachyform/internal/rehearsal"
	"tachyform/internal/site"
	"tachyform/internal/target"
	"tachyform/internal/weburl"
)

// What is judged here.
var pagePolicy = newCheck(Check{
	Code: "page.policy", Weight: Risk, Rank: 350,
	Title:    "The security policy blocks the script that registers the worker",
	Reason:   "The page looks right, and nothing is ever kept: the refusal stands in the console alone.",
	Mend:     "move the script into a file, as tachyform fit does, or allow it by its hash",
	Standard: "CSP 3, 6.7.3",
	Example:  "an inline script under script-src 'self'.",
})

var offlineSignedOut = newCheck(Check{
	Code: "offline.signed-out", Weight: Risk, Rank: 360,
	Title:   "What is shown offline can be had only by those who are signed in",
	Reason:  "Who is signed out when the worker is installed keeps the sign-in page in its place, or nothing at all.",
	Mend:    "let the host answer this address for everybody",
	Example: "/offline redirects to /sign-in as every page below / does.",
})

var siteHttp = newCheck(Check{
	Code: "site.http", Weight: Risk, Rank: 370,
	Title:    "Plain http does not lead to https",
	Reason:   "Who types the address without https meets a site that can't be installed and keeps nothing.",
	Mend:     "let the host redirect http to https with status 301 or 308",
	Standard: "Secure Contexts, 3; RFC 6797, 7.2",
	Example:  "http://skerry-line.example answers with status 200.",
})

var linkCrossorigin = newCheck(Check{
	Code: "link.crossorigin", Weight: Risk, Rank: 380,
	Title:    "Fonts are asked for ahead in a way that nothing uses",
	Reason:   "The font comes twice, once for nothing; and the copy that was kept offline may be the wrong one.",
	Mend:     "add crossorigin to the tag, also for fonts of the own origin",
	Standard: "HTML, 4.6.8.13; CSS Fonts 4, 4.8.2",
	Example:  "<link rel=preload as=font href=/type.woff2> without crossorigin.",
})

var keepOpaque = newCheck(Check{
	Code: "keep.opaque", Weight: Polish, Rank: 900,
	Title: "Files of other origins are kept unseen",
	Reason: "Nobody can tell an error page from the file, and browsers count each as several megabytes of what the " +
		"site may keep.",
	Mend:     "add crossorigin to their tags where the other origin allows it (Access-Control-Allow-Origin)",
	Standard: "Fetch, 2.2.6; Storage, 4",
	Example:  "a map's tiles, fetched with no-cors and put into a cache.",
})

var appApart = newCheck(Check{
	Code: "app.apart", Weight: Polish, Rank: 910,
	Title:     "Who adds the app on an iPhone has to sign in again",
	Reason:    "The added app has a storage of its own: cookies and everything kept in Safari are not there.",
	Mend:      "let people sign in within the app, and open it online once before it is needed offline",
	Example:   "a session cookie that /sign-in sets in Safari.",
	Otherwise: only(Polish, target.SafariIOS),
})

// checkDelivery judges how the host and the tags let things come: policies, the way from http, credentials.
func (a *auditor) checkDelivery() {
	a.checkPolicies()
	a.checkPlainHTTP()
	var early []string
	href := ""
	for _, u := range a.documentsInOrder() {
		for _, t := range a.documents[u].LinkTags {
			if _, has := t.Attr["crossorigin"]; t.Rel("preload") && strings.EqualFold(t.Attr["as"], "font") && !has &&
				t.Attr["href"] != "" {
				early, href = append(early, u), t.Attr["href"]
				break
			}
		}
	}
	a.findPages(linkCrossorigin, early, 0, 0, href)
	a.checkSignedOut()
	if urls := sortedKeys(a.ran.Personal); len(urls) > 0 {
		a.find(appApart, Where{URL: a.local(urls[0])}, a.local(urls[0])+": "+a.ran.Personal[urls[0]], "")
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
		a.find(keepOpaque, Where{URL: first}, evidence, "")
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
		policy := csp.Parse(u, texts)
		for _, s := range d.Scripts {
			if len(s.Registrations) > 0 && !policy.AllowsInline(s.Text, s.Nonce) {
				sum := sha256.Sum256([]byte(s.Text))
				blocked, hash = append(blocked, u), base64.StdEncoding.EncodeToString(sum[:])
				break
			}
		}
	}
	a.findPages(pagePolicy, blocked, 0, 0, "script-src would have to name 'sha256-"+hash+"'")
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
			a.find(siteHttp, Where{URL: o.Origin() + a.report.Entry},
				fmt.Sprintf("%s%s answers with status %d", o.Origin(), a.report.Entry, resp.Status), "")
		case !strings.HasPrefix(resp.Header.Get("Location"), "https://"):
			a.find(siteHttp, Where{URL: o.Origin() + a.report.Entry}, o.Origin()+a.report.Entry+" redirects to "+
				resp.Header.Get("Location"), "")
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
				a.find(offlineSignedOut, a.place(u, 0, 0), a.local(u)+" redirects to "+a.local(resp.Header.Get("Location")), "")
			}
		default:
			a.find(offlineSignedOut, a.place(u, 0, 0), fmt.Sprintf("%s answers with status %d", a.local(u), resp.Status), "")
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
