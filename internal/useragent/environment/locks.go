package environment

import (
	"tachyform/internal/useragent/storage"
)

// lockInfo is a lock as scripts see it when they ask which there are.
type lockInfo struct {
	Name string `json:"name"`
	Mode string `json:"mode"`
}

// lockOperations are of the Web Locks API. A lock has the number of the promise that waits for it.
var lockOperations = operations{
	"lock.request": touching(func(r *Realm, args arguments) (any, error) {
		id := args.number(0)
		lock := &storage.Lock{Name: args.text(1), Shared: args.text(2) == "shared", IfAvailable: args.flag(3), Steal: args.flag(4)}
		lock.Stolen = func() {
			delete(r.shared.locks, id)
			r.p.clock().After(0, func() { r.command("lockStolen", id) }) // once the thief has heard that it has it
		}
		lock.Granted = func(granted bool) {
			if !granted {
				delete(r.shared.locks, id)
			}
			r.settle(id, granted, "")
		}
		lock.Wanted = func() {
			r.contacted(func() {
				delete(r.shared.locks, id)
				r.p.store().Locks.Release(lock)
			})
		}
		r.shared.locks[id] = lock
		r.p.store().Locks.Request(lock)
		return nil, nil
	}),
	"lock.release": touching(func(r *Realm, args arguments) (any, error) {
		if lock := r.shared.locks[args.number(0)]; lock != nil {
			delete(r.shared.locks, args.number(0))
			r.p.store().Locks.Release(lock)
		}
		return nil, nil
	}),
	"lock.query": touching(func(r *Realm, _ arguments) (any, error) {
		infos := func(locks []*storage.Lock) []lockInfo {
			list := []lockInfo{}
			for _, l := range locks {
				mode := "exclusive"
				if l.Shared {
					mode = "shared"
				}
				list = append(list, lockInfo{l.Name, mode})
			}
			return list
		}
		held, pending := r.p.store().Locks.Query()
		return toJSON(map[string]any{"held": infos(held), "pending": infos(pending)}), nil
	}),
}
