package environment

import (
	"encoding/json"
	"errors"

	"tachyform/internal/site"
	"tachyform/internal/useragent/fetch"
	"tachyform/internal/useragent/indexeddb"
	"tachyform/internal/useragent/structured"
)

// databases are the connections and transactions of a realm, by number. It is what databases tell of themselves.
type databases struct {
	r            *Realm
	next         int
	connections  map[int]*indexeddb.Connection
	transactions map[int]*indexeddb.Transaction
}

func (d *databases) connection(c *indexeddb.Connection) int {
	for id, known := range d.connections {
		if known == c {
			return id
		}
	}
	d.next++
	d.connections[d.next] = c
	return d.next
}

// drop ends all of them, as the end of the realm does.
func (d *databases) drop() {
	for id, c := range d.connections {
		delete(d.connections, id)
		c.Drop()
	}
}

// tell runs a command of the environment in a task of its own.
func (d *databases) tell(command string, args ...any) {
	d.r.p.clock().After(0, func() { d.r.command(command, args...) })
}

// Alive, Opened and the rest are indexeddb.Peer.
func (d *databases) Alive() bool { return d.r.Alive() && d.r.current() }

func (d *databases) Opened(request int, c *indexeddb.Connection, err error) {
	var e *indexeddb.Error
	if errors.As(err, &e) {
		d.tell("databaseOpened", request, 0, e.Error())
		return
	}
	if !d.Alive() {
		c.Drop()
		return
	}
	d.tell("databaseOpened", request, d.connection(c), "")
}

func (d *databases) Upgrade(request int, c *indexeddb.Connection, t *indexeddb.Transaction, from, to int64) {
	id := d.connection(c)
	d.next++
	d.transactions[d.next] = t
	d.tell("databaseUpgrade", toJSON([]any{request, id, d.next, from, to}))
}

func (d *databases) VersionChange(c *indexeddb.Connection, from, to int64) {
	if d.r.contacted(c.Drop) {
		return
	}
	d.tell("databaseVersionChange", d.connection(c), int(from), int(to))
}

func (d *databases) Blocked(request int, from, to int64) {
	d.tell("databaseBlocked", request, int(from), int(to))
}

func (d *databases) Deleted(request int, from int64) { d.tell("databaseDeleted", request, int(from)) }

func (d *databases) Started(t *indexeddb.Transaction) {
	for id, known := range d.transactions {
		if known == t {
			d.tell("databaseStarted", id)
		}
	}
}

// toJSON writes what is known to be writable.
func toJSON(v any) string {
	text, _ := json.Marshal(v)
	return string(text)
}

// keptValue is a serialized value as it crosses: its content is held by the realm, by number.
type keptValue struct {
	Tree    json.RawMessage `json:"tree"`
	Buffers []int           `json:"buffers"`
	Bodies  []int           `json:"bodies"`
}

// valueFrom takes a serialized value out of the realm.
func (r *Realm) valueFrom(k keptValue) structured.Value {
	bodies := func(list []int) (out []site.Body) {
		for _, n := range list {
			b := r.bodies[n].body
			if b == nil {
				b = site.Bytes("")
			}
			out = append(out, b)
		}
		return out
	}
	return structured.Value{Tree: k.Tree, Buffers: bodies(k.Buffers), Bodies: bodies(k.Bodies)}
}

// valueInto lets the realm hold a serialized value.
func (r *Realm) valueInto(v structured.Value) keptValue {
	handles := func(list []site.Body) []int {
		out := []int{}
		for _, b := range list {
			out = append(out, r.hold(body{body: b, source: fetch.Source{Kind: fetch.WorkerSource}}))
		}
		return out
	}
	return keptValue{v.Tree, handles(v.Buffers), handles(v.Bodies)}
}

// databaseRequest is a request to a transaction.
type databaseRequest struct {
	Operation string `json:"op"`
	// Store and Index are numbers, of those that there are; Name is that of one that is made, or that one gets.
	Store  int             `json:"store"`
	Index  int             `json:"index"`
	Name   string          `json:"name"`
	Range  indexeddb.Range `json:"range"`
	Limit  int             `json:"limit"`
	Value  *keptValue      `json:"value"`
	Key    indexeddb.Key   `json:"key"`
	Walk   indexeddb.Walk  `json:"walk"`
	Path   indexeddb.Path  `json:"path"`
	Unique bool            `json:"unique"`
	Multi  bool            `json:"multi"`
	Auto   bool            `json:"auto"`
}

func (q databaseRequest) store() string { return indexeddb.ByID(q.Store) }

