package site

import (
	"context"
	"strings"

	whatwg "github.com/nlnwa/whatwg-url/url"

	"tachyform/internal/weburl"
)

// Robots is what a host asks of programs that follow links (RFC 9309). Its zero value allows everything.
type Robots struct{ rules []robotsRule }

type robotsRule struct {
	allow   bool
	pattern string
}

// robotsName is the product token that a robots.txt may address.
const robotsName = "tachyform"

// maxRobots is how much of a robots.txt is read; RFC 9309 asks for 500 KiB at least.
const maxRobots = 512 << 10

// maxRobotsRedirects is how many redirects of it are followed (RFC 9309, 2.3.1.2).
const maxRobotsRedirects = 5

// AskRobots reads a host's robots.txt. A host on this machine is the developer's own and allows everything; one that
// has none does too, and one that fails to give it, or has it at another origin, allows nothing (RFC 9309, 2.3.1).
func AskRobots(ctx context.Context, h Host) *Robots {
	u, err := whatwg.Parse(h.Origin() + "/robots.txt")
	if err != nil || weburl.Loopback(u.Hostname()) {
		return &Robots{}
	}
	nothing := &Robots{[]robotsRule{{false, "/"}}}
	for range maxRobotsRedirects + 1 {
		resp, err := h.Answer(ctx, &Request{Method: "GET", URL: u})
		if err != nil || resp.Status >= 500 {
			return nothing
		}
		if to := resp.Header.Get("Location"); resp.Status >= 300 && resp.Status < 400 && to != "" {
			if u, err = u.Parse(to); err != nil || weburl.Origin(u) != h.Origin() {
				return nothing // it cannot be read: only the origin that was named is asked
			}
			continue
		}
		if resp.Status != 200 || resp.Body == nil {
			return &Robots{}
		}
		text, err := resp.Body.Bytes()
		if err != nil {
			return nothing
		}
		return ParseRobots(text[:min(len(text), maxRobots)])
	}
	return &Robots{} // RFC 9309, 2.3.1.2: as if there were none
}

// ParseRobots reads the rules that hold for this program: those of the groups that name it, else those for all (RFC
// 9309, 2.2.1).
func ParseRobots(text []byte) *Robots {
	groups := map[string][]robotsRule{}
	var agents []string
	rules := false // whether the group has begun to list rules
	for line := range strings.Lines(strings.ReplaceAll(string(text), "\r", "\n")) {
		line, _, _ = strings.Cut(line, "#")
		key, value, ok := strings.Cut(line, ":")
		if !ok {
			continue
		}
		value = strings.TrimSpace(value)
		switch key = strings.ToLower(strings.TrimSpace(key)); key {
		case "user-agent":
			if rules {
				agents, rules = nil, false
			}
			agents = append(agents, strings.ToLower(value))
		case "allow", "disallow":
			rules = true
			for _, a := range agents {
				if _, there := groups[a]; !there {
					groups[a] = []robotsRule{}
				}
				if value != "" {
					groups[a] = append(groups[a], robotsRule{key == "allow", value})
				}
			}
		}
	}
	if own, there := groups[robotsName]; there {
		return &Robots{own}
	}
	return &Robots{groups["*"]}
}

// Allows says whether a path with its query may be asked for: the longest rule that matches decides, and allow wins
// over an equal one (RFC 9309, 2.2.2).
func (r *Robots) Allows(path string) bool {
	allowed, longest := true, -1
	for _, rule := range r.rules {
		if n := len(rule.pattern); (n > longest || n == longest && rule.allow) && robotsMatch(rule.pattern, path) {
			allowed, longest = rule.allow, n
		}
	}
	return allowed
}

// robotsMatch matches the beginning of a path with a pattern in which * stands for anything and $ at the end for the
// end.
func robotsMatch(pattern, path string) bool {
	pattern, whole := strings.CutSuffix(pattern, "$")
	parts := strings.Split(pattern, "*")
	if !strings.HasPrefix(path, parts[0]) {
		return false
	}
	rest := path[len(parts[0]):]
	for i, part := range parts[1:] {
		if whole && i == len(parts)-2 {
			return strings.HasSuffix(rest, part)
		}
		at := strings.Index(rest, part)
		if at < 0 {
			return false
		}
		rest = rest[at+len(part):]
	}
	return !whole || rest == ""
}
