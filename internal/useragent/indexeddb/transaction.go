package indexeddb

import (
	"encoding/json"
	"slices"

	"tachyform/internal/useragent/structured"
)

// Connection is one realm's connection to a database.
type Connection struct {
	db      *database
	peer    Peer
	closing bool
}

// Name is that of the database.
func (c *Connection) Name() string { return c.db.name }

// Close is "close a database connection" (5.2): it ends once its transactions are over.
func (c *Connection) Close() {
	c.closing = true
	c.leave()
}

func (c *Connection) leave() {
	db := c.db
	if !c.closing || slices.ContainsFunc(db.transactions, func(t *Transaction) bool { return t.connection == c }) {
		return
	}
	db.connections = slices.DeleteFunc(db.connections, func(o *Connection) bool { return o == c })
	db.unblock()
}

// Drop ends a connection whose realm is gone, with its transactions.
func (c *Connection) Drop() {
	c.closing = true
	for _, t := range slices.Clone(c.db.transactions) {
		if t.connection == c {
			t.Abort()
		}
	}
	c.leave()
}

// Layout describes the database as JSON: its version, and each store with its key path and indexes.
func (c *Connection) Layout() string {
	type indexLayout struct {
		ID      int  `json:"id"`
		KeyPath Path `json:"keyPath"`
		Unique  bool `json:"unique"`
		Multi   bool `json:"multiEntry"`
	}
	type storeLayout struct {
		ID      int                    `json:"id"`
		KeyPath Path                   `json:"keyPath"`
		Auto    bool                   `json:"autoIncrement"`
		Indexes map[string]indexLayout `json:"indexes"`
	}
	stores := map[string]storeLayout{}
	for name, s := range c.db.stores {
		l := storeLayout{s.id, s.path, s.auto, map[string]indexLayout{}}
		for name, x := range s.indexes {
			l.Indexes[name] = indexLayout{x.id, x.path, x.unique, x.multi}
		}
		stores[name] = l
	}
	text, _ := json.Marshal(map[string]any{"version": c.db.version, "stores": stores})
	return string(text)
}

// mode is that of a transaction (2.7).
type mode uint8

const (
	readOnly mode = iota
	readWrite
	versionChange
)

// Transaction is one transaction (2.7). Its requests are made one after the other, between Started and Commit or Abort.
type Transaction struct {
	connection *Connection
	scope      []string
	mode       mode
	started    bool
	// before is what its stores were like, for an abort.
	before        map[string]*store
	versionBefore int64
	// gone are the stores that it has deleted: what was asked of them before is still carried out.
	gone []*store
	over func(committed bool)
}

// Begin makes a transaction, which starts once those that it may not run beside are over (2.7.2).
func (c *Connection) Begin(scope []string, writes bool) *Transaction {
	t := &Transaction{connection: c, scope: scope}
	if writes {
		t.mode = readWrite
	}
	c.db.transactions = append(c.db.transactions, t)
	c.db.in.Schedule(c.db.startReady)
	return t
}

// startReady starts the transactions that nothing before them holds back.
func (db *database) startReady() {
	for i, t := range slices.Clone(db.transactions) {
		if t.started || slices.ContainsFunc(db.transactions[:min(i, len(db.transactions))], t.waitsFor) {
			continue
		}
		t.started = true
		if t.mode == readWrite {
			t.before = map[string]*store{}
			for _, name := range t.scope {
				if s := db.stores[name]; s != nil {
					t.before[name] = s.branch()
				}
			}
		}
		t.connection.peer.Started(t)
	}
}

// waitsFor says whether a transaction may not run beside an earlier one.
func (t *Transaction) waitsFor(earlier *Transaction) bool {
	if earlier.mode == versionChange {
		return true
	}
	if t.mode == readOnly && earlier.mode == readOnly {
		return false
	}
	return slices.ContainsFunc(t.scope, func(name string) bool { return slices.Contains(earlier.scope, name) })
}

// Commit is "commit a transaction" (5.4). Where the profile holds too much afterwards it is to be aborted instead, and
// the error says so.
func (t *Transaction) Commit() error {
	if t.mode != readOnly && t.connection.db.in.Size() > MaxBytes {
		return failure(QuotaError, "the databases hold too much")
	}
	t.end(true)
	return nil
}

// Abort is "abort a transaction" (5.5): its stores are again what they were.
func (t *Transaction) Abort() {
	db := t.connection.db
	switch {
	case !t.started:
	case t.mode == versionChange:
		db.version, db.stores = t.versionBefore, t.before
	case t.mode == readWrite:
		for name, s := range t.before {
			db.stores[name] = s
		}
	}
	t.end(false)
}

