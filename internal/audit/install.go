package audit

import (
	"fmt"
	"math"
	"net"
	"path"
	"strconv"
	"strings"

	weburl "github.com/nlnwa/whatwg-url/url"

	"tachyform/internal/icon"
	"tachyform/internal/manifest"
	"tachyform/internal/page"
	"tachyform/internal/project"
	"tachyform/internal/site"
)

// install judges what decides about installing. It gives the absolute start URL, or "" when there is none.
func (a *auditor) install() (start string) {
	if !a.Trusted && !trustworthy(a.origin) {
		a.find("site.insecure", Where{URL: a.origin}, a.origin, "")
	}
	entry := a.absolute(a.Project.Audit.Entry)
	resp, final := a.get(entry)
	if resp == nil || resp.Status >= 400 || resp.Body == nil {
		status := "nothing answers"
		if resp != nil {
			status = fmt.Sprintf("status %d", resp.Status)
		}
		a.find("site.entry", Where{URL: a.local(entry)}, status, "")
		return ""
	}
	text, err := resp.Body.Bytes()
	if err != nil {
		a.find("site.entry", Where{URL: a.local(entry)}, err.Error(), "")
		return ""
	}
	doc := page.ParseDocument(final, resp.Header.Get("Content-Type"), text)
	a.documents[entry] = doc
	murl := doc.ManifestURL()
	if murl == "" {
		a.unlinked(doc, entry)
		return ""
	}
	tag, _ := doc.Link("manifest")
	linkAt := a.place(entry, tag.Line, tag.Column)
	mresp, mfinal := a.get(murl)
	switch {
	case mresp == nil:
		a.find("app.unreachable", linkAt, murl+" does not answer", "")
		return ""
	case mresp.Status != 200:
		a.find("app.unreachable", linkAt, fmt.Sprintf("%s answers with status %d", a.local(murl), mresp.Status), "")
		return ""
	}
	body, err := mresp.Body.Bytes()
	if err != nil {
		a.find("app.unreachable", linkAt, err.Error(), "")
		return ""
	}
	p, issues := manifest.Process(body, mfinal, final, manifest.Chromium)
	a.report.Manifest = &ManifestReport{URL: a.local(murl), Processed: p}
	for _, i := range issues {
		code := "app.ignored"
		switch i.Code {
		case "syntax":
			code = "app.unreadable"
		case "unknown-member", "duplicate-member":
			code = "app.unknown"
		}
		a.find(code, a.place(murl, i.Line, i.Column), i.What, i.Mend)
	}
	if p.Fatal {
		return ""
	}
	member := func(name string) Where {
		at := p.Places[name]
		return a.place(murl, at[0], at[1])
	}
	if p.Name == "" && p.ShortName == "" {
		a.find("app.nameless", member("name"), "neither name nor short_name says anything", "")
	}
	if !p.StartURLValid {
		a.find("app.start", member("start_url"), "no usable start_url", "")
	}
	switch p.ShownDisplay {
	case "browser":
		what := "display is missing"
		if len(p.DisplayOverride) > 0 {
			what = "display_override begins with browser"
		} else if p.Places["display"] != [2]int{} {
			what = "display comes out as browser"
		}
		a.find("app.display", member("display"), what, "")
	case "minimal-ui":
		if v := a.report.Targets["safari-ios"]; v != nil {
			v.Installable = false
			v.Blockers = append(v.Blockers, "app.display")
		}
	}
	if p.PreferRelatedApplications != nil && *p.PreferRelatedApplications && len(p.RelatedApplications) > 0 {
		a.find("app.related", member("prefer_related_applications"), "prefer_related_applications is true", "")
	}
	a.icons(p, murl, member("icons"))
	a.promises(p, murl, doc, member)
	a.look(p, doc, member)
	return p.StartURL
}

func (a *auditor) unlinked(doc *page.Document, entry string) {
	for _, t := range doc.LinkTags {
		if t.Rel("manifest") {
			what, mend := "the link has no usable address", ""
			if !t.InHead {
				what, mend = "the link stands in the body, where browsers do not look for it", "move the link into the head; text or a <div> before it ends the head early"
			}
			a.find("app.unlinked", a.place(entry, t.Line, t.Column), what, mend)
			return
		}
	}
	a.find("app.unlinked", a.place(entry, 0, 0), "there is no <link rel=\"manifest\"> in the head of "+a.local(entry), "")
}

// trustworthy follows Secure Contexts, 3.1, for origins.
func trustworthy(origin string) bool {
	u, err := weburl.Parse(origin)
	if err != nil {
		return false
	}
	host := strings.Trim(u.Hostname(), "[]")
	ip := net.ParseIP(host)
	return u.Scheme() == "https" || host == "localhost" || strings.HasSuffix(host, ".localhost") || ip != nil && ip.IsLoopback()
}

// Limits of icons that one family of browsers installs with, in pixels; measured, see docs/conformance.md.
const (
	leastIcon = 144
	mostIcon  = 1024
)

