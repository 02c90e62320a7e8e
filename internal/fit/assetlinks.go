package fit

import (
	"bytes"
	"encoding/json"
	"fmt"
	"slices"

	"tachyform/internal/problem"
	"tachyform/internal/project"
)

// ProofPath is where Android looks for proof that an app and a site belong together (Digital Asset Links, 1.0).
const ProofPath = "/.well-known/assetlinks.json"

// handlesURLs is the relation of an app that may open the site's addresses.
const handlesURLs = "delegate_permission/common.handle_all_urls"

// Statement is what the file says of one app.
type Statement struct {
	Relation []string `json:"relation"`
	Target   struct {
		Namespace    string   `json:"namespace"`
		Package      string   `json:"package_name"`
		Fingerprints []string `json:"sha256_cert_fingerprints"`
	} `json:"target"`
}

// assetLinks writes the file that proves ownership to Android, keeping what it says of other apps.
func (o *output) assetLinks() error {
	android := o.p.Shops.Android
	if android.Package == "" {
		return nil
	}
	if o.p.Addr != "/" {
		return &problem.Problem{Kind: problem.Usage, Where: o.p.Path, What: fmt.Sprintf("Android looks for %s at the origin's root, and this site lies under %s", ProofPath, o.p.Addr), Mend: "remove shops.android here, and name it in the project of the site at the root"}
	}
	var list []json.RawMessage
	if file := o.f.File(ProofPath[1:]); file != nil {
		text, err := file.Bytes()
		if err == nil {
			err = json.Unmarshal(text, &list)
		}
		if err != nil {
			return &problem.Problem{Kind: problem.Read, Where: file.Abs, What: "the file that is there is no list of statements: " + err.Error(), Mend: "mend it, or take it away to have a new one written", Cause: err}
		}
		for i, one := range list {
			var s Statement
			if json.Unmarshal(one, &s) == nil && s.Target.Package == android.Package {
				if Proves(s, android) {
					return nil
				}
				list = append(list[:i], list[i+1:]...)
				break
			}
		}
	}
	s := Statement{Relation: []string{handlesURLs}}
	s.Target.Namespace, s.Target.Package, s.Target.Fingerprints = "android_app", android.Package, android.Fingerprints
	one, err := json.Marshal(s)
	if err != nil {
		return err
	}
	text, err := json.Marshal(append(list, one))
	if err != nil {
		return err
	}
	var b bytes.Buffer
	if err := json.Indent(&b, text, "", "  "); err != nil {
		return err
	}
	b.WriteByte('\n')
	return o.put(ProofPath, b.Bytes(), "proof")
}

// Proves says whether a statement allows the app to open the site without the browser's bar.
func Proves(s Statement, app project.AndroidApp) bool {
	missing := func(fingerprint string) bool { return !slices.Contains(s.Target.Fingerprints, fingerprint) }
	return slices.Contains(s.Relation, handlesURLs) && s.Target.Namespace == "android_app" && s.Target.Package == app.Package && !slices.ContainsFunc(app.Fingerprints, missing)
}
