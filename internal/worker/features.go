package worker

import (
	"cmp"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"tachyform/internal/project"
)

// storing says whether a rule keeps answers.
func storing(r project.Rule) bool { return r.Answer != "network-only" && r.Answer != "cache-only" }

// features says which parts of the runtime the plan uses.
func (p *Plan) features() map[string]bool {
	any := func(is func(project.Rule) bool) bool { return slices.ContainsFunc(p.Rules, is) }
	answers := func(name string) bool { return any(func(r project.Rule) bool { return r.Answer == name }) }
	s := p.StandIns
	timed := any(func(r project.Rule) bool { return r.Keep.For > 0 })
	dated := timed || any(func(r project.Rule) bool { return r.Keep.Bytes > 0 })
	f := map[string]bool{
		"own-code":               p.Module != "",
		"rules":                  len(p.Rules) > 0,
		"pack":                   len(p.Pack) > 0,
		"never":                  len(p.Never) > 0,
		"shell":                  p.Shell.Page != "",
		"cache-first":            answers("cache-first"),
		"network-first":          answers("network-first"),
		"stale-while-revalidate": answers("stale-while-revalidate"),
		"network-only":           answers("network-only"),
		"cache-only":             answers("cache-only"),
		"storing":                any(storing),
		"methods":                any(func(r project.Rule) bool { return r.Method != "" && r.Method != "GET" }),
		"destinations":           any(func(r project.Rule) bool { return r.Destination != "" }),
		"for":                    timed,
		"dated":                  dated,
		"bounded":                dated || any(func(r project.Rule) bool { return r.Keep.AtMost > 0 }),
		"statuses":               any(func(r project.Rule) bool { return len(r.Statuses) > 0 }),
		"opaque":                 any(func(r project.Rule) bool { return r.Opaque == "yes" }),
		"even-private":           any(func(r project.Rule) bool { return r.EvenPrivate == "yes" }),
		"tell":                   any(func(r project.Rule) bool { return r.Tell == "yes" }),
		"queries":                any(func(r project.Rule) bool { return len(r.IgnoreQuery) > 0 }),
		"refresh": len(p.Pack) > 0 &&
			any(func(r project.Rule) bool { return storing(r) && r.OnRelease == "refresh" }),
		"prefetch":       len(p.prefetched) > 0,
		"some-queries":   p.choosing != "",
		"page-stand-in":  s.Page != "",
		"page-status":    s.Page != "" && s.Status != 0,
		"image-stand-in": s.Image != "",
		"font-stand-in":  s.Font != "",
		"data-stand-in":  s.Data.Body != "",
		"stand-ins":      s.Page != "" || s.Image != "" || s.Font != "" || s.Data.Body != "",
		"open-ended":     len(p.Rules) > 0 || s.Data.Body != "",
		"other-origins":  p.otherOrigins(),
		"extensionless":  p.Extensionless,
		"index":          !slices.Equal(p.index, []string{"index.html"}),
		"slash-remove":   p.slash == "remove",
		"slash-keep":     p.slash == "keep",
		"replaced":       len(p.Replaced) > 0,
		"at-once":        p.Takeover == "at-once",
		"reload":         p.Takeover == "ask" || p.Takeover == "at-once",
		"ask":            p.Takeover == "ask",
		"tabs":           p.Takeover != "when-closed" && len(p.Pack) > 0,
		"verify":         p.Verify,
		"restore":        p.Verify && len(p.Pack) > 0,
		"hashed":         p.Verify && slices.ContainsFunc(p.Pack, func(e Entry) bool { return e.Hashed }),
		"rendered":       p.Verify && slices.ContainsFunc(p.Pack, func(e Entry) bool { return e.Rendered }),
		"ranges":         p.ranges(),
		"preload":        p.preload(),
	}
	return f
}

