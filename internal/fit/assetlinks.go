package fit

import (
	"fmt"

	"tachyform/internal/assetlinks"
	"tachyform/internal/problem"
)

// assetLinks writes the file that proves ownership to Android, keeping what it says of other apps.
func (o *output) assetLinks() error {
	android := o.p.Shops.Android
	if android.Package == "" {
		return nil
	}
	if o.p.Addr != "/" {
		return &problem.Problem{
			Kind: problem.Usage, Where: o.p.Path,
			What: fmt.Sprintf("Android looks for %s at the origin's root, and this site lies under %s", assetlinks.Path,
				o.p.Addr),
			Mend: "remove shops.android here, and name it in the project of the site at the root",
		}
	}
	var there []byte
	file := o.f.File(assetlinks.Path[1:])
	if file != nil {
		var err error
		if there, err = file.Bytes(); err != nil {
			return &problem.Problem{Kind: problem.Read, Where: file.Abs, What: "cannot be read: " + plain(err), Cause: err}
		}
	}
	text, changed, err := assetlinks.With(there, android)
	if err != nil {
		return &problem.Problem{
			Kind: problem.Read, Where: file.Abs, What: "the file that is there is no list of statements: " + err.Error(),
			Mend: "mend it, or take it away to have a new one written", Cause: err,
		}
	}
	if !changed {
		return nil
	}
	return o.put(assetlinks.Path, text, "proof")
}
