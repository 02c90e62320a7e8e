package quickjs

import (
	"context"
	"errors"
	"math/rand/v2"
	"strings"
	"testing"
	"time"
	"unsafe"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/crash"
	"tachyform/internal/script"
)

// What is given out never overlaps, keeps its content, and is used again; a rewind brings back every byte at its place.
func TestHeap(t *testing.T) {
	h := newHeap()
	defer h.close()
	r := rand.New(rand.NewPCG(1, 2))
	type block struct {
		p, n uintptr
		fill byte
	}
	var blocks []block
	bytes := func(b block) []byte { return unsafe.Slice((*byte)(unsafe.Add(nil, b.p)), b.n) }
	check := func() {
		for _, b := range blocks {
			for _, c := range bytes(b) {
				if c != b.fill {
					t.Fatalf("a block of %d bytes was overwritten", b.n)
				}
			}
		}
	}
	churn := func(rounds int) {
		for range rounds {
			if len(blocks) > 0 && r.IntN(3) == 0 {
				i := r.IntN(len(blocks))
				h.release(blocks[i].p)
				blocks[i] = blocks[len(blocks)-1]
				blocks = blocks[:len(blocks)-1]
				continue
			}
			n := uintptr(1 + r.IntN(3000))
			if r.IntN(20) == 0 {
				n = uintptr(r.IntN(300_000))
			}
			b := block{h.alloc(n), n, byte(r.IntN(256))}
			require.Zero(t, b.p%16)
			require.GreaterOrEqual(t, capacity(b.p), n)
			for i := range bytes(b) {
				bytes(b)[i] = b.fill
			}
			blocks = append(blocks, b)
		}
	}
	churn(600)
	check()
	m := h.mark()
	kept := append([]block(nil), blocks...)
	for range 3 {
		churn(400)
		check()
		h.rewind(m)
		blocks = append([]block(nil), kept...)
		check()
	}
	for size := uintptr(1); size <= bigSize; size += 7 {
		k, room := class(size)
		require.GreaterOrEqual(t, room, size)
		require.Less(t, k, classes)
		again, same := class(room)
		require.True(t, again == k && same == room, "%d", size)
	}
}

// engine gives an engine whose installed function evaluates text in the way of an environment.
func engine(t *testing.T, host script.Host) *Engine {
	t.Helper()
	e, err := New()
	require.NoError(t, err)
	t.Cleanup(e.Close)
	code,
		err := e.Compile(`(function (global, host) { global.host = host; return (op, x) => op === 'eval' ? global.eval(x) : op === 'later' ? void Promise.resolve().then(() => global.eval(x)) : x; })`)
	require.NoError(t, err)
	e.host = host
	require.NoError(t, e.Install(code))
	return e
}

func TestValues(t *testing.T) {
	var seen []any
	e := engine(t, func(args []any) (any, error) {
		seen = args
		if len(args) > 0 && args[0] == "fail" {
			return nil, errors.New("NotFoundError: " + strings.Repeat("low ", 100))
		}
		return args[0], nil
	})
	for _, v := range []any{"", "tide", "é€😀\x00x", true, false, 7, -1 << 31, 1 << 40, 2.5, nil,
		strings.Repeat("x", 1<<20)} {
		got, err := e.Call("same", v)
		require.NoError(t, err)
		switch v := v.(type) {
		case int:
			assert.EqualValues(t, v, got)
		default:
			assert.Equal(t, v, got)
		}
	}
	got, err := e.Call("eval", `host("a", 1, 2.5, true, null, undefined, {}, "\ud800x")`)
	require.NoError(t, err)
	assert.Equal(t, "a", got)
	assert.Equal(t, []any{"a", 1, 2.5, true, nil, nil, nil, "\ufffdx"}, seen)
	got, err = e.Call("eval", `try { host("fail") } catch (e) { e.name + e.message.length }`)
	require.NoError(t, err)
	assert.Equal(t, "TypeError415", got, "long messages arrive whole")
	_, err = e.Call("eval", `throw new RangeError("low")`)
	assert.EqualError(t, err, "RangeError: low")
	_, err = e.Call("eval", `throw { toString() { throw 1 } }`)
	assert.Error(t, err)
	got, _ = e.Call("eval", "1 + 1")
	assert.Equal(t, 2, got, "it goes on after errors")
}