func (t *Transaction) end(committed bool) {
	db := t.connection.db
	n := len(db.transactions)
	db.transactions = slices.DeleteFunc(db.transactions, func(o *Transaction) bool { return o == t })
	if len(db.transactions) == n {
		return // it was over
	}
	if t.over != nil {
		db.in.Schedule(func() { t.over(committed) })
	}
	t.connection.leave()
	db.in.Schedule(db.startReady)
}

// source finds a store and, where one is named, its index.
func (t *Transaction) source(name, ofIndex string) (*store, *index, error) {
	s := t.connection.db.find(name, t.gone)
	if s == nil {
		return nil, nil, failure(NotFoundError, "there is no object store of this name")
	}
	if ofIndex == "" {
		return s, nil, nil
	}
	x := s.indexes[s.nameOf(ofIndex)]
	if x == nil {
		return nil, nil, failure(NotFoundError, "there is no index of this name")
	}
	return s, x, nil
}

// find gives the store of a name or of ByID, nil for none; more are looked through too.
func (db *database) find(name string, more []*store) *store {
	if s := db.stores[name]; s != nil {
		return s
	}
	for _, s := range db.stores {
		if ByID(s.id) == name {
			return s
		}
	}
	for _, s := range more {
		if ByID(s.id) == name {
			return s
		}
	}
	return nil
}

// nameOf gives the name of a store, or of one of its indexes, that is referred to by name or by ByID.
func (db *database) nameOf(ref string) string {
	for name, s := range db.stores {
		if ByID(s.id) == ref {
			return name
		}
	}
	return ref
}

func (s *store) nameOf(ref string) string {
	for name, x := range s.indexes {
		if ByID(x.id) == ref {
			return name
		}
	}
	return ref
}

// Row is a record as a request gives it. Primary is its key in the store, Key that in the index which was asked.
type Row struct {
	Key, Primary Key
	Value        structured.Value
}

// Rows gives the records of a store, or of an index where one is named, that lie in a range; limit bounds them, 0 for
// all.
func (t *Transaction) Rows(name, ofIndex string, in Range, limit int) ([]Row, error) {
	s, x, err := t.source(name, ofIndex)
	if err != nil {
		return nil, err
	}
	entries := s.rows(x, in)
	if limit > 0 {
		entries = entries[:min(limit, len(entries))]
	}
	rows := make([]Row, len(entries))
	for i, e := range entries {
		rows[i] = s.row(e)
	}
	return rows, nil
}

func (s *store) row(e entry) Row {
	r := Row{Key: e.key, Primary: e.primary}
	if at, there := s.find(e.primary); there {
		r.Value = s.records[at].value
	}
	return r
}

// Count says how many records lie in a range.
func (t *Transaction) Count(name, ofIndex string, in Range) (int, error) {
	s, x, err := t.source(name, ofIndex)
	if err != nil {
		return 0, err
	}
	if x == nil {
		from, to := bounds(len(s.records), func(i int) Key { return s.records[i].key }, in)
		return to - from, nil
	}
	return len(s.rows(x, in)), nil
}

// Walk says where a cursor goes (2.10 and "iterate a cursor", 6.8).
type Walk struct {
	Back, Unique bool
	// From is where it stands, none at the start.
	From, FromPrimary Key
	// To and ToPrimary are where it is to go at least, none for the next.
	To, ToPrimary Key
	// Count is how many records it goes on, at least 1.
	Count int
}

// narrow leaves out of a range what a cursor is past.
func (w Walk) narrow(in Range) Range {
	for _, k := range []Key{w.From, w.To} {
		switch {
		case !k.Valid():
		case w.Back && !in.above(k):
			in.Upper, in.UpperOpen = k, false
		case !w.Back && !in.below(k):
			in.Lower, in.LowerOpen = k, false
		}
	}
	return in
}

