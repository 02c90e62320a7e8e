package indexeddb

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/useragent/structured"
)

func key(t *testing.T, text string) (k Key) {
	t.Helper()
	require.NoError(t, json.Unmarshal([]byte(text), &k))
	return k
}

// Keys have the order of 2.4 and cross unchanged.
func TestKeys(t *testing.T) {
	inOrder := []string{
		`{"number":"-Inf"}`, `-3`, `0`, `2.5`, `{"number":"+Inf"}`, `{"date":-5}`, `{"date":9}`, `""`, `"Z"`, `"a"`, `"aa"`,
		`"\ud83d\ude00"`, `"\uffee"`, `{"binary":""}`, `{"binary":"00ff"}`, `{"binary":"01"}`, `[]`, `[1]`, `[1,"a"]`,
		`[{"date":1}]`, `[[]]`,
	}
	var keys []Key
	for _, text := range inOrder {
		k := key(t, text)
		again, err := json.Marshal(k)
		require.NoError(t, err)
		assert.JSONEq(t, text, string(again))
		keys = append(keys, k)
	}
	for i, a := range keys {
		for j, b := range keys {
			assert.Equal(t, i < j, a.Compare(b) < 0, "%s and %s", inOrder[i], inOrder[j])
			assert.Equal(t, i == j, a.Compare(b) == 0)
		}
	}
	assert.False(t, key(t, "null").Valid())
}

// Keys are found in values by their paths.
func TestPaths(t *testing.T) {
	object := func(pairs ...string) string {
		var keys, values []string
		for i := 0; i < len(pairs); i += 2 {
			keys, values = append(keys, `"`+pairs[i]+`"`), append(values, pairs[i+1])
		}
		return `{"$":"object","k":[` + strings.Join(keys, ",") + `],"v":[` + strings.Join(values, ",") + `]}`
	}
	list := func(members ...string) string { return `{"$":"array","v":[` + strings.Join(members, ",") + `]}` }
	for _, c := range []struct {
		tree, path string
		multi      bool
		want       string
	}{
		{object("id", "7"), `"id"`, false, `[7]`},
		{object("pier", object("id", `"far"`)), `"pier.id"`, false, `["far"]`},
		{object("pier", "null"), `"pier.id"`, false, `null`},
		{`"ab"`, `"length"`, false, `[2]`},
		{list("1", "2"), `"length"`, false, `[2]`},
		{`4`, `""`, false, `[4]`},
		{object("a", "1", "b", `"x"`), `["a","b"]`, false, `[[1,"x"]]`},
		{object("a", "1"), `["a","b"]`, false, `null`},
		{object("tags", list("2", "1", "2", "true")), `"tags"`, true, `[2,1]`},
		{object("tags", list("2", "true")), `"tags"`, false, `null`},
		{object("at", `{"$":"date","v":5}`), `"at"`, false, `[{"date":5}]`},
		{object("n", `{"$":"number","v":"NaN"}`), `"n"`, false, `null`},
		{object("n", `{"$":"number","v":"Infinity"}`), `"n"`, false, `[{"number":"+Inf"}]`},
		{object("a", object("id", "3"), "b", `{"$":"ref","i":1}`), `"b.id"`, false, `[3]`},
	} {
		var p Path
		require.NoError(t, json.Unmarshal([]byte(c.path), &p))
		tree, err := read(structured.Value{Tree: json.RawMessage(c.tree)})
		require.NoError(t, err)
		got, _ := json.Marshal(tree.keysAt(p, c.multi))
		assert.Equal(t, c.want, string(got), "%s at %s", c.tree, c.path)
	}
	tree, err := read(structured.Value{Tree: json.RawMessage(object("name", `"far"`))})
	require.NoError(t, err)
	v, err := tree.inject("place.id", Key{kind: numberKey, number: 9})
	require.NoError(t, err)
	assert.JSONEq(t, object("name", `"far"`, "place", object("id", "9")), string(v.Tree))
}

// realm is a peer that writes down what it hears.
type realm struct {
	name   string
	heard  *[]string
	last   *Connection
	onTurn func(*Transaction)
	onOld  func(*Connection)
	gone   bool
}

func (r *realm) say(format string, args ...any) {
	*r.heard = append(*r.heard, r.name+" "+fmt.Sprintf(format, args...))
}

func (r *realm) Opened(request int, c *Connection, err error) {
	r.last = c
	if err != nil {
		r.say("refused %d: %v", request, err.(*Error).Name)
		return
	}
	r.say("opened %d", request)
}

func (r *realm) Upgrade(_ int, c *Connection, t *Transaction, from, to int64) {
	r.last = c
	r.say("upgrades %d to %d", from, to)
	r.onTurn(t)
}
func (r *realm) VersionChange(c *Connection, _, to int64) {
	r.say("hears of %d", to)
	if r.onOld != nil {
		r.onOld(c)
	}
}
func (r *realm) Blocked(int, int64, int64) { r.say("is blocked") }
func (r *realm) Deleted(_ int, from int64) { r.say("deleted %d", from) }
func (r *realm) Started(t *Transaction)    { r.say("starts"); r.onTurn(t) }
func (r *realm) Alive() bool               { return !r.gone }
func text(s string) structured.Value       { return structured.Value{Tree: json.RawMessage(`"` + s + `"`)} }
func number(n float64) Key                 { return Key{kind: numberKey, number: n} }
func commit(t *Transaction)                { _ = t.Commit() }