// index is "" where a request is about the store itself.
func (q databaseRequest) index() string {
	if q.Index == 0 {
		return ""
	}
	return indexeddb.ByID(q.Index)
}

// databaseRow is a record as it crosses.
type databaseRow struct {
	Key     indexeddb.Key `json:"key"`
	Primary indexeddb.Key `json:"primary"`
	Value   *keptValue    `json:"value,omitempty"`
}

var databaseOperations = operations{
	"database.open": touching(func(r *Realm, args arguments) (any, error) {
		r.p.store().Databases.Open(r.databases, args.number(0), args.text(1), int64(args.number(2)))
		return nil, nil
	}),
	"database.delete": touching(func(r *Realm, args arguments) (any, error) {
		r.p.store().Databases.Delete(r.databases, args.number(0), args.text(1))
		return nil, nil
	}),
	"database.list": touching(func(r *Realm, _ arguments) (any, error) {
		names, versions := r.p.store().Databases.Names()
		list := []map[string]any{}
		for i, name := range names {
			list = append(list, map[string]any{"name": name, "version": versions[i]})
		}
		return toJSON(list), nil
	}),
	"database.close": touching(func(r *Realm, args arguments) (any, error) {
		if c := r.databases.connections[args.number(0)]; c != nil {
			c.Close()
		}
		return nil, nil
	}),
	"database.layout": touching(func(r *Realm, args arguments) (any, error) {
		return r.databases.connections[args.number(0)].Layout(), nil
	}),
	"database.begin": touching(func(r *Realm, args arguments) (any, error) {
		d := r.databases
		var scope []string
		if err := json.Unmarshal([]byte(args.text(1)), &scope); err != nil {
			return nil, err
		}
		d.next++
		d.transactions[d.next] = d.connections[args.number(0)].Begin(scope, args.flag(2))
		return d.next, nil
	}),
	"database.commit": touching(func(r *Realm, args arguments) (any, error) {
		return nil, r.databases.transactions[args.number(0)].Commit()
	}),
	"database.abort": touching(func(r *Realm, args arguments) (any, error) {
		r.databases.transactions[args.number(0)].Abort()
		return nil, nil
	}),
	"database.check": touching(func(r *Realm, args arguments) (any, error) {
		var q databaseRequest
		if err := json.Unmarshal([]byte(args.text(1)), &q); err != nil {
			return nil, err
		}
		key, err := r.databases.connections[args.number(0)].CheckKey(q.store(), r.valueFrom(*q.Value), q.Key)
		return toJSON(key), err
	}),
	"database.request": touching(func(r *Realm, args arguments) (any, error) {
		var q databaseRequest
		if err := json.Unmarshal([]byte(args.text(1)), &q); err != nil {
			return nil, err
		}
		result, err := r.request(r.databases.transactions[args.number(0)], q)
		return toJSON(result), err
	}),
	"storage.usage": promised(func(r *Realm, _ arguments) (any, string) { return r.p.store().Usage(), "" }),
}

// request carries out a request of a transaction.
func (r *Realm) request(t *indexeddb.Transaction, q databaseRequest) (any, error) {
	switch q.Operation {
	case "rows", "keys":
		rows, err := t.Rows(q.store(), q.index(), q.Range, q.Limit)
		out := make([]databaseRow, len(rows))
		for i, row := range rows {
			out[i] = r.rowInto(row, q.Operation == "rows")
		}
		return out, err
	case "count":
		return t.Count(q.store(), q.index(), q.Range)
	case "walk", "walkKeys":
		row, err := t.Iterate(q.store(), q.index(), q.Range, q.Walk)
		if row == nil {
			return nil, err
		}
		return r.rowInto(*row, q.Operation == "walk"), err
	case "put", "add":
		return t.Put(q.store(), r.valueFrom(*q.Value), q.Key, q.Operation == "put")
	case "delete":
		return nil, t.Delete(q.store(), q.Range)
	case "createStore":
		return nil, t.CreateStore(q.Name, q.Path, q.Auto)
	case "deleteStore":
		return nil, t.DeleteStore(q.store())
	case "renameStore":
		return nil, t.RenameStore(q.store(), q.Name)
	case "renameIndex":
		return nil, t.RenameIndex(q.store(), q.index(), q.Name)
	case "createIndex":
		return nil, t.CreateIndex(q.store(), q.Name, q.Path, q.Unique, q.Multi)
	}
	return nil, t.DeleteIndex(q.store(), q.index())
}

func (r *Realm) rowInto(row indexeddb.Row, withValue bool) databaseRow {
	out := databaseRow{Key: row.Key, Primary: row.Primary}
	if withValue {
		v := r.valueInto(row.Value)
		out.Value = &v
	}
	return out
}
