package project

import (
	"fmt"
	"reflect"
	"regexp"
	"slices"
	"strings"

	"tachyform/internal/problem"
	"tachyform/internal/spelling"
)

var fingerprint = regexp.MustCompile(`^([0-9A-F]{2}:){31}[0-9A-F]{2}$`)

// whole checks what no single field can tell.
func (d *decoder) whole(p *Project) {
	var names []string
	for _, m := range ManifestMembers {
		if !m.Apart {
			names = append(names, m.Name)
		}
	}
	at := func(key string) string {
		pl := p.places[key]
		return fmt.Sprintf("%s:%d:%d", d.name, pl.Line, pl.Column)
	}
	add := func(key, what, mend string) {
		d.problems = append(d.problems, &problem.Problem{Kind: problem.Usage, Where: at(key), What: what, Mend: mend})
	}
	for _, m := range p.App {
		key := "app." + m.Name
		kind, known := memberKinds[m.Name]
		switch {
		case m.Name == "icons":
			add(key, "app.icons is written by tachyform from icons.master", "remove it and name the master picture under icons:")
		case strings.HasSuffix(m.Name, "_localized"):
			if _, known := memberKinds[strings.TrimSuffix(m.Name, "_localized")]; !known {
				add(key, fmt.Sprintf("there is no manifest member %q", m.Name), "")
			}
		case !known:
			mend := "members go under their standard names"
			if near := spelling.Nearest(m.Name, names); near != "" {
				mend = "did you mean " + near + "?"
			}
			add(key, fmt.Sprintf("there is no manifest member %q", m.Name), mend)
		case m.Value != nil && kindOf(m.Value) != string(kind):
			add(key, fmt.Sprintf("%s takes a %s, not a %s", key, kind, kindOf(m.Value)),
				"browsers ignore a value of another kind")
		case strings.HasSuffix(m.Name, "_color") && !cssColour.MatchString(p.App.Text(m.Name)):
			add(key, fmt.Sprintf("%s takes a CSS colour, not %q", key, p.App.Text(m.Name)),
				`such as "#0b4f6c"; quote it, since # starts a comment in YAML`)
		}
	}
	d.worker(p.Worker, add)
	for i, f := range p.Shops.Android.Fingerprints {
		if !fingerprint.MatchString(f) {
			add(fmt.Sprintf("shops.android.fingerprints[%d]", i), "this is not a SHA-256 fingerprint",
				"32 pairs of capital hexadecimal digits with colons between them, as the shop's console and keytool print it")
		}
	}
	if a := p.Shops.Android; (a.Package == "") != (len(a.Fingerprints) == 0) {
		add("shops.android", "package and fingerprints are needed both", "the shop's console shows them")
	}
	for i, r := range p.Rehearsals {
		for j, step := range r.Steps {
			key := fmt.Sprintf("rehearsals[%d].steps[%d]", i, j)
			switch acts := step.Acts(); {
			case len(acts) == 0:
				add(key, "this step does nothing", "give it a key such as open, reload, network or expect")
			case len(acts) > 1:
				add(key, "this step does several things at once: "+strings.Join(acts, ", "),
					"make it a step for each, in the order they happen")
			case step.Cookie != "" && !strings.Contains(step.Cookie, "="):
				add(key+".cookie", fmt.Sprintf("%q is not NAME=VALUE", step.Cookie), "")
			}
		}
	}
	checkHosting(p.Host, "hosting", add)
	for i, o := range p.Others {
		checkHosting(o.Host, fmt.Sprintf("other_origins[%d].hosting", i), add)
	}
	if p.Worker.Replace == "yes" && p.Worker.Present.File == "" {
		add("worker.replace", "worker.replace takes the place of worker.present, which is not there",
			"name the site's own worker: present: {file: /sw.js}")
	}
}

// checkHosting looks at the statuses that a host is said to answer with.
func checkHosting(h Hosting, key string, add func(key, what, mend string)) {
	for i, r := range h.Redirects {
		if r.Status != 0 && !slices.Contains([]int{301, 302, 303, 307, 308}, r.Status) {
			add(fmt.Sprintf("%s.redirects[%d].status", key, i), fmt.Sprintf("%d is no status of a redirect", r.Status),
				"301, 302, 303, 307 or 308")
		}
	}
	for i, a := range h.Answers {
		at := fmt.Sprintf("%s.answers[%d]", key, i)
		if a.Status != 0 && (a.Status < 200 || a.Status > 599) {
			add(at+".status", fmt.Sprintf("%d is not an HTTP status", a.Status), "200 to 599")
		}
		if a.File == "" && (a.Status == 0 || a.Status == 200) {
			add(at, "this answer has no body", "name a file with what the server answers, or a status such as 204 or 404")
		}
	}
	for i, s := range h.Statuses {
		if s.Status < 200 || s.Status > 599 {
			add(fmt.Sprintf("%s.statuses[%d].status", key, i), fmt.Sprintf("%d is not an HTTP status", s.Status), "200 to 599")
		}
	}
}

func kindOf(v any) string {
	switch v.(type) {
	case string:
		return "text"
	case bool:
		return "truth"
	case []any:
		return "list"
	case Members:
		return "mapping"
	}
	return "number"
}

// Acts names the keys of a step that say what is done.
func (s Step) Acts() (acts []string) {
	v := reflect.ValueOf(s)
	for i := range v.NumField() {
		if name := v.Type().Field(i).Tag.Get("yaml"); name != "tab" && !v.Field(i).IsZero() {
			acts = append(acts, name)
		}
	}
	return acts
}