// profile gives databases whose tasks run when the test says so, and two realms.
func profile() (d *Databases, run func(), a, b *realm, heard *[]string) {
	var tasks []func()
	heard = &[]string{}
	d = New()
	d.Schedule = func(f func()) { tasks = append(tasks, f) }
	run = func() {
		for len(tasks) > 0 {
			next := tasks[0]
			tasks = tasks[1:]
			next()
		}
	}
	return d, run, &realm{name: "a", heard: heard, onTurn: commit}, &realm{name: "b", heard: heard, onTurn: commit}, heard
}

// A database is opened, upgraded and deleted among several realms, one after the other.
func TestOpening(t *testing.T) {
	for name, c := range map[string]struct {
		do   func(d *Databases, run func(), a, b *realm)
		want []string
	}{
		"first": {func(d *Databases, run func(), a, _ *realm) { d.Open(a, 1, "x", 0) },
			[]string{"a upgrades 0 to 1", "a opened 1"}},
		"lower version": {func(d *Databases, run func(), a, b *realm) {
			d.Open(a, 1, "x", 4)
			d.Open(b, 2, "x", 3)
		}, []string{"a upgrades 0 to 4", "a opened 1", "b refused 2: VersionError"}},
		"closes when told": {func(d *Databases, run func(), a, b *realm) {
			a.onOld = (*Connection).Close
			d.Open(a, 1, "x", 1)
			d.Open(b, 2, "x", 2)
		}, []string{"a upgrades 0 to 1", "a opened 1", "a hears of 2", "b upgrades 1 to 2", "b opened 2"}},
		"blocked": {func(d *Databases, run func(), a, b *realm) {
			d.Open(a, 1, "x", 1)
			d.Open(b, 2, "x", 2)
			run()
			a.last.Close()
		}, []string{"a upgrades 0 to 1", "a opened 1", "a hears of 2", "b is blocked", "b upgrades 1 to 2", "b opened 2"}},
		"gone meanwhile": {func(d *Databases, run func(), a, b *realm) {
			d.Open(a, 1, "x", 1)
			d.Open(b, 2, "x", 2)
			run()
			b.gone = true
			a.last.Close()
			d.Open(a, 3, "x", 0)
		}, []string{"a upgrades 0 to 1", "a opened 1", "a hears of 2", "b is blocked", "a opened 3"}},
		"aborted upgrade": {func(d *Databases, run func(), a, b *realm) {
			a.onTurn = func(t *Transaction) {
				_ = t.CreateStore("s", Path{}, false)
				t.Abort()
			}
			d.Open(a, 1, "x", 5)
			d.Open(b, 2, "x", 0)
		}, []string{"a upgrades 0 to 5", "a refused 1: AbortError", "b upgrades 0 to 1", "b opened 2"}},
		"deleted": {func(d *Databases, run func(), a, b *realm) {
			d.Open(a, 1, "x", 3)
			run()
			a.last.Close()
			d.Delete(b, 2, "x")
			d.Delete(b, 3, "x")
		}, []string{"a upgrades 0 to 3", "a opened 1", "b deleted 3", "b deleted 0"}},
	} {
		d, run, a, b, heard := profile()
		c.do(d, run, a, b)
		run()
		assert.Equal(t, c.want, *heard, name)
	}
}

// open gives a connection to a database with the stores s and other.
func open(d *Databases, run func(), r *realm) *Connection {
	was := r.onTurn
	r.onTurn = func(t *Transaction) {
		_ = t.CreateStore("s", Path{}, true)
		_ = t.CreateStore("other", Path{}, false)
		commit(t)
	}
	d.Open(r, 1, "x", 0)
	run()
	r.onTurn = was
	return r.last
}

// Transactions that write wait for those before them that touch the same stores; those that only read run together.
func TestOrderOfTransactions(t *testing.T) {
	d, run, a, b, _ := profile()
	ca := open(d, run, a)
	d.Open(b, 2, "x", 0)
	run()
	var order []string
	open := map[*Transaction]string{}
	begin := func(c *Connection, name string, writes bool, scope ...string) *Transaction {
		tx := c.Begin(scope, writes)
		open[tx] = name
		return tx
	}
	hold := func(tx *Transaction) { order = append(order, open[tx]) }
	a.onTurn, b.onTurn = hold, hold
	first := begin(ca, "reads", false, "s")
	second := begin(b.last, "reads too", false, "s", "other")
	third := begin(ca, "writes", true, "s")
	begin(b.last, "writes elsewhere", true, "other")
	fifth := begin(b.last, "reads later", false, "s")
	run()
	assert.Equal(t, []string{"reads", "reads too"}, order)
	commit(first)
	run()
	assert.Len(t, order, 2, "the second still reads")
	commit(second)
	run()
	assert.Equal(t, []string{"writes", "writes elsewhere"}, order[2:])
	third.Abort()
	run()
	assert.Equal(t, "reads later", order[4])
	b.last.Drop()
	run()
	assert.NotContains(t, d.list["x"].transactions, fifth, "a realm that ends takes its transactions with it")
}

