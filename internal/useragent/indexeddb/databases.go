// Package indexeddb keeps the databases of a profile: object stores with their indexes, transactions in the order that
// the standard gives them, and the opening of databases by several realms (Indexed Database API 3.0).
package indexeddb

import (
	"maps"
	"slices"
)

// MaxBytes bounds what all databases of a profile may hold, in bytes.
const MaxBytes = 200 << 20

// Names of errors that scripts see.
const (
	AbortError      = "AbortError"
	ConstraintError = "ConstraintError"
	DataError       = "DataError"
	NotFoundError   = "NotFoundError"
	QuotaError      = "QuotaExceededError"
	VersionError    = "VersionError"
)

// Error is what a request came to, by the name that the exception has.
type Error struct{ Name, Message string }

func (e *Error) Error() string { return e.Name + ": " + e.Message }

func failure(name, message string) error { return &Error{name, message} }

// Peer is a realm that has opened databases. Each call comes in a task of its own.
type Peer interface {
	// Opened ends a request to open a database: with a connection, or an error.
	Opened(request int, c *Connection, err error)
	// Upgrade asks the realm to change the database's version in a transaction that is the only one.
	Upgrade(request int, c *Connection, t *Transaction, from, to int64)
	// VersionChange tells a connection that somebody waits for it to close; to is 0 for deleting the database.
	VersionChange(c *Connection, from, to int64)
	// Blocked tells who waits that others do not close.
	Blocked(request int, from, to int64)
	// Deleted ends a request to delete a database.
	Deleted(request int, from int64)
	// Started lets a transaction run.
	Started(t *Transaction)
	// Alive says whether the realm still is there.
	Alive() bool
}

// Databases are those of a profile.
type Databases struct {
	// Schedule runs something in a task of its own.
	Schedule func(func())

	list map[string]*database
}

// database is one database with what is open of it.
type database struct {
	in           *Databases
	name         string
	version      int64 // 0 for one that is not there (yet)
	stores       map[string]*store
	ids          int // of stores and indexes, the last one given
	connections  []*Connection
	transactions []*Transaction // that are not over, in the order in which they were made
	queue        []*job         // requests to open or delete it; the first is under way
}

// job is a request to open or to delete a database.
type job struct {
	peer    Peer
	request int
	version int64 // to open it with, 0 for the one that it has
	deletes bool
	waits   bool // for connections that are to close
}

// New gives a profile without databases.
func New() *Databases { return &Databases{list: map[string]*database{}} }

// Branch copies the databases, without what is open: what a transaction that is not over has changed is not in the
// copy.
func (d *Databases) Branch() *Databases {
	n := New()
	for name, db := range d.list {
		version, stores := db.version, db.stores
		for _, t := range db.transactions {
			if t.started && t.mode == versionChange {
				version, stores = t.versionBefore, t.before
			}
		}
		if version == 0 {
			continue
		}
		c := &database{in: n, name: name, version: version, stores: map[string]*store{}, ids: db.ids}
		for name, s := range stores {
			c.stores[name] = s.branch()
		}
		for _, t := range db.transactions {
			if t.started && t.mode == readWrite {
				for name, s := range t.before {
					c.stores[name] = s.branch()
				}
			}
		}
		n.list[name] = c
	}
	return n
}

// Clear deletes every database, as when a visitor clears a site's data; connections find them gone.
func (d *Databases) Clear() {
	for _, db := range d.list {
		for _, t := range slices.Clone(db.transactions) {
			t.Abort()
		}
		db.version, db.stores = 0, map[string]*store{}
	}
}

// Size is how many bytes the values take.
func (d *Databases) Size() (n int64) {
	for _, db := range d.list {
		for _, s := range db.stores {
			n += s.bytes
		}
	}
	return n
}

// Names lists the databases with their versions, sorted.
func (d *Databases) Names() (names []string, versions []int64) {
	for _, name := range slices.Sorted(maps.Keys(d.list)) {
		if v := d.list[name].version; v > 0 {
			names, versions = append(names, name), append(versions, v)
		}
	}
	return names, versions
}

// Open is "open a database connection" (5.1). version is 0 for the one that it has.
func (d *Databases) Open(p Peer, request int, name string, version int64) {
	d.enqueue(name, &job{peer: p, request: request, version: version})
}

// Delete is "delete a database" (5.3).
func (d *Databases) Delete(p Peer, request int, name string) {
	d.enqueue(name, &job{peer: p, request: request, deletes: true})
}

func (d *Databases) enqueue(name string, j *job) {
	db := d.list[name]
	if db == nil {
		db = &database{in: d, name: name, stores: map[string]*store{}}
		d.list[name] = db
	}
	db.queue = append(db.queue, j)
	if len(db.queue) == 1 {
		d.Schedule(db.runJob)
	}
}

// next goes on with the request that comes after the one that is through.
func (db *database) next() {
	db.queue = db.queue[1:]
	if len(db.queue) > 0 {
		db.in.Schedule(db.runJob)
	}
}

// runJob starts the first request in the queue (5.1 and 5.3, from the step that waits for those before).
func (db *database) runJob() {
	j := db.queue[0]
	if !j.peer.Alive() {
		db.next()
		return
	}
	if j.deletes && db.version == 0 {
		j.peer.Deleted(j.request, 0)
		db.next()
		return
	}
	if !j.deletes {
		if j.version == 0 {
			j.version = max(db.version, 1)
		}
		if j.version < db.version {
			j.peer.Opened(j.request, nil, failure(VersionError, "the database has a higher version than the one that was "+
				"asked for"))
			db.next()
			return
		}
		if j.version == db.version {
			c := db.connect(j.peer)
			j.peer.Opened(j.request, c, nil)
			db.next()
			return
		}
	}
	if len(db.connections) == 0 {
		db.change(j)
		return
	}
	for _, c := range slices.Clone(db.connections) {
		db.in.Schedule(func() {
			if !c.closing {
				c.peer.VersionChange(c, db.version, j.version)
			}
		})
	}
	db.in.Schedule(func() {
		j.waits = true
		if len(db.connections) > 0 {
			j.peer.Blocked(j.request, db.version, j.version)
		}
		db.unblock()
	})
}

// unblock goes on with a request that waited for others to close.
func (db *database) unblock() {
	if len(db.queue) == 0 || !db.queue[0].waits || len(db.connections) > 0 {
		return
	}
	j := db.queue[0]
	j.waits = false
	db.in.Schedule(func() {
		if j.peer.Alive() {
			db.change(j)
		} else {
			db.next()
		}
	})
}

// change deletes the database, or upgrades it ("upgrade a database", 5.7).
func (db *database) change(j *job) {
	from := db.version
	if j.deletes {
		db.version, db.stores = 0, map[string]*store{}
		j.peer.Deleted(j.request, from)
		db.next()
		return
	}
	c := db.connect(j.peer)
	t := &Transaction{connection: c, mode: versionChange, started: true, versionBefore: from, before: map[string]*store{}}
	for name, s := range db.stores {
		t.before[name] = s.branch()
	}
	t.over = func(committed bool) {
		if committed {
			j.peer.Opened(j.request, c, nil)
		} else {
			c.Close()
			j.peer.Opened(j.request, nil, failure(AbortError, "the version change was aborted"))
		}
		db.next()
	}
	db.transactions = append(db.transactions, t)
	db.version = j.version
	j.peer.Upgrade(j.request, c, t, from, j.version)
}

func (db *database) connect(p Peer) *Connection {
	c := &Connection{db: db, peer: p}
	db.connections = append(db.connections, c)
	return c
}
