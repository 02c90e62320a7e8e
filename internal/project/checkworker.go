package project

import (
	"fmt"
	"strings"
)

// worker checks what keys of the worker section say together.
func (d *decoder) worker(w Worker, add func(key, what, mend string)) {
	for i, r := range w.Rules {
		key := fmt.Sprintf("worker.rules[%d]", i)
		idle := func(name, why string) {
			add(key+"."+name, fmt.Sprintf("%s has no meaning with %s", name, r.Answer), why)
		}
		keeps := r.Answer != "network-only" && r.Answer != "cache-only" && r.Answer != ""
		if r.Patience > 0 && r.Answer != "network-first" && r.Answer != "" {
			idle("patience", "it says how long network-first waits; remove it")
		}
		if r.Method != "" && r.Method != "GET" && r.Answer != "network-only" && r.Answer != "" {
			add(key+".answer", fmt.Sprintf("answers to %s cannot be kept, so %s has no meaning for them", r.Method, r.Answer),
				"write answer: network-only, or leave method away")
		}
		if !keeps && r.Answer != "" {
			for _, key := range []struct {
				name string
				set  bool
			}{
				{"keep", r.Keep != Keep{}}, {"statuses", len(r.Statuses) > 0}, {"opaque", r.Opaque == "yes"}, {"even_private",
					r.EvenPrivate == "yes"},
				{"at_install", r.AtInstall == "yes" || r.AtInstall == "all"}, {"on_release", r.OnRelease != ""},
			} {
				if key.set {
					idle(key.name, "it keeps nothing; remove it")
				}
			}
		}
		if r.Tell == "yes" && r.Answer != "network-first" && r.Answer != "stale-while-revalidate" && r.Answer != "" {
			idle("tell", "a copy is refreshed behind the page's back only by stale-while-revalidate, and by network-first "+
				"when patience runs out")
		}
		if r.Opaque == "yes" && r.Keep.AtMost == 0 {
			add(key+".opaque", "opaque answers have no date and no size that the worker may see, so a number has to bound them",
				"add keep: {at_most: 30}, or a number that suits")
		}
		for j, s := range r.Statuses {
			if s < 200 || s > 599 || s == 206 {
				add(fmt.Sprintf("%s.statuses[%d]", key, j), fmt.Sprintf("an answer with status %d cannot be kept", s),
					"200, 203, 404 and 410 are usual")
			}
		}
		if r.Keep.AtMost < 0 {
			add(key+".keep.at_most", "at_most is a number of answers, 1 or more", "")
		}
	}
	s := w.StandIns
	if s.Status != 0 {
		switch {
		case s.Page == "":
			add("worker.stand_ins.status", "status is that of the page stand-in, and there is none", "add page:")
		case s.Status < 200 || s.Status > 599:
			add("worker.stand_ins.status", fmt.Sprintf("%d is not a status that a page can be shown with", s.Status),
				"503 says that the site cannot be reached now")
		}
	}
	if s.Data.Status != 0 && (s.Data.Status < 200 || s.Data.Status > 599) {
		add("worker.stand_ins.data.status", fmt.Sprintf("%d is not an HTTP status", s.Data.Status),
			"503 lets scripts see that the answer is a stand-in")
	}
	if s.Data.Body == "" && (s.Data.Match != "" || s.Data.Type != "" || s.Data.Status != 0) {
		add("worker.stand_ins.data", "the data stand-in has no body",
			`add body: '{"offline": true}', or what your scripts expect`)
	}
	hosts := func(key string, list []string) {
		for i, h := range list {
			if strings.ContainsAny(h, "/ ") {
				add(fmt.Sprintf("worker.register.%s[%d]", key, i), fmt.Sprintf("%q is not a host name", h),
					"write it without scheme and path, such as skerry-line.example, localhost or *.skerry-line.example")
			}
		}
	}
	hosts("hosts", w.Register.Hosts)
	hosts("off_on", w.Register.OffOn)
}
