package fetch

import (
	"cmp"
	"slices"
	"strings"

	whatwg "github.com/nlnwa/whatwg-url/url"

	"tachyform/internal/weburl"
)

// DefaultReferrerPolicy is the one of requests and documents that say nothing (Referrer Policy, 3).
const DefaultReferrerPolicy = "strict-origin-when-cross-origin"

// NoReferrer stands for a request that tells nobody who asks.
const NoReferrer = "no-referrer"

var referrerPolicies = []string{"no-referrer", "no-referrer-when-downgrade", "same-origin", "origin", "strict-origin",
	"origin-when-cross-origin", DefaultReferrerPolicy, "unsafe-url"}

// ParseReferrerPolicy gives the last policy that is known of a header's or a meta element's list, "" for none (Referrer
// Policy, 8.1).
func ParseReferrerPolicy(text string) (policy string) {
	for _, token := range strings.FieldsFunc(text, func(r rune) bool { return r == ',' || r == ' ' }) {
		if token = strings.ToLower(token); slices.Contains(referrerPolicies, token) {
			policy = token
		}
	}
	return policy
}

// client stands for who asks, as a request's referrer (Fetch, 2.2.5).
const client = "about:client"

// determineReferrer says on a request who asks, as far as its policy allows (Fetch, 4.1, "main fetch", steps 8 and 9).
func (req *Request) determineReferrer() {
	req.ReferrerPolicy = cmp.Or(req.ReferrerPolicy, req.Client.ReferrerPolicy, DefaultReferrerPolicy)
	if req.Referrer == client || req.Referrer == "" {
		req.Referrer = req.Client.URL
	}
	if req.Referrer != NoReferrer {
		req.Referrer = DetermineReferrer(req.ReferrerPolicy, req.Referrer, req.URL)
	}
}

// DetermineReferrer is "determine request's referrer" (Referrer Policy, 8.3): what a request to a target says of the
// document or worker at source, NoReferrer for nothing.
func DetermineReferrer(policy, source, target string) string {
	from, err := whatwg.Parse(source)
	if err != nil || from.Scheme() != "http" && from.Scheme() != "https" {
		return NoReferrer
	}
	from.SetHash("")
	from.SetUsername("")
	from.SetPassword("")
	url, origin := from.Href(true), weburl.Origin(from)+"/"
	same := weburl.OriginOf(target) == weburl.Origin(from)
	downgrade := from.Scheme() == "https" && !strings.HasPrefix(target, "https:")
	if len(url) > 4096 {
		url = origin
	}
	switch policy {
	case "no-referrer":
		return NoReferrer
	case "origin":
		return origin
	case "unsafe-url":
		return url
	case "strict-origin":
		if downgrade {
			return NoReferrer
		}
		return origin
	case "same-origin":
		if same {
			return url
		}
		return NoReferrer
	case "origin-when-cross-origin":
		if same {
			return url
		}
		return origin
	case "no-referrer-when-downgrade":
		if downgrade {
			return NoReferrer
		}
		return url
	}
	switch {
	case same:
		return url
	case downgrade:
		return NoReferrer
	}
	return origin
}
