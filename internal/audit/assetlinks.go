package audit

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"tachyform/internal/fit"
	"tachyform/internal/site"
)

// checkAssetLinks judges what app shops ask for, when the project file says that the app goes to one.
func (a *auditor) checkAssetLinks() {
	android := a.Project.Shops.Android
	if android.Package == "" {
		return
	}
	at := Where{File: a.file(a.origin + fit.ProofPath), URL: fit.ProofPath}
	switch resp := a.request(a.origin + fit.ProofPath); {
	case resp == nil || resp.Status != 200:
		what := "it is not there"
		if resp != nil && resp.Header.Get("Location") != "" {
			what = "it redirects, and Android follows no redirects"
		}
		a.find("shop.proof", at, what, "")
	case site.Essence(resp.Header.Get("Content-Type")) != "application/json":
		a.find("shop.proof", at, "it is served as "+resp.Header.Get("Content-Type"), "serve it as application/json")
	default:
		text, _ := resp.Body.Bytes()
		var list []fit.Statement
		if err := json.Unmarshal(text, &list); err != nil {
			a.find("shop.proof", at, "it is no list of statements: "+err.Error(), "")
		} else if !slices.ContainsFunc(list, func(s fit.Statement) bool { return fit.Proves(s, android) }) {
			a.find("shop.proof", at, "it says nothing of "+android.Package+" with these fingerprints", "")
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
		a.find("shop.lacks", Where{File: a.file(a.absolute(m.URL)), URL: m.URL}, strings.Join(lacks, ", "), "")
	}
}
