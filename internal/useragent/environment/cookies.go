package environment

import (
	"net/http"
	"strings"

	whatwg "github.com/nlnwa/whatwg-url/url"

	"tachyform/internal/weburl"
)

// cookieOperations are of the Cookie Store API.
var cookieOperations = operations{
	"cookies.all": promised(func(r *Realm, _ arguments) (any, string) {
		list := []map[string]string{}
		scope, err := whatwg.Parse(r.address())
		if err == nil {
			for _, c := range r.p.store().ForScripts(scope, r.p.clock().Now) {
				list = append(list, map[string]string{"name": c.Name, "value": c.Value})
			}
		}
		return list, ""
	}),
	"cookies.set": promised(func(r *Realm, args arguments) (any, string) {
		host := weburl.HostName(weburl.OriginOf(r.address()))
		r.p.store().SetCookie(host, args.text(0), args.text(1))
		return nil, ""
	}),
	"cookie.get": plain(func(r *Realm, _ arguments) (any, error) {
		u, err := whatwg.Parse(r.address())
		if err != nil || r.origin() == "null" {
			return "", nil
		}
		var pairs []string
		for _, c := range r.p.store().ForScripts(u, r.p.clock().Now) {
			pairs = append(pairs, c.Pair())
		}
		return strings.Join(pairs, "; "), nil
	}),
	"cookie.set": touching(func(r *Realm, args arguments) (any, error) {
		if u, err := whatwg.Parse(r.address()); err == nil && r.origin() != "null" {
			r.p.store().SetCookies(u, http.Header{"Set-Cookie": {args.text(0)}}, r.p.clock().Now)
		}
		return nil, nil
	}),
}
