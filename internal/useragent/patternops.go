package useragent

import (
	"encoding/json"

	urlpattern "github.com/dunglas/go-urlpattern"
)

// patternInput is what a script gives to URLPattern: text with an optional base, or an object.
type patternInput struct {
	Text string
	Base *string
	Init map[string]*string
}

func (p patternInput) init() *urlpattern.URLPatternInit {
	m := p.Init
	return &urlpattern.URLPatternInit{Protocol: m["protocol"], Username: m["username"], Password: m["password"], Hostname: m["hostname"], Port: m["port"], Pathname: m["pathname"], Search: m["search"], Hash: m["hash"], BaseURL: m["baseURL"]}
}

func (p patternInput) base() string {
	if p.Base == nil {
		return ""
	}
	return *p.Base
}

func encoded(v any) string {
	text, _ := json.Marshal(v)
	return string(text)
}

// newPattern compiles a URL pattern and gives its number and components.
func (r *realm) newPattern(input string, ignoreCase bool) string {
	var in patternInput
	if err := json.Unmarshal([]byte(input), &in); err != nil {
		return encoded(map[string]string{"error": err.Error()})
	}
	o := &urlpattern.Options{IgnoreCase: ignoreCase}
	var p *urlpattern.URLPattern
	var err error
	if in.Init != nil {
		p, err = in.init().New(o)
	} else {
		p, err = urlpattern.New(in.Text, in.base(), o)
	}
	if err != nil {
		return encoded(map[string]string{"error": err.Error()})
	}
	r.patterns = append(r.patterns, p)
	return encoded(map[string]any{"id": len(r.patterns) - 1, "groups": p.HasRegexpGroups(), "parts": map[string]string{
		"protocol": p.Protocol(), "username": p.Username(), "password": p.Password(), "hostname": p.Hostname(), "port": p.Port(), "pathname": p.Pathname(), "search": p.Search(), "hash": p.Hash()}})
}

// execPattern matches a URL or its parts; "null" means that it does not match.
func (r *realm) execPattern(id int, input string) string {
	var in patternInput
	if err := json.Unmarshal([]byte(input), &in); err != nil {
		return "null"
	}
	var m *urlpattern.URLPatternResult
	if in.Init != nil {
		m = r.patterns[id].ExecInit(in.init())
	} else {
		m = r.patterns[id].Exec(in.Text, in.base())
	}
	if m == nil {
		return "null"
	}
	p := r.patterns[id]
	part := func(c urlpattern.URLPatternComponentResult) map[string]any {
		if c.Groups == nil {
			c.Groups = map[string]string{}
		}
		return map[string]any{"input": c.Input, "groups": c.Groups}
	}
	// A component that takes anything has one group, the whole of it.
	for _, c := range []struct {
		pattern string
		result  *urlpattern.URLPatternComponentResult
	}{{p.Protocol(), &m.Protocol}, {p.Username(), &m.Username}, {p.Password(), &m.Password}, {p.Hostname(), &m.Hostname}, {p.Port(), &m.Port}, {p.Pathname(), &m.Pathname}, {p.Search(), &m.Search}, {p.Hash(), &m.Hash}} {
		if c.pattern == "*" {
			c.result.Groups = map[string]string{"0": c.result.Input}
		}
	}
	return encoded(map[string]any{"protocol": part(m.Protocol), "username": part(m.Username), "password": part(m.Password), "hostname": part(m.Hostname), "port": part(m.Port), "pathname": part(m.Pathname), "search": part(m.Search), "hash": part(m.Hash)})
}
