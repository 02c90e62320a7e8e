package environment

import (
	"fmt"

	"tachyform/internal/useragent/storage"
)

import ()

// databaseOperations are of Indexed Database: scripts hand over each database whole.
var databaseOperations = operations{
	"idbLoad": touching(func(r *Realm, _ arguments) (any, error) { return encoded(r.p.store().Databases), nil }),
	"idbSave": touching(func(r *Realm, args arguments) (any, error) {
		return r.p.store().KeepDatabase(args.text(0), args.text(1)), nil
	}),
	"idbFull": touching(func(r *Realm, _ arguments) (any, error) {
		r.p.account().Gap(fmt.Sprintf("databases that hold more than %d MB", storage.MaxDatabases>>20))
		return nil, nil
	}),
	"storage.usage": promised(func(r *Realm, _ arguments) (any, string) { return r.p.store().Usage(), "" }),
}
