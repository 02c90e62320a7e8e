package audit

import (
	"errors"
	"fmt"
	"runtime"
	"strings"
	"sync"

	"tachyform/internal/icon"
	"tachyform/internal/manifest"
	"tachyform/internal/site"
	"tachyform/internal/useragent"
)

// examined is what looking at one icon's file tells.
type examined struct {
	came  useragent.Fetched
	facts *icon.Facts
	bytes int
	// missing and damaged say why nothing can be shown, and which of the two it is.
	missing, damaged string
	enlarged, faint  bool
	reach            float64
	reachKnown       bool
}

// examine decodes and measures an icon.
func examine(came useragent.Fetched, img manifest.Image) (e examined) {
	e.came = came
	if came.Status < 200 || came.Status > 299 || came.Body == nil {
		if e.missing = came.Why.String(); came.Status != 0 {
			e.missing = fmt.Sprintf("status %d", came.Status)
		}
		return e
	}
	data, err := came.Body.Bytes()
	if err != nil {
		e.missing = err.Error()
		return e
	}
	e.bytes = len(data)
	e.facts, err = icon.Inspect(data)
	switch {
	case err == nil && e.facts.Vector && site.Essence(came.Type) != "image/svg+xml":
		err = fmt.Errorf("it is an SVG, and the host sends it as %s; browsers show it only as image/svg+xml", orDefault(site.Essence(came.Type), "nothing in particular"))
	case err != nil && site.IsHTML(came.Type):
		err = errors.New("the host answers with an HTML page")
	}
	if err != nil {
		e.damaged = err.Error()
		return e
	}
	if e.facts.Vector {
		return e
	}
	if img.HasPurpose("maskable") {
		e.reach, e.reachKnown = e.facts.ContentReach()
	}
	e.faint = img.HasPurpose("any") && e.facts.Faint()
	e.enlarged = e.facts.Enlarged()
	return e
}

// checkIcons fetches every icon of the manifest and lets them be examined while the site is rehearsed; what they come to is judged by
// a.iconsLater.
func (a *auditor) checkIcons(look *useragent.Installer, p *manifest.Processed, murl string, at Where) {
	seen := make([]examined, len(p.Icons))
	var wait sync.WaitGroup
	free := make(chan struct{}, runtime.GOMAXPROCS(0))
	for i, img := range p.Icons {
		came := look.Icon(img.Src)
		wait.Add(1)
		go func() {
			defer wait.Done()
			free <- struct{}{}
			seen[i] = examine(came, img)
			<-free
		}()
	}
	a.iconsLater = func() {
		wait.Wait()
		a.judgeIcons(p, seen, murl, at)
	}
}

// judgeIcons judges every icon, and whether one of them is fit for installing: its claims have to be, and the one that a browser then
// chooses has to hold what it claims.
func (a *auditor) judgeIcons(p *manifest.Processed, seen []examined, murl string, at Where) {
	claims, maskable := false, false
	var why []string
	failed := map[int]string{}
	for i, img := range p.Icons {
		reason := claim(img)
		failed[i] = a.icon(seen[i], img, brief(a.local(img.Src)), a.place(murl, img.Line, img.Column))
		maskable = maskable || img.HasPurpose("maskable")
		claims = claims || reason == ""
		if reason != "" && len(why) < 4 {
			why = append(why, brief(a.local(img.Src))+" "+reason)
		}
	}
	best := chosen(p.Icons)
	switch {
	case len(p.Icons) == 0:
		a.find("icon.unfit", at, "the manifest lists no icon", "")
	case !claims:
		a.find("icon.unfit", at, strings.Join(why, "; "), "")
	case best < 0:
		a.find("icon.unfit", at, "no icon that claims to be large enough is square", "")
	case failed[best] != "":
		img := p.Icons[best]
		evidence := brief(a.local(img.Src)) + " " + failed[best]
		if len(p.Icons) > 1 {
			evidence += "; of all icons browsers choose this one, and no other when it fails"
		}
		a.find("icon.unfit", a.place(murl, img.Line, img.Column), evidence, "")
	}
	if len(p.Icons) > 0 && !maskable {
		a.find("icon.maskable", at, fmt.Sprintf("none of %d icons has the purpose maskable", len(p.Icons)), "")
	}
}

// icon judges what lies behind one icon's address, and says why it could not be installed with, "" when it could.
func (a *auditor) icon(e examined, img manifest.Image, name string, where Where) string {
	switch {
	case e.missing != "":
		a.find("icon.missing", where, name+": "+e.missing, "")
		return "can't be fetched: " + e.missing
	case e.damaged != "":
		a.find("icon.damaged", where, name+": "+e.damaged, "")
		return "can't be shown: " + e.damaged
	case e.facts.Vector:
		return ""
	}
	real := fmt.Sprintf("%dx%d", e.facts.Width, e.facts.Height)
	if len(img.Sizes) == 1 && img.Sizes[0] != "any" && img.Sizes[0] != real {
		a.find("icon.lies", where, fmt.Sprintf("%s is declared as %s and has %s pixels", name, img.Sizes[0], real), "")
	} else if img.Type != "" && strings.HasPrefix(img.Type, "image/") && img.Type != e.facts.Type && !(e.facts.Type == "image/x-icon" && img.Type == "image/vnd.microsoft.icon") {
		a.find("icon.lies", where, fmt.Sprintf("%s is declared as %s and is %s", name, img.Type, e.facts.Type), "")
	}
	if e.reachKnown && e.reach > icon.SafeRadius+0.015 {
		a.find("icon.cut", where, fmt.Sprintf("%s reaches %.0f %% of the width from its centre; %.0f %% are safe", name, e.reach*100, icon.SafeRadius*100), "")
	}
	if e.faint {
		a.find("icon.faint", where, name+" is light on nothing: on a white ground little of it is seen", "")
	}
	if e.enlarged {
		a.find("icon.blurred", where, fmt.Sprintf("%s has %s pixels, and its edges are as soft as if it had far fewer", name, real), "")
	}
	if limit := 30_000 + e.facts.Width*e.facts.Height; e.bytes > limit && e.bytes > 60_000 {
		a.find("icon.heavy", where, fmt.Sprintf("%s has %d kB for %s pixels", name, e.bytes/1000, real), "")
	}
	if min(e.facts.Width, e.facts.Height) < leastIcon {
		return fmt.Sprintf("has only %s pixels", real)
	}
	return ""
}
