package audit

import (
	"errors"
	"fmt"
	"strings"

	"tachyform/internal/crash"
	"tachyform/internal/icon"
	"tachyform/internal/manifest"
	"tachyform/internal/site"
	"tachyform/internal/target"
	"tachyform/internal/useragent"
)

// What is judged here.
var iconUnfit = newCheck(Check{
	Code: "icon.unfit", Weight: Blocker, Rank: 90,
	Title:     "No icon is fit for installing",
	Reason:    "Browsers refuse to install without an icon they can show large enough.",
	Mend:      "name a master picture under icons: and run tachyform fit",
	Standard:  "Web App Manifest, 1.15",
	Stops:     askers,
	Example:   "the largest icon has 96 pixels; 144 are needed.",
	Otherwise: map[string]string{target.SafariIOS: Polish, target.SafariMacOS: Polish},
	FitMends:  true,
})

var iconLies = newCheck(Check{
	Code: "icon.lies", Weight: Risk, Rank: 490,
	Title:    "An icon is not what it claims to be",
	Reason:   "Browsers choose by the claim and then refuse the file.",
	Mend:     "write the real size and type, or make the icons with tachyform fit",
	Standard: "Image Resource, 3",
	Example:  "\"sizes\": \"512x512\" for a file of 500 by 500.",
	FitMends: true,
})

var iconDamaged = newCheck(Check{
	Code: "icon.damaged", Weight: Risk, Rank: 500,
	Title:    "An icon can't be decoded",
	Reason:   "Browsers drop it without a word.",
	Mend:     "tachyform fit makes the icons anew",
	Example:  "the upload broke off; the file has half of its bytes.",
	FitMends: true,
})

var iconCut = newCheck(Check{
	Code: "icon.cut", Weight: Risk, Rank: 510,
	Title:     "A maskable icon would be cut",
	Reason:    "Launchers cut maskable icons to a circle; what lies outside is lost.",
	Mend:      "keep the content within a circle of 80 % of the width; tachyform fit does",
	Standard:  "Web App Manifest, maskable icons",
	Example:   "the letters of the logo reach into the corners.",
	Otherwise: only(Risk, target.ChromiumAndroid, target.FirefoxAndroid),
})

var iconBlurred = newCheck(Check{
	Code: "icon.blurred", Weight: Polish, Rank: 810,
	Title:    "An icon was enlarged",
	Reason:   "It looks out of focus beside its neighbours.",
	Mend:     "name a larger master, best an SVG, under icons: and run tachyform fit",
	Example:  "the favicon of 48 pixels, scaled up to 512.",
	FitMends: true,
})

var iconHeavy = newCheck(Check{
	Code: "icon.heavy", Weight: Polish, Rank: 820,
	Title:    "An icon is far heavier than it has to be",
	Reason:   "It is fetched before the install prompt and kept by everybody.",
	Mend:     "tachyform fit makes small ones",
	Example:  "a photo of 512 by 512 pixels as PNG, 400 kB.",
	FitMends: true,
})

var iconFaint = newCheck(Check{
	Code: "icon.faint", Weight: Polish, Rank: 850,
	Title:     "An icon can hardly be seen on white",
	Reason:    "Install prompts and many launchers are white; people see a blank or a fragment.",
	Mend:      "give the picture a ground: name icons.backdrop, and tachyform fit lays it under",
	Example:   "a cream sail on nothing, in a white prompt.",
	Otherwise: map[string]string{target.SafariIOS: "", target.FirefoxAndroid: ""},
})

var iconMaskable = newCheck(Check{
	Code: "icon.maskable", Weight: Polish, Rank: 860,
	Title:     "There is no maskable icon",
	Reason:    "Android puts the icon on a white disc instead of filling the shape.",
	Mend:      "tachyform fit makes one",
	Standard:  "Web App Manifest, maskable icons",
	Example:   "all icons have the purpose any.",
	Otherwise: only(Polish, target.ChromiumAndroid, target.FirefoxAndroid),
	FitMends:  true,
})

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
		err = fmt.Errorf("it is an SVG, and the host sends it as %s; browsers show it only as image/svg+xml",
			orDefault(site.Essence(came.Type), "nothing in particular"))
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

// checkIcons fetches every icon of the manifest and lets them be examined while the site is rehearsed; what they come
// to is judged by a.iconsLater.
func (a *auditor) checkIcons(look *useragent.Installer, p *manifest.Processed, murl string, at Where) {
	seen := make([]examined, len(p.Icons))
	came := make([]useragent.Fetched, len(p.Icons))
	for i, img := range p.Icons {
		came[i] = look.Icon(img.Src)
	}
	var failed error
	done := make(chan struct{})
	go func() {
		defer close(done)
		defer crash.Catch(&failed)
		crash.Each(len(p.Icons), func(i int) { seen[i] = examine(came[i], p.Icons[i]) })
	}()
	a.iconsLater = func() {
		if <-done; failed != nil {
			panic(failed)
		}
		a.judgeIcons(p, seen, murl, at)
	}
}

