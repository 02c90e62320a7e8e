package environment

import (
	"tachyform/internal/useragent/storage"
)

// area is the storage area that a script means by "local" or "session".
func (r *Realm) area(name string) *storage.WebArea {
	if name == "session" {
		return r.p.store().Web.Area("session " + r.page.Session() + " " + r.origin())
	}
	return r.p.store().Web.Area("local " + r.origin())
}

// webStorageOperations are of Storage (HTML, 12.2).
var webStorageOperations = operations{
	"webstorage.get": touching(func(r *Realm, args arguments) (any, error) {
		if v, there := r.area(args.text(0)).Get(args.text(1)); there {
			return v, nil
		}
		return nil, nil
	}),
	"webstorage.set": touching(func(r *Realm, args arguments) (any, error) {
		return r.area(args.text(0)).Set(args.text(1), args.text(2)), nil
	}),
	"webstorage.remove": touching(func(r *Realm, args arguments) (any, error) {
		r.area(args.text(0)).Remove(args.text(1))
		return nil, nil
	}),
	"webstorage.clear": touching(func(r *Realm, args arguments) (any, error) {
		r.area(args.text(0)).Clear()
		return nil, nil
	}),
	"webstorage.keys": touching(func(r *Realm, args arguments) (any, error) {
		return toJSON(append([]string{}, r.area(args.text(0)).Keys()...)), nil
	}),
}