// preload says whether asking the network for a page while the worker starts saves time: when pages come from the
// network first, and none from the pack, for which it would be asked in vain.
func (p *Plan) preload() bool {
	if p.Shell.Page != "" || len(p.Never) > 0 {
		return false
	}
	for _, e := range p.Pack {
		if e.page && e.Path != p.StandIns.Page {
			return false
		}
	}
	first := slices.IndexFunc(p.Rules, func(r project.Rule) bool {
		return r.Destination == "" ||
			r.Destination == "document"
	})
	return first >= 0 && !slices.ContainsFunc(p.Rules, func(r project.Rule) bool {
		return (r.Destination == "" || r.Destination == "document") && r.Answer != "network-first"
	})
}

// ranges says whether sound or film may be kept, which browsers ask for in ranges.
func (p *Plan) ranges() bool {
	for _, e := range p.Pack {
		if e.media {
			return true
		}
	}
	return slices.ContainsFunc(p.Rules, func(r project.Rule) bool {
		return r.Answer != "network-only" && slices.Contains([]string{"", "video", "audio", "data"}, r.Destination)
	})
}

func (p *Plan) otherOrigins() bool {
	elsewhere := func(pattern string) bool { return !strings.HasPrefix(pattern, "/") }
	return slices.ContainsFunc(p.Rules, func(r project.Rule) bool { return elsewhere(r.Match) }) ||
		slices.ContainsFunc(p.Never, elsewhere) || slices.ContainsFunc(p.Shell.Except, elsewhere) ||
		elsewhere(cmp.Or(p.StandIns.Data.Match, "/"))
}

func quote(s string) string {
	b, _ := json.Marshal(s)
	return string(b)
}

// object writes a JavaScript object of fields; those without a value are left out.
type object []string

func (o *object) add(name, value string) {
	if value != "" {
		*o = append(*o, name+": "+value)
	}
}

func (o object) String() string { return "{" + strings.Join(o, ", ") + "}" }

// pattern adds the fields by which runtime/matches.js knows a URL pattern.
func (o *object) pattern(text, origin string) error {
	m, err := compileMatcher(text, origin)
	if err != nil {
		return err
	}
	for _, part := range []struct{ name, expr string }{{"origin", m.Origin}, {"path", m.Path}, {"search", m.Search}} {
		if part.expr != "" {
			o.add(part.name, "/"+part.expr+"/")
		}
	}
	return nil
}

func (p *Plan) patterns(list []string) (string, error) {
	var out []string
	for _, text := range list {
		var o object
		if err := o.pattern(text, p.Origin); err != nil {
			return "", err
		}
		out = append(out, o.String())
	}
	return "[" + strings.Join(out, ", ") + "]", nil
}

// namesExpr writes parameter names, with * for any rest, as one regular expression.
func namesExpr(names []string) string {
	var parts []string
	for _, n := range names {
		parts = append(parts, strings.ReplaceAll(escapeRegexp(n), `\*`, ".*"))
	}
	return "^(?:" + strings.Join(parts, "|") + ")$"
}