// judgeIcons judges every icon, and whether one of them is fit for installing: its claims have to be, and the one that
// a browser then chooses has to hold what it claims.
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
	best := installIcon(p.Icons)
	switch {
	case len(p.Icons) == 0:
		a.find(iconUnfit, at, "the manifest lists no icon", "")
	case !claims:
		a.find(iconUnfit, at, strings.Join(why, "; "), "")
	case best < 0:
		a.find(iconUnfit, at, "no icon that claims to be large enough is square", "")
	case failed[best] != "":
		img := p.Icons[best]
		evidence := brief(a.local(img.Src)) + " " + failed[best]
		if len(p.Icons) > 1 {
			evidence += "; of all icons browsers choose this one, and no other when it fails"
		}
		a.find(iconUnfit, a.place(murl, img.Line, img.Column), evidence, "")
	}
	if len(p.Icons) > 0 && !maskable {
		a.find(iconMaskable, at, fmt.Sprintf("none of %d icons has the purpose maskable", len(p.Icons)), "")
	}
}

// mendOfIcon is the mend for an icon's file: fit makes those anew that are its own, and others only where there is a master picture.
func (a *auditor) mendOfIcon(src string) string {
	switch {
	case a.Project.Icons.Master == "":
		return "export the picture again, or name a master picture under icons: and tachyform fit makes all icons"
	case !a.isFitted(src):
		return "this icon is the site's own: export it again, or take the reference away and run tachyform fit, which writes others"
	}
	return ""
}

// mendOfGround is the mend for a picture that lacks a ground, where the project file names one already.
func (a *auditor) mendOfGround(src string) string {
	switch {
	case a.Project.Icons.Backdrop == "":
		return ""
	case a.isFitted(src):
		return "run tachyform fit; if this stays, name an icons.backdrop that is not as light, and take icons.ground: clear away"
	}
	return "this icon is the site's own: lay a ground under it, or take the reference away and run tachyform fit, which writes others"
}

// isFitted says whether an icon lies where fit writes its own.
func (a *auditor) isFitted(src string) bool {
	i := a.Project.Icons
	return i.Master != "" && strings.HasPrefix(a.local(src), a.Project.Addr+strings.Trim(i.Folder, "/")+"/")
}

// icon judges what lies behind one icon's address, and says why it could not be installed with, "" when it could.
func (a *auditor) icon(e examined, img manifest.Image, name string, where Where) string {
	switch {
	case e.missing != "":
		a.find(iconMissing, where, name+": "+e.missing, a.mendOfIcon(img.Src))
		return "can't be fetched: " + e.missing
	case e.damaged != "":
		a.find(iconDamaged, where, name+": "+e.damaged, a.mendOfIcon(img.Src))
		return "can't be shown: " + e.damaged
	case e.facts.Vector:
		return ""
	}
	real := fmt.Sprintf("%dx%d", e.facts.Width, e.facts.Height)
	if len(img.Sizes) == 1 && img.Sizes[0] != "any" && img.Sizes[0] != real {
		a.find(iconLies, where, fmt.Sprintf("%s is declared as %s and has %s pixels", name, img.Sizes[0], real), "")
	} else if img.Type != "" && strings.HasPrefix(img.Type, "image/") && img.Type != e.facts.Type &&
		!(e.facts.Type == "image/x-icon" && img.Type == "image/vnd.microsoft.icon") {
		a.find(iconLies, where, fmt.Sprintf("%s is declared as %s and is %s", name, img.Type, e.facts.Type), "")
	}
	if e.reachKnown && e.reach > icon.SafeRadius+0.015 {
		a.find(iconCut, where, fmt.Sprintf("%s reaches %.0f %% of the width from its centre; %.0f %% are safe", name,
			e.reach*100, icon.SafeRadius*100), "")
	}
	if e.faint {
		a.find(iconFaint, where, name+" is light on nothing: on a white ground little of it is seen", a.mendOfGround(img.Src))
	}
	if e.enlarged {
		a.find(iconBlurred, where, fmt.Sprintf("%s has %s pixels, and its edges are as soft as if it had far fewer", name,
			real), "")
	}
	if limit := 30_000 + e.facts.Width*e.facts.Height; e.bytes > limit && e.bytes > 60_000 {
		a.find(iconHeavy, where, fmt.Sprintf("%s has %d kB for %s pixels", name, e.bytes/1000, real), "")
	}
	if min(e.facts.Width, e.facts.Height) < leastIcon {
		return fmt.Sprintf("has only %s pixels", real)
	}
	return ""
}
