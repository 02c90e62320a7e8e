// Package assetlinks reads and writes the file by which a site proves to Android that an app belongs to it (Digital
// Asset Links, 1.0).
package assetlinks

import (
	"bytes"
	"encoding/json"
	"slices"

	"tachyform/internal/project"
)

// Path is where Android looks for it, at the root of the origin.
const Path = "/.well-known/assetlinks.json"

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

// Proves says whether a statement allows the app to open the site without the browser's bar.
func (s Statement) Proves(app project.AndroidApp) bool {
	missing := func(fingerprint string) bool { return !slices.Contains(s.Target.Fingerprints, fingerprint) }
	return slices.Contains(s.Relation, handlesURLs) && s.Target.Namespace == "android_app" &&
		s.Target.Package == app.Package &&
		!slices.ContainsFunc(app.Fingerprints, missing)
}

// Parse reads the file's text.
func Parse(text []byte) (list []Statement, err error) {
	err = json.Unmarshal(text, &list)
	return list, err
}

// With gives the file's text with a statement that proves the app, all that it says of others as it was; text is nil
// where there is no file. changed is false where it proves the app already. The error says why the text is no list of
// statements.
func With(text []byte, app project.AndroidApp) (out []byte, changed bool, err error) {
	var list []json.RawMessage
	if text != nil {
		if err := json.Unmarshal(text, &list); err != nil {
			return nil, false, err
		}
	}
	for i, one := range list {
		var s Statement
		if json.Unmarshal(one, &s) == nil && s.Target.Package == app.Package {
			if s.Proves(app) {
				return text, false, nil
			}
			list = slices.Delete(list, i, i+1)
			break
		}
	}
	s := Statement{Relation: []string{handlesURLs}}
	s.Target.Namespace, s.Target.Package, s.Target.Fingerprints = "android_app", app.Package, app.Fingerprints
	one, err := json.Marshal(s)
	if err != nil {
		return nil, false, err
	}
	all, err := json.Marshal(append(list, one))
	if err != nil {
		return nil, false, err
	}
	var b bytes.Buffer
	if err := json.Indent(&b, all, "", "  "); err != nil {
		return nil, false, err
	}
	b.WriteByte('\n')
	return b.Bytes(), true, nil
}