// icons judges every icon of the manifest, and whether one of them is fit for installing.
func (a *auditor) icons(p *manifest.Processed, murl string, at Where) {
	fit, maskable := false, false
	var why []string
	for i, img := range p.Icons {
		where := a.place(murl, img.Line, img.Column)
		name := a.local(img.Src)
		reason := a.icon(img, name, where)
		if img.HasPurpose("maskable") {
			maskable = true
		}
		if reason == "" && img.HasPurpose("any") {
			fit = true
		} else if reason == "" {
			reason = "serves only " + strings.Join(img.Purpose, " and ")
		}
		if reason != "" && i < 4 {
			why = append(why, name+" "+reason)
		}
	}
	if !fit {
		evidence := "the manifest lists no icon"
		if len(why) > 0 {
			evidence = strings.Join(why, "; ")
		}
		a.find("icon.unfit", at, evidence, "")
	}
	if len(p.Icons) > 0 && !maskable {
		a.find("icon.maskable", at, fmt.Sprintf("none of %d icons has the purpose maskable", len(p.Icons)), "")
	}
}

// icon judges one icon and says why it is not fit for installing, "" when it is.
func (a *auditor) icon(img manifest.Image, name string, where Where) string {
	if !shownType(img) {
		return fmt.Sprintf("is declared as %q", img.Type)
	}
	resp, _ := a.get(img.Src)
	if resp == nil || resp.Status != 200 || resp.Body == nil {
		status := "nothing answers"
		if resp != nil {
			status = fmt.Sprintf("status %d", resp.Status)
		}
		a.find("icon.missing", where, name+": "+status, "")
		return "can't be fetched"
	}
	data, err := resp.Body.Bytes()
	if err != nil {
		a.find("icon.missing", where, name+": "+err.Error(), "")
		return "can't be read"
	}
	facts, err := icon.Inspect(data)
	if err != nil {
		what := err.Error()
		if site.IsHTML(resp.Header.Get("Content-Type")) {
			what = "the host answers with an HTML page"
		}
		a.find("icon.damaged", where, name+": "+what, "")
		return "can't be decoded"
	}
	if facts.Vector {
		return ""
	}
	real := fmt.Sprintf("%dx%d", facts.Width, facts.Height)
	if len(img.Sizes) == 1 && img.Sizes[0] != "any" && img.Sizes[0] != real {
		a.find("icon.lies", where, fmt.Sprintf("%s is declared as %s and has %s pixels", name, img.Sizes[0], real), "")
	} else if img.Type != "" && strings.HasPrefix(img.Type, "image/") && img.Type != facts.Type && !(facts.Type == "image/x-icon" && img.Type == "image/vnd.microsoft.icon") {
		a.find("icon.lies", where, fmt.Sprintf("%s is declared as %s and is %s", name, img.Type, facts.Type), "")
	}
	if img.HasPurpose("maskable") {
		if reach, known := facts.ContentReach(); known && reach > icon.SafeRadius+0.015 {
			a.find("icon.cut", where, fmt.Sprintf("%s reaches %.0f %% of the width from its centre; %.0f %% are safe", name, reach*100, icon.SafeRadius*100), "")
		}
	}
	if img.HasPurpose("any") && facts.Faint() {
		a.find("icon.faint", where, name+" is light on nothing: on a white ground little of it is seen", "")
	}
	a.made(name, facts, len(data), where)
	// Of the declared sizes one has to be fit: both sides large enough, neither too large.
	fits := false
	for _, size := range img.Sizes {
		w, h, _ := strings.Cut(size, "x")
		x, err1 := strconv.Atoi(w)
		y, err2 := strconv.Atoi(h)
		if max(x, y) > math.MaxInt32 {
			size = "any" // what the browser's integers cannot hold counts as no size at all
		}
		fits = fits || size == "any" || err1 == nil && err2 == nil && min(x, y) >= leastIcon && max(x, y) <= mostIcon
	}
	switch {
	case len(img.Sizes) == 0:
		return "declares no size"
	case !fits:
		return fmt.Sprintf("is declared as %s, not between %d and %d pixels", strings.Join(img.Sizes, " "), leastIcon, mostIcon)
	case min(facts.Width, facts.Height) < leastIcon:
		return fmt.Sprintf("has only %s pixels", real)
	case max(facts.Width, facts.Height) > mostIcon:
		return fmt.Sprintf("has more than %d pixels", mostIcon)
	}
	return ""
}

// shownType says whether an icon's declared type, or its extension when it declares none, is one that installing takes.
func shownType(img manifest.Image) bool {
	switch img.Type {
	case "image/png", "image/svg+xml", "image/webp":
		return true
	case "":
		u := img.Src
		u, _, _ = strings.Cut(u, "?")
		switch strings.ToLower(path.Ext(u)) {
		case ".png", ".svg", ".webp":
			return true
		}
	}
	return false
}

// HostsOf opens the other origins of a project.
func HostsOf(p *project.Project, dir func(string) string) ([]site.Host, error) {
	var list []site.Host
	for _, o := range p.Others {
		if o.Folder == "" {
			continue
		}
		f, err := site.OpenFolder(dir(o.Folder), o.Origin, "/", o.Host)
		if err != nil {
			return nil, err
		}
		list = append(list, f)
	}
	return list, nil
}