// Iterate gives the record that a cursor comes to, nil past the end.
func (t *Transaction) Iterate(name, ofIndex string, in Range, w Walk) (*Row, error) {
	s, x, err := t.source(name, ofIndex)
	if err != nil {
		return nil, err
	}
	way := 1
	if w.Back {
		way = -1
	}
	entries := s.rows(x, w.narrow(in))
	reached := func(e entry) bool {
		if w.From.Valid() {
			c := e.key.Compare(w.From) * way
			if c < 0 || c == 0 && (w.Unique || e.primary.Compare(w.FromPrimary)*way <= 0) {
				return false
			}
		}
		if w.To.Valid() {
			c := e.key.Compare(w.To) * way
			if c < 0 || c == 0 && w.ToPrimary.Valid() && e.primary.Compare(w.ToPrimary)*way < 0 {
				return false
			}
		}
		return true
	}
	left := max(w.Count, 1)
	var found *entry
	for n := range entries {
		i := n
		if w.Back {
			i = len(entries) - 1 - n
		}
		e := entries[i]
		if !reached(e) || found != nil && w.Unique && found.key.Compare(e.key) == 0 {
			continue
		}
		found = &e
		if left--; left == 0 {
			break
		}
	}
	if found == nil || left > 0 {
		return nil, nil
	}
	if w.Back && w.Unique { // the first of those with this key
		for _, e := range s.rows(x, Range{Lower: found.key, Upper: found.key}) {
			if e.key.Compare(found.key) == 0 {
				found = &e
				break
			}
		}
	}
	r := s.row(*found)
	return &r, nil
}

// CheckKey gives the key that a value will be stored under, where it is known already, none where it is to be
// generated; the error is what put and add throw at once (4.5, "add or put").
func (c *Connection) CheckKey(name string, v structured.Value, given Key) (Key, error) {
	s := c.db.find(name, nil)
	if s == nil {
		return Key{}, failure(NotFoundError, "there is no object store of this name")
	}
	if !s.path.Some() {
		if !given.Valid() && !s.auto {
			return Key{}, failure(DataError, "the value has no key")
		}
		return given, nil
	}
	if given.Valid() {
		return Key{}, failure(DataError, "this store takes its keys from the values")
	}
	t, err := read(v)
	if err != nil {
		return Key{}, failure(DataError, "the value cannot be read")
	}
	if keys := t.keysAt(s.path, false); len(keys) > 0 {
		return keys[0], nil
	}
	if !s.auto || !s.path.Array && t.at(s.path.Parts[0]) != (absent{}) || !t.canInject(s.path.Parts[0]) {
		return Key{}, failure(DataError, "what stands at the key path of the value is no key")
	}
	return Key{}, nil
}

// Put stores a value under a key, or under one that is generated where there is none. Without replace a key that is
// taken is an error.
func (t *Transaction) Put(name string, v structured.Value, key Key, replace bool) (Key, error) {
	s, _, err := t.source(name, "")
	if err != nil {
		return Key{}, err
	}
	return s.storeRecord(v, key, replace)
}

// Delete deletes the records in a range.
func (t *Transaction) Delete(name string, in Range) error {
	s, _, err := t.source(name, "")
	if err == nil {
		s.deleteRecords(in)
	}
	return err
}

// CreateStore makes an object store while the version changes.
func (t *Transaction) CreateStore(name string, path Path, auto bool) error {
	if t.connection.db.stores[name] != nil {
		return failure(ConstraintError, "there is an object store of this name already")
	}
	t.connection.db.ids++
	t.connection.db.stores[name] = &store{id: t.connection.db.ids, path: path, auto: auto, next: 1, indexes: map[string]*index{}}
	return nil
}

// DeleteStore takes an object store away while the version changes.
func (t *Transaction) DeleteStore(name string) error {
	s, _, err := t.source(name, "")
	if err != nil {
		return err
	}
	t.gone = append(t.gone, s)
	delete(t.connection.db.stores, t.connection.db.nameOf(name))
	return nil
}

// RenameStore gives an object store another name while the version changes.
func (t *Transaction) RenameStore(name, to string) error {
	s, _, err := t.source(name, "")
	if err != nil {
		return err
	}
	delete(t.connection.db.stores, t.connection.db.nameOf(name))
	t.connection.db.stores[to] = s
	return nil
}

// RenameIndex gives an index another name while the version changes.
func (t *Transaction) RenameIndex(ofStore, name, to string) error {
	s, _, err := t.source(ofStore, name)
	if err != nil {
		return err
	}
	name = s.nameOf(name)
	s.own()
	s.indexes[to] = s.indexes[name]
	delete(s.indexes, name)
	return nil
}

// CreateIndex makes an index while the version changes. An error of the name ConstraintError about the values ends the
// transaction.
func (t *Transaction) CreateIndex(ofStore, name string, path Path, unique, multi bool) error {
	s, _, err := t.source(ofStore, "")
	if err != nil {
		return err
	}
	t.connection.db.ids++
	return s.addIndex(name, &index{id: t.connection.db.ids, path: path, unique: unique, multi: multi})
}

// DeleteIndex takes an index away while the version changes.
func (t *Transaction) DeleteIndex(ofStore, name string) error {
	s, _, err := t.source(ofStore, name)
	if err != nil {
		return err
	}
	name = s.nameOf(name)
	s.own()
	delete(s.indexes, name)
	return nil
}
