package environment

import (
	"encoding/json"
	"maps"
	"slices"

	"tachyform/internal/useragent/account"
	"tachyform/internal/useragent/serviceworker"
)

// whenActive is a promised operation that is refused while the registration's first worker is being installed.
func whenActive(failure string, run func(*Realm, arguments) any) operation {
	return promised(func(r *Realm, args arguments) (any, string) {
		if r.w.Registration.Active == nil {
			return nil, failure
		}
		return run(r, args), ""
	})
}

// pushOperations are of PushManager and PushSubscription (Push API, 7 and 8).
var pushOperations = operations{
	"push.subscribe": whenActive("AbortError: there is no active worker to subscribe", func(r *Realm, _ arguments) any {
		r.w.Registration.Messages.Subscribed = true
		return true
	}),
	"push.subscription": promised(func(r *Realm, _ arguments) (any, string) {
		return r.w.Registration.Messages.Subscribed, ""
	}),
	"push.unsubscribe": promised(func(r *Realm, _ arguments) (any, string) {
		was := r.w.Registration.Messages.Subscribed
		r.w.Registration.Messages.Subscribed = false
		return was, ""
	}),
}

const noWorkerToSync = "InvalidStateError: there is no active worker to register a sync for"

// syncOperations are of SyncManager and PeriodicSyncManager.
var syncOperations = operations{
	"sync.register": whenActive(noWorkerToSync, func(r *Realm, args arguments) any {
		add(&r.w.Registration.Messages.Syncs, args.text(0))
		r.p.clock().After(0, r.p.Workers.SendSyncs)
		return nil
	}),
	"sync.tags": promised(func(r *Realm, _ arguments) (any, string) { return tags(r.w.Registration.Messages.Syncs), "" }),
	"periodicsync.register": whenActive(noWorkerToSync, func(r *Realm, args arguments) any {
		add(&r.w.Registration.Messages.Periodic, args.text(0))
		return nil
	}),
	"periodicsync.unregister": promised(func(r *Realm, args arguments) (any, string) {
		delete(r.w.Registration.Messages.Periodic, args.text(0))
		return nil, ""
	}),
	"periodicsync.tags": promised(func(r *Realm, _ arguments) (any, string) {
		return tags(r.w.Registration.Messages.Periodic), ""
	}),
}

func add(list *map[string]bool, tag string) {
	if *list == nil {
		*list = map[string]bool{}
	}
	(*list)[tag] = true
}

func tags(list map[string]bool) []string {
	return append([]string{}, slices.Sorted(maps.Keys(list))...)
}

const noWorkerToShow = "TypeError: there is no active worker to show a notification for"

// notificationOperations are of persistent notifications (Notifications API, 3).
var notificationOperations = operations{
	"notification.show": whenActive(noWorkerToShow, func(r *Realm, args arguments) any {
		var n serviceworker.Notification
		if json.Unmarshal([]byte(args.text(0)), &n) != nil || n == nil {
			n = serviceworker.Notification{}
		}
		r.w.Registration.Messages.ShowNotification(n)
		r.record(account.Event{Kind: account.EventNotification, Text: n.Text("title")})
		return nil
	}),
	"notification.list": promised(func(r *Realm, args arguments) (any, string) {
		list, tag := []serviceworker.Notification{}, args.text(0)
		for _, n := range r.w.Registration.Messages.Notifications {
			if tag == "" || n.Text("tag") == tag {
				list = append(list, n)
			}
		}
		return list, ""
	}),
	"notification.close": touching(func(r *Realm, args arguments) (any, error) {
		r.w.Registration.Messages.CloseNotification(args.text(1))
		return nil, nil
	}),
}
