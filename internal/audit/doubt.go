package audit

import (
	"fmt"
	"strings"

	"tachyform/internal/condition"
	"tachyform/internal/page"
	"tachyform/internal/rehearsal"
	"tachyform/internal/weburl"
)

// What is judged here.
var offlineUnknown = newCheck(Check{
	Code: "offline.unknown", Weight: Risk, Rank: 200,
	Title:   "Of some pages nobody knows here whether they work offline",
	Reason:  "What decides it was not seen: it may be whole or broken.",
	Mend:    "open these pages offline in a browser, or tell what is missing here: how the host answers, what another origin gives",
	Example: "fetch('/api/berths') in a page's script: the folder has no such file, and hosting does not say what a server answers there.",
})

// why tells in words why an outcome is not known, "" where it is.
func (a *auditor) why(d *rehearsal.Doubt) string {
	if d == nil {
		return ""
	}
	switch d.Kind {
	case rehearsal.DoubtStopped:
		return d.Err.Error()
	case rehearsal.DoubtGap:
		text := "it uses what is not simulated here: " + d.Gap
		if d.At != "" {
			text += " (" + a.local(d.At) + ")"
		}
		return text
	case rehearsal.DoubtRegistration:
		return "a worker is registered at " + a.placeOf(d.Where) + ", and which one cannot be read there"
	case rehearsal.DoubtRead:
		return "its scripts are only read, not run: audit.scripts says so"
	case rehearsal.DoubtNotSent:
		return "its scripts ask for " + a.localRequest(d.Asked) + ", which is not sent to a live site"
	case rehearsal.DoubtNothing:
		return "nothing is drawn: no text, no picture, nothing to use"
	case rehearsal.DoubtServer:
		return "its scripts ask for " + a.local(d.Asked) + ", which is not in the folder: a server may answer it"
	case rehearsal.DoubtElsewhere:
		return "its scripts ask for " + d.Asked + ", and what that answers is not known here"
	case rehearsal.DoubtError:
		return "a script ends online, too, with what may be a gap here: " + d.Text
	}
	return ""
}

// localRequest writes a method and an address in short.
func (a *auditor) localRequest(text string) string {
	method, url, _ := strings.Cut(text, " ")
	return method + " " + a.local(url)
}

// placeOf is a place in a few words: the file, or the address, with its line.
func (a *auditor) placeOf(p page.Place) string {
	name := a.file(p.URL)
	if name == "" {
		name = a.local(p.URL)
	}
	if p.Line > 0 {
		name += fmt.Sprintf(":%d:%d", p.Line, p.Column)
	}
	return name
}

// checkKnown names the pages whose outcome is not known, with the reasons.
func (a *auditor) checkKnown() {
	var order []string
	groups := map[string][]string{}
	first := Where{}
	for i, p := range a.ran.Pages {
		for _, under := range condition.Names() {
			o := p.Under[under]
			if o == nil || o.Doubt == nil || a.report.Pages[i].isConfirmed(under) {
				continue
			}
			if i := a.weighing(offlineUnknown.Code, p.URL); i >= 0 && a.Project.Audit.Weights[i].Weight == "off" {
				a.accepted[i]++
				break // the project file accepts it, with its reason
			}
			why := a.why(o.Doubt)
			if groups[why] == nil {
				order = append(order, why)
			}
			groups[why] = append(groups[why], a.report.Pages[i].URL)
			if a.report.Summary.Unknown++; first.URL == "" {
				first = a.place(p.URL, 0, 0)
				if o.Doubt.Where.URL != "" {
					first = a.place(o.Doubt.Where.URL, o.Doubt.Where.Line, o.Doubt.Where.Column)
				}
			}
			break
		}
	}
	var parts []string
	for _, why := range order {
		list := groups[why]
		names := strings.Join(list[:min(3, len(list))], ", ")
		if n := len(list) - 3; n > 0 {
			names += fmt.Sprintf(" and %d more", n)
		}
		parts = append(parts, names+": "+why)
	}
	if len(parts) == 0 {
		return
	}
	if n := len(parts) - 4; n > 0 {
		parts = append(parts[:4], fmt.Sprintf("and %d more reasons", n))
	}
	mend := ""
	if d := a.firstDoubt(rehearsal.DoubtRegistration); d != nil {
		mend = "name the worker under worker.present: {file: /its-address.js}"
		if own := a.workerScripts(); len(own) > 0 {
			mend += "; these scripts of the site listen to install or fetch: " + strings.Join(own, ", ")
		}
	}
	if d := a.firstDoubt(rehearsal.DoubtServer); d != nil && mend == "" {
		path := a.local(d.Asked)
		mend = fmt.Sprintf("say what the server behind the site answers: hosting: {answers: [{match: %s, file: sample.json}]}, "+
			"status: 404 where it has nothing, or backend: with the address of one that runs here", path)
	}
	if d := a.firstDoubt(rehearsal.DoubtElsewhere); d != nil && mend == "" {
		mend = fmt.Sprintf("put what that origin answers into a folder, and name it: other_origins: [{origin: %s, folder: there}]",
			weburl.OriginOf(d.Asked))
	}
	a.find(offlineUnknown, first, strings.Join(parts, "; "), mend)
}

// firstDoubt gives the first doubt of a kind.
func (a *auditor) firstDoubt(kind rehearsal.DoubtKind) *rehearsal.Doubt {
	for _, p := range a.ran.Pages {
		for _, o := range p.Under {
			if o.Doubt != nil && o.Doubt.Kind == kind {
				return o.Doubt
			}
		}
	}
	return nil
}

// workerScripts lists the first scripts of the folder that look like service workers, as addresses.
func (a *auditor) workerScripts() []string {
	if a.Folder == nil {
		return nil
	}
	list := page.WorkerScripts(a.Folder)
	return list[:min(3, len(list))]
}
