package site

import (
	"net/http"
	"strconv"
	"strings"
	"time"
)

// Directives reads a Cache-Control value (RFC 9111, 5.2).
func Directives(h http.Header) map[string]string {
	out := map[string]string{}
	for _, part := range strings.Split(strings.Join(h["Cache-Control"], ","), ",") {
		name, value, _ := strings.Cut(strings.TrimSpace(part), "=")
		out[strings.ToLower(name)] = strings.Trim(value, `"`)
	}
	return out
}

// Freshness is how long an answer may be used without asking again (RFC 9111, 4.2.1), 0 for not at all; date is when
// an answer that does not say so was made.
func Freshness(h http.Header, date time.Time) time.Duration {
	d := Directives(h)
	for _, never := range []string{"no-store", "no-cache"} {
		if _, is := d[never]; is {
			return 0
		}
	}
	if seconds, err := strconv.Atoi(d["max-age"]); err == nil {
		age, _ := strconv.Atoi(h.Get("Age"))
		return time.Duration(max(seconds-age, 0)) * time.Second
	}
	if expires, err := http.ParseTime(h.Get("Expires")); err == nil {
		if said, err := http.ParseTime(h.Get("Date")); err == nil {
			date = said
		}
		return max(expires.Sub(date), 0)
	}
	return 0
}

// Personal says what in an answer's headers makes it one for a single person, or one that is not to be kept (RFC 9111,
// 5.2.2); "" for nothing.
func Personal(h http.Header) string {
	d := Directives(h)
	for _, name := range []string{"no-store", "private"} {
		if _, is := d[name]; is {
			return "Cache-Control: " + name
		}
	}
	if h.Get("Set-Cookie") != "" {
		return "Set-Cookie"
	}
	return ""
}
