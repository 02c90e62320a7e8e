package indexeddb

import (
	"fmt"
	"maps"
	"slices"

	"tachyform/internal/useragent/structured"
)

// store is an object store (2.2): records in the order of their keys.
type store struct {
	id      int // see ByID
	path    Path
	auto    bool    // it generates keys
	next    float64 // the current number of its key generator (2.11)
	records []record
	indexes map[string]*index
	bytes   int64 // of the values
	shared  bool  // the lists belong to a branch or an earlier state too
}

type record struct {
	key   Key
	value structured.Value
}

// index is one of a store's indexes (2.2): its records in order, by their keys and then by those of the store.
type index struct {
	id            int // see ByID
	path          Path
	unique, multi bool
	entries       []entry
}

// ByID is how requests refer to a store or an index, whatever it is called by now and even if it was deleted since: names
// may go on to others. Requests may use names as well.
func ByID(id int) string { return fmt.Sprintf("\x00%d", id) }

type entry struct{ key, primary Key }

func (e entry) compare(o entry) int {
	if c := e.key.Compare(o.key); c != 0 {
		return c
	}
	return e.primary.Compare(o.primary)
}

// branch gives a copy that shares the lists until one of the two changes.
func (s *store) branch() *store {
	s.shared = true
	c := *s
	return &c
}

// own makes the lists the store's own before a change.
func (s *store) own() {
	if !s.shared {
		return
	}
	s.records, s.indexes, s.shared = slices.Clone(s.records), maps.Clone(s.indexes), false
	for name, x := range s.indexes {
		c := *x
		c.entries = slices.Clone(x.entries)
		s.indexes[name] = &c
	}
}

func (s *store) find(k Key) (at int, there bool) {
	return slices.BinarySearchFunc(s.records, k, func(r record, k Key) int { return r.key.Compare(k) })
}

// rows gives the records of the store, or of one of its indexes, that lie in a range, as pairs of keys.
func (s *store) rows(of *index, in Range) []entry {
	if of != nil {
		from, to := bounds(len(of.entries), func(i int) Key { return of.entries[i].key }, in)
		return of.entries[from:to]
	}
	from, to := bounds(len(s.records), func(i int) Key { return s.records[i].key }, in)
	out := make([]entry, 0, to-from)
	for _, r := range s.records[from:to] {
		out = append(out, entry{r.key, r.key})
	}
	return out
}

// bounds finds the part of a sorted list that lies in a range.
func bounds(n int, key func(int) Key, in Range) (from, to int) {
	search := func(before func(Key) bool) int {
		lo, hi := 0, n
		for lo < hi {
			if mid := (lo + hi) / 2; before(key(mid)) {
				lo = mid + 1
			} else {
				hi = mid
			}
		}
		return lo
	}
	from = search(in.below)
	return from, max(from, search(func(k Key) bool { return !in.above(k) }))
}

// storeRecord is "store a record into an object store" (6.1). It gives the key, generated if need be.
func (s *store) storeRecord(v structured.Value, key Key, replace bool) (Key, error) {
	t, err := read(v)
	if err != nil {
		return Key{}, failure(DataError, "the value cannot be read")
	}
	s.own()
	if s.auto {
		if key, v, err = s.generate(t, v, key); err != nil {
			return Key{}, err
		}
	}
	at, there := s.find(key)
	if there && !replace {
		return Key{}, failure(ConstraintError, "there is a value with this key already")
	}
	for _, x := range s.indexes {
		for _, k := range t.keysAt(x.path, x.multi) {
			if x.unique && x.holdsOther(k, key) {
				return Key{}, failure(ConstraintError, "an index allows each key only once")
			}
		}
	}
	s.bytes += v.Size()
	if there {
		s.forget(s.records[at])
		s.records[at].value = v
	} else {
		s.records = slices.Insert(s.records, at, record{key, v})
	}
	for _, x := range s.indexes {
		x.add(t, key)
	}
	return key, nil
}

// maxGenerated is the last number that key generators give (2.11).
const maxGenerated = 1 << 53

// generate gives a value its key by the store's key generator, or lets the generator go past a key that was given
// (2.11).
func (s *store) generate(t *tree, v structured.Value, key Key) (Key, structured.Value, error) {
	if key.Valid() {
		if key.kind == numberKey && key.number >= s.next {
			s.next = min(float64(int64(min(key.number, maxGenerated)))+1, maxGenerated+1)
		}
		return key, v, nil
	}
	if s.next > maxGenerated {
		return key, v, failure(ConstraintError, "there are no more keys to generate")
	}
	key = Key{kind: numberKey, number: s.next}
	s.next++
	if !s.path.Some() {
		return key, v, nil
	}
	v, err := t.inject(s.path.Parts[0], key)
	return key, v, err
}

// forget takes what stands for a record out of the indexes.
func (s *store) forget(r record) {
	s.bytes -= r.value.Size()
	if len(s.indexes) == 0 {
		return
	}
	t, err := read(r.value)
	if err != nil {
		return
	}
	for _, x := range s.indexes {
		for _, k := range t.keysAt(x.path, x.multi) {
			if at, there := slices.BinarySearchFunc(x.entries, entry{k, r.key}, entry.compare); there {
				x.entries = slices.Delete(x.entries, at, at+1)
			}
		}
	}
}

// deleteRecords is "delete records from an object store" (6.4).
func (s *store) deleteRecords(in Range) {
	s.own()
	from, to := bounds(len(s.records), func(i int) Key { return s.records[i].key }, in)
	for _, r := range s.records[from:to] {
		s.forget(r)
	}
	s.records = slices.Delete(s.records, from, to)
}

func (x *index) holdsOther(k, primary Key) bool {
	from, to := bounds(len(x.entries), func(i int) Key { return x.entries[i].key }, Range{Lower: k, Upper: k})
	return slices.ContainsFunc(x.entries[from:to], func(e entry) bool { return e.primary.Compare(primary) != 0 })
}

// add takes a record's keys into the index.
func (x *index) add(t *tree, primary Key) {
	for _, k := range t.keysAt(x.path, x.multi) {
		e := entry{k, primary}
		at, _ := slices.BinarySearchFunc(x.entries, e, entry.compare)
		x.entries = slices.Insert(x.entries, at, e)
	}
}

// addIndex makes an index over the records that are there; they must allow it.
func (s *store) addIndex(name string, x *index) error {
	s.own()
	for _, r := range s.records {
		t, err := read(r.value)
		if err != nil {
			return failure(DataError, "a value cannot be read")
		}
		for _, k := range t.keysAt(x.path, x.multi) {
			if x.unique && x.holdsOther(k, r.key) {
				return failure(ConstraintError, "the values that are there have a key twice that the index allows only once")
			}
		}
		x.add(t, r.key)
	}
	s.indexes[name] = x
	return nil
}
