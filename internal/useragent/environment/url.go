package environment

import (
	"encoding/json"
	"sync"

	whatwg "github.com/nlnwa/whatwg-url/url"

	"tachyform/internal/weburl"
)

// urlOperations are of the URL Standard's interfaces.
var urlOperations = operations{
	"url": plain(func(_ *Realm, args arguments) (any, error) {
		return knownParts(args.text(0), args.text(1), len(args) > 1), nil
	}),
	"urlSet": plain(func(_ *Realm, args arguments) (any, error) {
		return urlSet(args.text(0), args.text(1), args.text(2)), nil
	}),
}

// parsed remembers addresses: every page of a site asks for much the same.
var parsed struct {
	sync.RWMutex
	parts map[[2]string]string
}

// knownParts is urlParts for addresses that may have been parsed before.
func knownParts(ref, base string, hasBase bool) string {
	key := [2]string{ref, ""}
	if hasBase {
		key[1] = "from " + base
	}
	parsed.RLock()
	text, ok := parsed.parts[key]
	parsed.RUnlock()
	if ok || len(ref) > 1000 {
		if !ok {
			text = urlParts(ref, base, hasBase)
		}
		return text
	}
	text = urlParts(ref, base, hasBase)
	parsed.Lock()
	if parsed.parts == nil || len(parsed.parts) > 10_000 {
		parsed.parts = map[[2]string]string{}
	}
	parsed.parts[key] = text
	parsed.Unlock()
	return text
}

// urlParts parses a URL by the URL standard; "" means that it is none.
func urlParts(ref, base string, hasBase bool) string {
	var u *whatwg.Url
	var err error
	if hasBase {
		u, err = whatwg.ParseRef(base, ref)
	} else {
		u, err = whatwg.Parse(ref)
	}
	if err != nil {
		return ""
	}
	return partsJSON(u)
}

func partsJSON(u *whatwg.Url) string {
	origin := "null"
	switch u.Scheme() {
	case "http", "https", "ws", "wss", "ftp":
		origin = weburl.Origin(u)
	case "blob":
		if inner, err := whatwg.Parse(u.Pathname()); err == nil && (inner.Scheme() == "http" || inner.Scheme() == "https") {
			origin = weburl.Origin(inner)
		}
	}
	text, _ := json.Marshal([]string{u.Href(false), origin, u.Protocol(), u.Username(), u.Password(), u.Host(),
		u.Hostname(), u.Port(), u.Pathname(), u.Search(), u.Hash()})
	return string(text)
}

func urlSet(href, field, value string) string {
	u, err := whatwg.Parse(href)
	if err != nil {
		return ""
	}
	switch field {
	case "protocol":
		u.SetProtocol(value)
	case "username":
		u.SetUsername(value)
	case "password":
		u.SetPassword(value)
	case "host":
		u.SetHost(value)
	case "hostname":
		u.SetHostname(value)
	case "port":
		u.SetPort(value)
	case "pathname":
		u.SetPathname(value)
	case "search":
		u.SetSearch(value)
	case "hash":
		u.SetHash(value)
	}
	return partsJSON(u)
}
