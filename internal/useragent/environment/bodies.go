package environment

import (
	"bytes"
	"strings"
	"unicode/utf8"

	"golang.org/x/text/encoding/unicode"

	"tachyform/internal/script"
	"tachyform/internal/site"
	"tachyform/internal/useragent/fetch"
	"tachyform/internal/useragent/storage"
)

// bodyOperations are of content, which stays outside of the engine until a script reads it. Scripts refer to it by
// number.
var bodyOperations = operations{
	"body.text": touching(func(r *Realm, args arguments) (any, error) { return r.holdBytes([]byte(args.text(0))), nil }),
	"body.take": touching(func(r *Realm, args arguments) (any, error) {
		data := args.bytes(0)
		if same := r.read.same(data); same != nil {
			return r.hold(body{body: same, source: fetch.Source{Kind: fetch.WorkerSource}}), nil
		}
		return r.holdBytes(data), nil
	}),
	"body.give": touching(func(r *Realm, args arguments) (any, error) {
		data, err := r.bytes(args.number(0))
		r.read.add(r.bodies[args.number(0)].body, data)
		return data, err
	}),
	"body.read": touching(func(r *Realm, args arguments) (any, error) {
		data, err := r.bytes(args.number(0))
		return decodeUTF8(data), err
	}),
	"body.size": touching(func(r *Realm, args arguments) (any, error) {
		return float64(fetch.BodyLen(r.bodies[args.number(0)].body)), nil
	}),
}

// body is content that scripts refer to by number.
type body struct {
	body   site.Body
	source fetch.Source
	key    string          // the address that a cache kept it under
	hidden *fetch.Response // of a filtered response
}

// lastRead is content that scripts have read lately. Workers that check what they keep read a file and store what they have
// read: there is no need to hold it twice.
type lastRead struct {
	list [8]site.Body
	next int
}

// worthKnowing is how long content has to be for that, in bytes.
const worthKnowing = 1 << 10

func (l *lastRead) add(b site.Body, data []byte) {
	if len(data) >= worthKnowing {
		l.list[l.next] = b
		l.next = (l.next + 1) % len(l.list)
	}
}

// same gives content that was read and equals data, nil for none.
func (l *lastRead) same(data []byte) site.Body {
	if len(data) < worthKnowing {
		return nil
	}
	for _, b := range l.list {
		if b == nil || fetch.BodyLen(b) != int64(len(data)) {
			continue
		}
		if read, err := b.Bytes(); err == nil && bytes.Equal(read, data) {
			return b
		}
	}
	return nil
}

// contents is what lies outside of the engine and scripts hold by number; realms of one engine share it.
type contents struct {
	bodies      map[int]body
	next        int                    // the last number
	scriptBytes int64                  // bytes of content that scripts made
	opened      map[int]*storage.Cache // caches
	read        lastRead
}

// maxBodies bounds the content that a worker's scripts make.
const maxBodies = script.MemoryLimit

func (r *Realm) hold(h body) int {
	if made, ok := h.body.(site.Bytes); ok {
		if r.scriptBytes += int64(len(made)); r.scriptBytes > maxBodies && r.stopped == nil {
			r.stopped = script.ErrMemory
			r.p.Bounds.Exhaust(r.stopped)
		}
	}
	r.next++
	r.bodies[r.next] = h
	return r.next
}

func (r *Realm) holdBytes(data []byte) int {
	return r.hold(body{body: site.Bytes(data), source: fetch.Source{Kind: fetch.WorkerSource}})
}

// bytes reads content, which is empty where there is none.
func (r *Realm) bytes(handle int) ([]byte, error) {
	h := r.bodies[handle]
	if h.body == nil {
		return []byte{}, nil
	}
	return h.body.Bytes()
}

// decodeUTF8 is the Encoding Standard's "UTF-8 decode": a byte order mark goes, and each maximal ill-formed part
// becomes one U+FFFD.
func decodeUTF8(data []byte) string {
	data = bytes.TrimPrefix(data, []byte("\xef\xbb\xbf"))
	if utf8.Valid(data) {
		return string(data)
	}
	text, err := unicode.UTF8.NewDecoder().Bytes(data)
	if err != nil {
		return strings.ToValidUTF8(string(data), "\ufffd")
	}
	return string(text)
}
