package page

import (
	"regexp"
	"strconv"
	"strings"
	"time"
)

// Refresh is where a page leads by itself, and after how long.
type Refresh struct {
	// URL is absolute; that of the page where it only loads itself anew.
	URL   string
	After time.Duration
}

var refreshText = regexp.MustCompile(`(?is)^[ \t\n\f\r]*(?:([0-9]+)|\.)[0-9.]*(?:[ \t\n\f\r]*[;, \t\n\f\r][ \t\n\f\r]*(?:url[ \t\n\f\r]*=[ \t\n\f\r]*)?(.*))?$`)

// ParseRefresh reads the content of a meta element or header that sends a page on (HTML, 4.2.5.3, "shared declarative
// refresh steps").
func ParseRefresh(base, content string) (*Refresh, bool) {
	m := refreshText.FindStringSubmatch(content)
	if m == nil {
		return nil, false
	}
	r := &Refresh{}
	if m[1] != "" {
		seconds, err := strconv.Atoi(m[1])
		if err != nil || seconds > 1<<30 {
			seconds = 1 << 30
		}
		r.After = time.Duration(seconds) * time.Second
	}
	to := m[2]
	if to != "" && (to[0] == '"' || to[0] == '\'') {
		quote := to[:1]
		to, _, _ = strings.Cut(to[1:], quote)
	}
	var ok bool
	r.URL, ok = Resolve(base, to)
	return r, ok
}
