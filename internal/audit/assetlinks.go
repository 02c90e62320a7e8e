package audit

import (
	"fmt"
	"slices"
	"strings"

	"tachyform/internal/assetlinks"
	"tachyform/internal/site"
	"tachyform/internal/target"
)

// What is judged here.
var shopProof = newCheck(Check{
	Code: "shop.proof", Weight: Risk, Rank: 240,
	Title:     "The file that proves ownership to Android is missing or wrong",
	Reason:    "The packed app shows the browser's bar, or the shop refuses it.",
	Mend:      "tachyform fit writes it",
	Standard:  "Digital Asset Links, 1.0",
	Example:   "the build leaves folders out whose name begins with a dot.",
	Otherwise: only(Risk, target.ChromiumAndroid),
})

var shopLacks = newCheck(Check{
	Code: "shop.lacks", Weight: Polish, Rank: 600,
	Title:     "The manifest lacks what app shops ask for",
	Reason:    "The shop's form has to be filled in by hand, or the app is refused.",
	Mend:      "add the members under app:",
	Standard:  "Web App Manifest, application information",
	Example:   "no description and no screenshots.",
	Otherwise: only(Polish, target.ChromiumAndroid),
})

// checkAssetLinks judges what app shops ask for, when the project file says that the app goes to one.
func (a *auditor) checkAssetLinks() {
	android := a.Project.Shops.Android
	if android.Package == "" {
		return
	}
	at := Where{File: a.file(a.origin + assetlinks.Path), URL: assetlinks.Path}
	switch resp := a.request(a.origin + assetlinks.Path); {
	case resp == nil || resp.Status != 200:
		what := "it is not there"
		if resp != nil && resp.Header.Get("Location") != "" {
			what = "it redirects, and Android follows no redirects"
		}
		a.find(shopProof, at, what, "")
	case site.Essence(resp.Header.Get("Content-Type")) != "application/json":
		a.find(shopProof, at, "it is served as "+resp.Header.Get("Content-Type"), "serve it as application/json")
	default:
		text, _ := resp.Body.Bytes()
		if list, err := assetlinks.Parse(text); err != nil {
			a.find(shopProof, at, "it is no list of statements: "+err.Error(), "")
		} else if !slices.ContainsFunc(list, func(s assetlinks.Statement) bool { return s.Proves(android) }) {
			a.find(shopProof, at, "it says nothing of "+android.Package+" with these fingerprints", "")
		}
	}
	m := a.report.Manifest
	if m == nil || m.Processed == nil {
		return
	}
	p := m.Processed
	var lacks []string
	if p.Description == "" {
		lacks = append(lacks, "a description")
	}
	if len(p.Screenshots) == 0 {
		lacks = append(lacks, "screenshots")
	}
	if len(p.Categories) == 0 {
		lacks = append(lacks, "categories")
	}
	big := false
	for _, i := range p.Icons {
		big = big || slices.Contains(i.Sizes, "512x512") && (len(i.Purpose) == 0 || slices.Contains(i.Purpose, "any"))
	}
	if !big {
		lacks = append(lacks, "an icon of 512 by 512 pixels for any purpose")
	}
	if n := len([]rune(p.Name)); n > 30 {
		lacks = append(lacks, fmt.Sprintf("a name of at most 30 characters (it has %d)", n))
	}
	if len(lacks) > 0 {
		a.find(shopLacks, Where{File: a.file(a.absolute(m.URL)), URL: m.URL}, strings.Join(lacks, ", "), "")
	}
}
