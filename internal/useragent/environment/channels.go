package environment

import (
	"encoding/json"

	"tachyform/internal/useragent/storage"
	"tachyform/internal/useragent/structured"
)

// shared is what a realm holds of the storage that all realms of an origin have in common, by number.
type shared struct {
	locks    map[int]*storage.Lock
	channels map[int]*storage.Channel
	urls     map[string]bool // of its blobs
}

// drop gives all of it back, as the end of the realm does.
func (s *shared) drop(from *storage.Storage) {
	for id, lock := range s.locks {
		delete(s.locks, id)
		from.Locks.Release(lock)
	}
	for id, channel := range s.channels {
		delete(s.channels, id)
		from.Channels.Close(channel)
	}
	for url := range s.urls {
		delete(s.urls, url)
		from.ObjectURLs.Revoke(url)
	}
}

// channelOperations are of BroadcastChannel (HTML, 9.5).
var channelOperations = operations{
	"channel.open": touching(func(r *Realm, args arguments) (any, error) {
		r.next++
		id := r.next
		channel := &storage.Channel{Name: args.text(0), Deliver: func(v structured.Value) {
			if r.contacted(func() {}) {
				return
			}
			r.command("channelMessage", id, toJSON(r.valueInto(v)))
		}}
		r.shared.channels[id] = channel
		r.p.store().Channels.Open(channel)
		return id, nil
	}),
	"channel.post": touching(func(r *Realm, args arguments) (any, error) {
		var kept keptValue
		if err := json.Unmarshal([]byte(args.text(1)), &kept); err != nil {
			return nil, err
		}
		if channel := r.shared.channels[args.number(0)]; channel != nil {
			r.p.store().Channels.Post(channel, r.valueFrom(kept))
		}
		return nil, nil
	}),
	"channel.close": touching(func(r *Realm, args arguments) (any, error) {
		if channel := r.shared.channels[args.number(0)]; channel != nil {
			delete(r.shared.channels, args.number(0))
			r.p.store().Channels.Close(channel)
		}
		return nil, nil
	}),
}