// A rewound engine has forgotten everything since, also when it failed in between.
func TestRewind(t *testing.T) {
	e := engine(t, nil)
	_, err := e.Call("eval", "globalThis.n = 1; globalThis.list = ['a']")
	require.NoError(t, err)
	m := e.Mark()
	for range 5 {
		_, err = e.Call("eval", "n++; list.push('x'.repeat(1e6)); Array.prototype.at = null; globalThis.more = new "+
			"Map([[{}, list]])")
		require.NoError(t, err)
		_, _ = e.Call("eval", "throw new Error('lost')")
		_, _ = e.Call("later", "n = 100")
		e.Rewind(m)
		got, err := e.Call("eval", "[n, list.length, typeof more, typeof [].at].join()")
		require.NoError(t, err)
		assert.Equal(t, "1,1,undefined,function", got)
	}
	assert.Less(t, m.Size(), 4<<20)
}

func TestBounds(t *testing.T) {
	if script.Slower > 1 {
		t.Skip("one goroutine, and slow under the race detector")
	}
	for code, want := range map[string]error{
		"for (;;);": script.ErrEndless,
		"const f = () => Promise.resolve().then(f); f(); 1":                    script.ErrEndless,
		"try { for (;;); } catch {} finally { for (;;); }":                     script.ErrEndless,
		"let a = []; for (;;) a.push(new Array(1e6).fill(1))":                  script.ErrMemory,
		"new Uint8Array(1e9)":                                                  nil,
		"(function f() { f() })()":                                             nil,
		"let d = []; for (let i = 0; i < 1e5; i++) d = [d]; JSON.stringify(d)": nil,
	} {
		e := engine(t, nil)
		e.steps = 10_000_000
		_, err := e.Call("eval", code)
		if want != nil {
			assert.ErrorIs(t, err, want, code)
		} else {
			assert.Error(t, err, code)
			got, err := e.Call("eval", "2")
			assert.NoError(t, err, code)
			assert.Equal(t, 2, got, code)
		}
	}
}

// Whatever the language has built in comes to an end on huge input: by itself, with an error, or since its engine was
// stopped; and it ends at once where nobody waits for it any more.
func TestBuiltInsEnd(t *testing.T) {
	if script.Slower > 1 {
		t.Skip("limits of time mean little under the race detector")
	}
	const huge, long = "({length: 2**53 - 1})", "Object.assign([], {length: 2**32 - 1})"
	var calls []string
	for _, name := range []string{"indexOf(1)", "lastIndexOf(1)", "includes(1)", "reverse()", "splice(0, 1)", "unshift(1)",
		"shift()", "copyWithin(0, 1)", "fill(0)", "forEach(() => 0)", "map(() => 0)", "every(() => true)",
		"some(() => false)", "filter(() => 0)", "find(() => false)", "findLastIndex(() => false)", "reduceRight(() => 0)",
		"flat(Infinity)", "flatMap(() => [])", "join()", "slice(1)", "toReversed()", "toSorted()", "toSpliced(0, 1)",
		"with(0, 1)", "sort()", "toString()", "toLocaleString()", "concat([])"} {
		for _, object := range []string{huge, long} {
			calls = append(calls, "Array.prototype."+strings.Replace(name, "(", ".call("+object+", ", 1))
		}
	}
	calls = append(calls, "[].concat({[Symbol.isConcatSpreadable]: true, length: 2**53 - 2})",
		"Array.from({length: 2**53 - 1})", "Array.from({length: 2**32 - 1})", "[..."+long+
			"]", "String.fromCharCode.apply(null, {length: 2**31})", "Math.max.apply(null, {length: 65534})",
		"for (const a = new Float64Array(2e7);;) a.sort()", "for (const a = new Uint8Array(2e8);;) a.indexOf(1)",
		"for (const a = new Uint8Array(2e8);;) a.fill(1)", "new Uint8Array(2e8).join()",
		"Uint8Array.from({length: 2**53 - 1})", "new Uint8Array({length: 2**53 - 1})",
		"'x'.repeat(2**53 - 1)", "'x'.repeat(2**29)", "'x'.padEnd(2**53 - 1)", "'x'.padEnd(2**29)",
		"'a'.repeat(4e7).indexOf('a'.repeat(2e7) + 'b')", "'a'.repeat(4e7).lastIndexOf('b' + 'a'.repeat(2e7))",
		"'a'.repeat(3e7).split('a'.repeat(1e7) + 'b')", "'a'.repeat(3e7).replaceAll('a'.repeat(1e7) + 'b', '')",
		"'a'.repeat(1e8).split('')", "'a'.repeat(1e7).replaceAll('a', 'b'.repeat(1e3))", "'a'.repeat(1e8).normalize('NFKD')",
		"/(a+)+$/.test('a'.repeat(60) + 'b')", "/(.*)*x/.test('y'.repeat(1e5))", "new RegExp('a{1000}'.repeat(1e4))",
		"new RegExp('('.repeat(1e6))", "new RegExp('(a|b){1,1000}'.repeat(100)).test('ab'.repeat(1e5) + 'c')",
		"'a'.repeat(1e6).match(/(?=(a*))/g)",
		"JSON.parse('['.repeat(1e7))", "JSON.stringify({toJSON() { return this }, a: Array(1e8)})",
		"JSON.stringify('x'.repeat(1e8))", "JSON.parse('[' + '1,'.repeat(3e7) + '1]')",
		"2n ** (2n ** 19n)", "let n = 3n; for (;;) n *= n", "(2n ** 500000n).toString()", "BigInt('9'.repeat(2e5))",
		"for (let s = new Set([1]), i = 1;; i++) s.add(i).isSubsetOf(s)", "encodeURIComponent('é'.repeat(3e7))",
		"escape('é'.repeat(3e7))", "Date.parse('1'.repeat(1e7))", "Object.entries('x'.repeat(2e7))",
		"Reflect.apply(Math.max, null, {length: 2**53 - 1})", "new Proxy({}, {ownKeys() { for (;;); }}), Object.keys(new "+
			"Proxy({}, {ownKeys() { for (;;); }}))")
	end := func(code string, stop context.CancelFunc, ctx context.Context, within time.Duration) error {
		defer stop()
		e, err := New()
		require.NoError(t, err)
		install, err := e.Compile(`(function (global, host) { return (op, x) => global.eval(x); })`)
		require.NoError(t, err)
		require.NoError(t, e.Install(install))
		e.steps = 1_000_000
		e.Surround(script.Surroundings{Host: e.host, Context: ctx})
		done := make(chan error, 1)
		go func() {
			_, err := e.Call("eval", code)
			e.Close()
			done <- err
		}()
		select {
		case err := <-done:
			return err
		case <-time.After(within):
			t.Fatal("it does not end: " + code)
			return nil
		}
	}
	slow := 0
	for _, code := range calls {
		ctx, stop := context.WithTimeout(context.Background(), 100*time.Millisecond)
		if err := end(code, stop, ctx, time.Minute); errors.Is(err, script.ErrCanceled) {
			slow++
		}
	}
	t.Logf("%d of %d calls were ended for want of patience", slow, len(calls))
	assert.Positive(t, slow)
	for code, want := range map[string]error{calls[0]: script.ErrEndless,
		"'a'.repeat(1e7).indexOf('a'.repeat(5e6) + 'b')": script.ErrStuck, "for (;;);": script.ErrEndless} {
		assert.ErrorIs(t, end(code, func() {}, context.Background(), 2*time.Minute), want, code)
	}
}

