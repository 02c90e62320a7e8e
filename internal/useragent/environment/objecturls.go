package environment

import (
	"tachyform/internal/useragent/fetch"
	"tachyform/internal/useragent/storage"
)

// objectURLOperations are of URL.createObjectURL and revokeObjectURL (File API, 8.4). The addresses end with their realm.
var objectURLOperations = operations{
	"objecturl.add": touching(func(r *Realm, args arguments) (any, error) {
		url := r.p.store().ObjectURLs.Add(r.page.Origin(), storage.Blob{Body: r.bodies[args.number(0)].body, Type: args.text(1)})
		r.shared.urls[url] = true
		return url, nil
	}),
	"objecturl.revoke": touching(func(r *Realm, args arguments) (any, error) {
		url := args.text(0)
		delete(r.shared.urls, url)
		r.p.store().ObjectURLs.Revoke(url)
		return nil, nil
	}),
	// The content's number, 0 for an address of nothing.
	"objecturl.resolve": plain(func(r *Realm, args arguments) (any, error) {
		blob, ok := r.p.store().ObjectURLs.Resolve(args.text(0))
		if !ok {
			return 0, nil
		}
		return r.hold(body{body: blob.Body, source: fetch.Source{Kind: fetch.WorkerSource}}), nil
	}),
}
