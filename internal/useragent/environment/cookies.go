package environment

import (
	whatwg "github.com/nlnwa/whatwg-url/url"

	"tachyform/internal/weburl"
)

import ()

// cookieOperations are of the Cookie Store API.
var cookieOperations = operations{
	"cookies.all": promised(func(r *Realm, _ arguments) (any, string) {
		list := []map[string]string{}
		scope, err := whatwg.Parse(r.w.Registration.Scope)
		if err == nil {
			for _, c := range r.p.store().ForScripts(scope, r.p.clock().Now) {
				list = append(list, map[string]string{"name": c.Name, "value": c.Value})
			}
		}
		return list, ""
	}),
	"cookies.set": promised(func(r *Realm, args arguments) (any, string) {
		host := weburl.HostName(weburl.OriginOf(r.w.Registration.Scope))
		r.p.store().SetCookie(host, args.text(0), args.text(1))
		return nil, ""
	}),
}