// What scripts do to their built-ins is nothing to the environment's, and what goes between them belongs to both.
func TestRealms(t *testing.T) {
	e, err := New()
	require.NoError(t, err)
	t.Cleanup(e.Close)
	code, err := e.Compile(`(function (global) {
		global.make = { list: () => [3, 1, 2].sort().map((n) => n + 1).join(), promise: async () => 1, fails: () => null.x, late: async () => null.x, buffer: () => new Uint8Array(2).buffer };
		return (op, x) => global.eval(x); })`)
	require.NoError(t, err)
	require.NoError(t, e.Install(code))
	for _, c := range [][2]any{
		{"Array.prototype.sort = Array.prototype.map = null; Object.prototype.toJSON = () => 1; make.list()", "2,3,4"},
		{"make.promise() instanceof Promise && make.promise().constructor === Promise", true},
		{"(async () => { globalThis.order = ''; make.promise().then(() => { order += 'a' }); Promise.resolve().then(() " +
			"=> { order += 'b' }); await make.promise(); order += 'c' })(); 0", 0},
		{"order", "abc"},
		{"try { make.fails() } catch (e) { e instanceof TypeError && e.constructor === TypeError }", true},
		{"make.late().catch((e) => { globalThis.late = e instanceof TypeError }); 0", 0},
		{"late", true},
		{"make.buffer() instanceof ArrayBuffer", true},
	} {
		got, err := e.Call("eval", c[0])
		require.NoError(t, err, c[0])
		assert.Equal(t, c[1], got, c[0])
	}
}

// A panic of the host ends the engine with an error that holds the stack, and nothing of what the panic said.
func TestPanic(t *testing.T) {
	e := engine(t, func([]any) (any, error) { panic("the tides of the Orrin Isles") })
	for range 2 {
		_, err := e.Call("eval", "try { host() } catch {}")
		var c *crash.Crash
		require.ErrorAs(t, err, &c)
		assert.True(t, script.Fatal(err))
		assert.True(t, e.Broken())
		assert.Equal(t, "string", c.What)
		assert.Contains(t, string(c.Stack), "TestPanic")
		assert.NotContains(t, string(c.Stack), "tides")
	}
}

