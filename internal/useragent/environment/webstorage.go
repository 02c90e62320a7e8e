package environment

import (
	"tachyform/internal/useragent/storage"
)

// area is the storage area that a script means by "local" or "session".
func (r *Realm) area(name string) *storage.WebArea {
	if name == "session" {
		return r.p.store().Web.Area("session " + r.page.Session() + " " + r.origin())
	}
	return r.p.store().Web.Local(r.origin())
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
		area, key := r.area(args.text(0)), args.text(1)
		old, there := area.Get(key)
		if !area.Set(key, args.text(2)) {
			return false, nil
		}
		if !there || old != args.text(2) {
			r.page.StorageChanged(args.text(0), toJSON([]any{key, orNull(old, there), args.text(2)}))
		}
		return true, nil
	}),
	"webstorage.remove": touching(func(r *Realm, args arguments) (any, error) {
		area, key := r.area(args.text(0)), args.text(1)
		if old, there := area.Get(key); there {
			area.Remove(key)
			r.page.StorageChanged(args.text(0), toJSON([]any{key, old, nil}))
		}
		return nil, nil
	}),
	"webstorage.clear": touching(func(r *Realm, args arguments) (any, error) {
		if area := r.area(args.text(0)); len(area.Keys()) > 0 {
			area.Clear()
			r.page.StorageChanged(args.text(0), toJSON([]any{nil, nil, nil}))
		}
		return nil, nil
	}),
	"webstorage.keys": touching(func(r *Realm, args arguments) (any, error) {
		return toJSON(append([]string{}, r.area(args.text(0)).Keys()...)), nil
	}),
}

func orNull(value string, there bool) any {
	if !there {
		return nil
	}
	return value
}
