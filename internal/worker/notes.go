package worker

import (
	"context"
	"fmt"
	"maps"
	"path"
	"regexp"
	"slices"
	"strings"
	"tachyform/internal/survey"

	whatwg "github.com/nlnwa/whatwg-url/url"

	"tachyform/internal/project"
	"tachyform/internal/site"
)

// destinationOf is the destination (Fetch, 2.2.5) that pages ask for a file with, as far as its name tells; "data" for
// fetch().
func destinationOf(file string) string {
	switch strings.ToLower(path.Ext(file)) {
	case ".html", ".htm", ".xhtml", "":
		return "document"
	case ".css":
		return "style"
	case ".js", ".mjs":
		return "script"
	case ".png", ".jpg", ".jpeg", ".gif", ".webp", ".avif", ".svg", ".ico", ".bmp":
		return "image"
	case ".woff", ".woff2", ".ttf", ".otf":
		return "font"
	case ".mp3", ".m4a", ".ogg", ".oga", ".opus", ".wav", ".flac", ".aac":
		return "audio"
	case ".mp4", ".m4v", ".webm", ".ogv", ".mov":
		return "video"
	case ".vtt":
		return "track"
	case ".webmanifest":
		return "manifest"
	}
	return "data"
}

var nameGroup = regexp.MustCompile(`/:[\p{L}_$][\p{L}\p{N}_$]*[?*+]?`)

// sample is a request that a rule may be asked for. A destination of "*" stands for any.
type sample struct {
	url, destination string
	file             bool
}

// looker works out what rules are ever asked for.
type looker struct {
	*planner
	packed  map[string]bool
	samples [][]sample // by rule: what it matches
	asked   []sample   // what pages are seen to ask for beyond the site's files
}

const (
	byNone = -1 - iota
	byPack
	byNever
)

// taker gives the rule that answers a sample, or who does in the place of one.
func (l *looker) taker(s sample, method string) int {
	if l.leftAlone(s.url) {
		return byNever
	}
	if p, own := strings.CutPrefix(s.url, l.Origin); own && l.packed[p] && method == "" {
		return byPack
	}
	for i := range l.Rules {
		if methodOf(l.Rules[i]) == method && l.takes(i, s.url, s.destination) {
			return i
		}
	}
	return byNone
}

func methodOf(r project.Rule) string { return strings.TrimPrefix(r.Method, "GET") }

// remark notes rules that can never match, overlap in surprising ways or match nothing, and private answers that would
// be kept.
func (b *planner) remark(ctx context.Context) error {
	l := &looker{planner: b, packed: map[string]bool{}}
	for _, e := range b.Pack {
		l.packed[e.Path] = true
	}
	for i := range b.Rules {
		l.samples = append(l.samples, l.collect(i))
	}
	// What pages ask for beyond files is worth reading all of them only for rules that no file explains.
	if slices.ContainsFunc(l.samples, func(list []sample) bool {
		return !slices.ContainsFunc(list,
			func(s sample) bool { return s.file })
	}) {
		var err error
		if l.asked, err = b.beyond(ctx); err != nil {
			return err
		}
		for i := range b.Rules {
			l.samples[i] = l.collect(i)
		}
	}
	for i := range b.Rules {
		l.reach(i)
		l.private(i)
	}
	b.privatePack()
	if host, _ := whatwg.Parse(b.Origin); host != nil && !allowedOn(b.Registration, host.Hostname()) {
		b.note("worker.register", fmt.Sprintf("the worker is not registered on %s, where the site will live",
			host.Hostname()), "name it under worker.register.hosts, or correct origin")
	}
	return nil
}

func allowedOn(r project.Register, host string) bool {
	is := func(pattern string) bool {
		ok, _ := path.Match(pattern, host)
		return ok
	}
	return (len(r.Hosts) == 0 || slices.ContainsFunc(r.Hosts, is)) && !slices.ContainsFunc(r.OffOn, is)
}

// beyond gives what pages are seen or said to ask for, and that no file of the site answers.
func (b *planner) beyond(ctx context.Context) (list []sample, err error) {
	graph, err := survey.BuildGraph(ctx, b.f, b.graph.Reader)
	if err != nil {
		return nil, err
	}
	seen := map[sample]bool{}
	add := func(url, destination string) {
		if destination == "" {
			destination = "data"
		}
		if s := (sample{url, destination, true}); !seen[s] {
			seen[s] = true
			list = append(list, s)
		}
	}
	for _, path := range slices.Sorted(maps.Keys(graph.Refs)) {
		for _, ref := range graph.Refs[path] {
			if own, is := strings.CutPrefix(ref.URL, b.Origin); !is || graph.Files[own] == nil {
				add(ref.URL, string(ref.Destination))
			}
		}
	}
	for _, url := range b.graph.Seen.URLs() {
		for _, r := range b.graph.Seen.Pages[url].Requests {
			if own, is := graph.Local(r.URL); !is || graph.Files[own] == nil {
				add(r.URL, string(r.Destination))
			}
		}
	}
	for _, asks := range b.p.Audit.Asks {
		for _, url := range asks.For {
			if u, err := whatwg.ParseRef(b.Origin+"/", url); err == nil {
				add(u.Href(true), "")
			}
		}
	}
	return list, nil
}