func TestModules(t *testing.T) {
	e := engine(t, nil)
	texts := map[string]string{"/a.js": "import { b } from './b.js'; globalThis.sum = b + 1;",
		"/b.js": "export const b = 41;", "/bad.js": "import './none.js'"}
	e.modules = script.Modules{
		Normalize: func(base, name string) (string, error) {
			return "/" + strings.TrimPrefix(strings.TrimPrefix(name, "./"), "/"), nil
		},
		Load: func(url string) (string, error) {
			if text, ok := texts[url]; ok {
				return text, nil
			}
			return "", errors.New("no module " + url)
		},
	}
	// Where a script stands is known only of those with a name.
	require.NoError(t, e.Eval("import('/a.js').then(() => {}, (e) => { globalThis.sum = e })", "/main.js"))
	_, _ = e.Call("same", 0)
	got, _ := e.Call("eval", "sum")
	assert.Equal(t, 42, got)
	require.NoError(t, e.Eval("import('/bad.js').catch((e) => { globalThis.why = e.message })", "/main.js"))
	_, err := e.Call("same", 0) // the microtasks run
	require.NoError(t, err)
	got, _ = e.Call("eval", "why")
	assert.Contains(t, got, "no module /none.js")
}

// Engines in one memory hold each other's objects, have built-ins of their own, and go when their machine goes back.
func TestBeside(t *testing.T) {
	e, err := New()
	require.NoError(t, err)
	t.Cleanup(e.Close)
	const environment = `(function (global, host, kin) {
		kin.list ??= [];
		kin.list.push(global);
		global.others = kin.list;
		global.say = (x) => host(x);
		return (op, x) => op === 'eval' ? global.eval(x) : global.eval('typeof told === "function" && told("' + op + '")'); })`
	code, err := e.Compile(environment)
	require.NoError(t, err)
	require.NoError(t, e.Install(code))
	told := func(name string) script.Host {
		return func(args []any) (any, error) { return name + args[0].(string), nil }
	}
	start := e.Mark()
	for range 2 {
		e.Surround(script.Surroundings{Host: told("first ")})
		eval := func(in script.Engine, text string) any {
			t.Helper()
			got, err := in.Call("eval", text)
			require.NoError(t, err, text)
			return got
		}
		inner, err := e.Beside(code, false)
		require.NoError(t, err)
		inner.Surround(script.Surroundings{Host: told("second ")})
		eval(inner, "var mine = [1, 2]; globalThis.self = this; 0")
		eval(e, "globalThis.held = others[1]; 0")
		for _, c := range [][2]any{
			{"others.length", 2},
			{"held.mine.length", 2},
			{"held.mine instanceof Array", false},
			{"held.mine instanceof held.Array", true},
			{"held.say('x')", "second x"},
			{"say('x')", "first x"},
			{"held.eval('this') === held", true},
		} {
			assert.Equal(t, c[1], eval(e, c[0].(string)), c[0])
		}
		// Microtasks of one wait for the end of the call of the other.
		e.Surround(script.Surroundings{Host: func([]any) (any, error) {
			return inner.Call("eval", "Promise.resolve().then(() => { globalThis.late = true }); typeof late")
		}})
		assert.Equal(t, "undefined undefined", eval(e, "`${say('')} ${typeof held.late}`"))
		assert.Equal(t, true, eval(inner, "late"))
		// A rejection is told to the realm that it happened in.
		eval(inner, "globalThis.told = (what) => { globalThis.heard = what }; Promise.reject(1); 0")
		assert.Equal(t, "rejected", eval(e, "held.heard"))
		// The next window takes the object over, and what was in it before goes on by itself.
		eval(e, "globalThis.old = held.eval('() => mine.length'); 0")
		next, err := inner.(*Engine).Beside(code, true)
		require.NoError(t, err)
		for _, c := range [][2]any{
			{"held === others[2]", true},
			{"typeof held.mine", "undefined"},
			{"held.globalThis === held", true},
			{"held.eval('var later = 5; globalThis.later + later')", 10},
		} {
			assert.Equal(t, c[1], eval(e, c[0].(string)), c[0])
		}
		assert.Equal(t, 2, eval(e, "old()"))
		inner.Close()
		assert.Equal(t, 5, eval(next, "later"))
		eval(e, "others.length = 1; held = old = null; 0")
		next.Close()
		assert.Equal(t, 1, eval(e, "others.length"))
		e.Rewind(start)
	}
}