// settings writes the module of constants that the runtime imports.
func (p *Plan) settings() (string, error) {
	var b strings.Builder
	constant := func(name, value string) { fmt.Fprintf(&b, "export const %s = %s;\n", name, value) }
	constant("RELEASE", quote(p.Release()))
	constant("SCOPE", quote(p.Scope))
	if replaced, err := json.Marshal(p.Replaced); err == nil {
		constant("REPLACED", string(replaced))
	}
	s := p.StandIns
	constant("PAGE", quote(s.Page))
	constant("PAGE_STATUS", fmt.Sprint(s.Status))
	constant("IMAGE", quote(s.Image))
	constant("FONT", quote(s.Font))
	constant("SHELL", quote(p.Shell.Page))
	constant("CHOOSING", "/"+cmp.Or(p.choosing, ".")+"/")
	var index []string
	for _, name := range p.index {
		index = append(index, escapeRegexp(name))
	}
	constant("INDEX", `/\/(?:`+strings.Join(index, "|")+`)$/`)
	data := object{"body: " + quote(s.Data.Body), "type: " + quote(cmp.Or(s.Data.Type, "application/json")),
		"status: " + fmt.Sprint(cmp.Or(s.Data.Status, 503))}
	if err := data.pattern(cmp.Or(s.Data.Match, "/*"), p.Origin); err != nil {
		return "", err
	}
	constant("DATA", data.String())
	for _, list := range []struct {
		name     string
		patterns []string
	}{{"NEVER", p.Never}, {"EXCEPT", p.Shell.Except}} {
		text, err := p.patterns(list.patterns)
		if err != nil {
			return "", err
		}
		constant(list.name, text)
	}
	b.WriteString("export const PACK = {\n")
	folder := ""
	for _, e := range p.byFolder() {
		at := e.Path[:strings.LastIndexByte(e.Path, '/')+1]
		if at != folder {
			if folder != "" {
				b.WriteString("  },\n")
			}
			fmt.Fprintf(&b, "  %s: {\n", quote(at))
			folder = at
		}
		mark := ""
		switch {
		case p.Verify && e.Rendered:
			mark = "~"
		case p.Verify && e.Hashed:
			mark = "*"
		}
		fmt.Fprintf(&b, "    %s: %s,\n", quote(e.Path[len(at):]), quote(e.Stamp+mark))
	}
	if folder != "" {
		b.WriteString("  },\n")
	}
	b.WriteString("};\nexport const RULES = [\n")
	for _, r := range p.Rules {
		var o object
		if err := o.pattern(r.Match, p.Origin); err != nil {
			return "", err
		}
		if r.Method != "" && r.Method != "GET" {
			o.add("method", quote(r.Method))
		}
		switch r.Destination {
		case "":
		case "data":
			o.add("destination", `""`)
		default:
			o.add("destination", quote(r.Destination))
		}
		o.add("answer", quote(r.Answer))
		number := func(name string, n int64) {
			if n > 0 {
				o.add(name, fmt.Sprint(n))
			}
		}
		truth := func(name, word string) {
			if word == "yes" {
				o.add(name, "true")
			}
		}
		number("patience", r.Patience.Milliseconds())
		number("for", r.Keep.For.Milliseconds())
		number("atMost", int64(r.Keep.AtMost))
		number("bytes", int64(r.Keep.Bytes))
		if len(r.Statuses) > 0 {
			o.add("statuses", strings.ReplaceAll(fmt.Sprint(r.Statuses), " ", ", "))
		}
		truth("opaque", r.Opaque)
		truth("evenPrivate", r.EvenPrivate)
		truth("tell", r.Tell)
		if len(r.IgnoreQuery) > 0 {
			o.add("ignored", "/"+namesExpr(r.IgnoreQuery)+"/")
		}
		if storing(r) {
			family := ruleStore(p.Scope, strings.TrimSpace(r.Match+" "+r.Destination))
			if paths := p.prefetched[ruleKey(r)]; len(paths) > 0 {
				list := make([]string, len(paths))
				for i, path := range paths {
					list[i] = quote(path)
				}
				o.add("first", "["+strings.Join(list, ", ")+"]")
			}
			if r.OnRelease == "keep" {
				o.add("store", quote(family))
			} else {
				if r.OnRelease == "refresh" {
					o.add("family", quote(family+" #"))
				}
				o.add("store", quote(family+" #"+p.ofRule[ruleKey(r)]))
			}
		}
		fmt.Fprintf(&b, "  %s,\n", o)
	}
	b.WriteString("];\n")
	return b.String(), nil
}

// byFolder gives the pack with the files of a folder together.
func (p *Plan) byFolder() []Entry {
	list := slices.Clone(p.Pack)
	slices.SortFunc(list, func(a, b Entry) int {
		i, j := strings.LastIndexByte(a.Path, '/')+1, strings.LastIndexByte(b.Path, '/')+1
		return cmp.Or(strings.Compare(a.Path[:i], b.Path[:j]), strings.Compare(a.Path[i:], b.Path[j:]))
	})
	return list
}