// collect gives what rule i matches: files of the site, what its pages are seen to ask for, and addresses made up from
// the pattern.
func (l *looker) collect(i int) (list []sample) {
	r := l.Rules[i]
	for _, file := range l.files[i] {
		list = append(list, sample{l.Origin + l.f.PathOf(file), destinationOf(file.Path), true})
	}
	for _, s := range l.asked {
		if l.takes(i, s.url, s.destination) {
			list = append(list, s)
		}
	}
	if strings.Contains(r.Match, "(") || strings.Contains(r.Match, "{") {
		return list
	}
	for _, fill := range []string{"zq1", "zq2/zq3"} {
		url := nameGroup.ReplaceAllString(strings.ReplaceAll(r.Match, "*", fill), "/zq4")
		if strings.HasPrefix(url, "/") {
			url = l.Origin + url
		}
		destination := r.Destination
		if destination == "" {
			destination = "*"
		}
		if s := (sample{url, destination, false}); l.takes(i, s.url, s.destination) {
			list = append(list, s)
		}
	}
	return list
}

func (l *looker) line(i int) int {
	return l.p.PlaceOf(fmt.Sprintf("worker.rules[%d].match", i)).Line
}

func (l *looker) reach(i int) {
	r := l.Rules[i]
	key := fmt.Sprintf("worker.rules[%d].match", i)
	files, packed, own := 0, 0, 0
	taken := map[int][]sample{}
	for _, s := range l.samples[i] {
		by := l.taker(s, methodOf(r))
		if s.file {
			files++
			if by == byPack {
				packed++
			}
		}
		if by == i {
			own++
		} else {
			taken[by] = append(taken[by], s)
		}
	}
	if files == 0 && methodOf(r) == "" && r.Answer != "network-only" && r.Destination != "document" {
		l.note(key, fmt.Sprintf("the rule for %s matches no file of the site, and nothing that its pages are seen to ask for",
			r.Match), "check its spelling; what only scripts ask for may be declared under audit.asks")
	}
	switch {
	case files > 0 && packed == files && r.Destination != "document" && r.Match != l.p.Addr+"*":
		l.note(key, fmt.Sprintf("all that the rule for %s matches is in the pack, which answers first: the rule is never "+
			"asked (%s)", r.Match, few(taken[byPack], l.Origin)), "leave those files out of the pack, or remove the rule")
		return
	case own == 0 && len(l.samples[i]) > 0 && len(taken[byNever]) == len(l.samples[i]):
		l.note(key, fmt.Sprintf("the rule for %s can never match: worker.never names all of it", r.Match),
			"remove one of the two")
		return
	}
	for j := range l.Rules[:i] {
		list := taken[j]
		if len(list) == 0 {
			continue
		}
		if own == 0 && len(list) == len(l.samples[i]) {
			l.note(key, fmt.Sprintf("the rule for %s can never match: the one for %s on line %d takes all of it first", r.Match,
				l.Rules[j].Match, l.line(j)), "move it before that one, or remove it")
			return
		}
		narrower := !slices.ContainsFunc(l.samples[j], func(s sample) bool { return !l.match[i].Match(s.url) })
		if !narrower && l.Rules[j].Answer != r.Answer && slices.ContainsFunc(list, func(s sample) bool { return s.file }) {
			l.note(key, fmt.Sprintf("the rules for %s (line %d, %s) and for %s (%s) both match %s; the earlier one decides",
				l.Rules[j].Match, l.line(j), l.Rules[j].Answer, r.Match, r.Answer, few(list, l.Origin)),
				"move this rule up if it should decide, or make the patterns exclude each other")
		}
	}
}

// few names the first of a list of samples.
func few(list []sample, origin string) string {
	name := strings.TrimPrefix(list[0].url, origin)
	if n := len(list) - 1; n > 0 {
		return fmt.Sprintf("%s and %d more", name, n)
	}
	return name
}

// intimate says what in an answer's headers makes it one for a single person, or "".
func (b *planner) intimate(url string) string {
	u, err := whatwg.Parse(url)
	if err != nil || len(b.p.Host.Headers) == 0 {
		return ""
	}
	resp, err := b.f.Answer(context.Background(), &site.Request{Method: "GET", URL: u})
	if err != nil || resp.Status != 200 {
		return ""
	}
	return site.Personal(resp.Header)
}

// private notes answers for a single person that a rule keeps.
func (l *looker) private(i int) {
	r := l.Rules[i]
	if !storing(r) {
		return
	}
	var found []sample
	why := ""
	for _, s := range l.samples[i] {
		if !s.file || !strings.HasPrefix(s.url, l.Origin+"/") || l.taker(s, methodOf(r)) != i {
			continue
		}
		if header := l.intimate(s.url); header != "" && (r.EvenPrivate == "yes" || !strings.Contains(header, "no-store")) {
			found, why = append(found, s), header
		}
	}
	if len(found) > 0 {
		l.note(fmt.Sprintf("worker.rules[%d].match", i), fmt.Sprintf("the rule for %s keeps answers meant for one person "+
			"(%s: %s), also after they sign out", r.Match, few(found, l.Origin), why),
			"answer: network-only keeps nothing; or let signing out call tachyform.forget()")
	}
}

// privatePack notes files of the pack that the host marks as for one person.
func (b *planner) privatePack() {
	var found []sample
	why := ""
	for _, e := range b.Pack {
		if header := b.intimate(b.Origin + e.Path); header != "" {
			found, why = append(found, sample{url: b.Origin + e.Path}), header
		}
	}
	if len(found) > 0 {
		b.note("worker.pack",
			fmt.Sprintf("the pack keeps what the host marks as not to be kept or as for one person (%s: %s)",
				few(found, b.Origin), why), "leave it out of the pack unless it is the same for everybody")
	}
}