// An abort, and a branch, leave what was there.
func TestAbortAndBranch(t *testing.T) {
	d, run, a, _, _ := profile()
	c := open(d, run, a)
	var branch *Databases
	count := func(d *Databases) int { return len(d.list["x"].stores["s"].records) }
	a.onTurn = func(tx *Transaction) {
		for _, word := range []string{"low", "high"} {
			k, err := tx.Put("s", text(word), Key{}, false)
			require.NoError(t, err)
			require.True(t, k.Valid())
		}
		_, err := tx.Put("s", text("again"), number(1), false)
		assert.Equal(t, ConstraintError, err.(*Error).Name)
		branch = d.Branch()
		commit(tx)
	}
	c.Begin([]string{"s"}, true)
	run()
	assert.Equal(t, 2, count(d))
	assert.Equal(t, 0, count(branch), "what a transaction that is not over has changed is not in a branch")
	branch = d.Branch()
	a.onTurn = func(tx *Transaction) {
		require.NoError(t, tx.Delete("s", Range{Lower: number(2)}))
		k, _ := tx.Put("s", text("third"), Key{}, false)
		assert.Zero(t, k.Compare(number(3)))
		tx.Abort()
	}
	c.Begin([]string{"s"}, true)
	run()
	assert.Equal(t, 2, count(d))
	assert.Equal(t, 2, count(branch))
	assert.Equal(t, d.Size(), branch.Size())
	d.Clear()
	assert.Zero(t, d.Size())
	names, _ := d.Names()
	assert.Empty(t, names)
}

// Cursors go over stores and indexes both ways.
func TestIterate(t *testing.T) {
	d, run, a, _, _ := profile()
	a.onTurn = func(tx *Transaction) {
		require.NoError(t, tx.CreateStore("s", Path{}, false))
		for i, word := range []string{"b", "a", "b", "c"} {
			_, err := tx.Put("s", text(word), number(float64(i)), true)
			require.NoError(t, err)
		}
		require.NoError(t, tx.CreateIndex("s", "words", Path{Parts: []string{""}}, false, false))
		assert.Equal(t, ConstraintError, tx.CreateIndex("s", "once", Path{Parts: []string{""}}, true, false).(*Error).Name)
		walk := func(index string, in Range, w Walk) (got []string) {
			for {
				row, err := tx.Iterate("s", index, in, w)
				require.NoError(t, err)
				if row == nil {
					return got
				}
				k, _ := json.Marshal([]Key{row.Key, row.Primary})
				got = append(got, string(k))
				w.From, w.FromPrimary = row.Key, row.Primary
				w.To, w.ToPrimary, w.Count = Key{}, Key{}, 0
			}
		}
		all := walk("words", Range{}, Walk{})
		assert.Equal(t, []string{`["a",1]`, `["b",0]`, `["b",2]`, `["c",3]`}, all)
		slices.Reverse(all)
		assert.Equal(t, all, walk("words", Range{}, Walk{Back: true}))
		assert.Equal(t, []string{`["a",1]`, `["b",0]`, `["c",3]`}, walk("words", Range{}, Walk{Unique: true}))
		assert.Equal(t, []string{`["c",3]`, `["b",0]`, `["a",1]`}, walk("words", Range{}, Walk{Unique: true, Back: true}))
		assert.Equal(t, []string{`["b",2]`, `["c",3]`}, walk("words", Range{}, Walk{To: key(t, `"b"`), ToPrimary: number(1)}))
		assert.Equal(t, []string{`[2,2]`, `[3,3]`}, walk("", Range{}, Walk{Count: 3}))
		assert.Equal(t, []string{`[1,1]`, `[2,2]`}, walk("", Range{Lower: number(0), LowerOpen: true, Upper: number(2)},
			Walk{}))
		n, err := tx.Count("s", "words", Range{Lower: key(t, `"b"`), Upper: key(t, `"b"`)})
		require.NoError(t, err)
		assert.Equal(t, 2, n)
		commit(tx)
	}
	d.Open(a, 1, "x", 0)
	run()
}

// FuzzKey reads keys as they cross: what can be read crosses back as the same key.
func FuzzKey(f *testing.F) {
	for _, seed := range []string{"1", `"a"`, `[1,[{"date":2}]]`, `{"binary":"00"}`, `{"number":"+Inf"}`, "null", "{}",
		`{"number":"x"}`} {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, text string) {
		var k, again Key
		if json.Unmarshal([]byte(text), &k) != nil {
			return
		}
		out, err := json.Marshal(k)
		require.NoError(t, err)
		require.NoError(t, json.Unmarshal(out, &again))
		assert.Zero(t, k.Compare(again), text)
	})
}
