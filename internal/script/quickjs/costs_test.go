package quickjs

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/script"
)

// evaluator is an engine whose calls evaluate scripts.
func evaluator(t *testing.T) *Engine {
	t.Helper()
	e, err := New()
	require.NoError(t, err)
	t.Cleanup(e.Close)
	code, err := e.Compile("(function (global, host) { return (text) => `${(0, global.eval)(text)}`; })")
	require.NoError(t, err)
	require.NoError(t, e.Install(code))
	return e
}

// Built-in functions are charged by what they walk through, and those that would never end are refused.
func TestCosts(t *testing.T) {
	if script.Slower > 1 {
		t.Skip("one goroutine, and slow under the race detector")
	}
	const big = "var big = new Array(1e6).fill(0), text = 'x'.repeat(1e6), typed = new Uint8Array(1e6), o = Object.fromEntries(big.slice(0, 1e5).map((_, i) => ['k' + i, i]));"
	e := evaluator(t)
	_, err := e.Call(big)
	require.NoError(t, err)
	for code, atLeast := range map[string]int{
		"big.indexOf(1)": 60_000, "big.includes(1)": 60_000, "big.lastIndexOf(1)": 60_000, "[].concat(big).length": 15_000, "big.slice().length": 15_000,
		"big.join('').length": 60_000, "typed.indexOf(1)": 15_000, "typed.slice().length": 900, "new Set(big).size": 60_000, "text.indexOf('y')": 15_000,
		"text.split('y').length": 15_000, "/y/.test(text)": 15_000, "text.replaceAll('y', 'z').length": 15_000, "JSON.stringify(text).length": 15_000,
		"JSON.parse('\"' + text + '\"').length": 15_000, "Object.keys(o).length": 6_000, "Array.from(big).length": 60_000, "text.toUpperCase().length": 15_000,
		"encodeURIComponent(text).length": 15_000, "big.unshift(1), big.shift()": 30_000, "typed.buffer.slice().byteLength": 900, "Math.max.apply(null, big.slice(0, 6e4))": 3_000,
		"Object.assign({}, o).k1": 6_000, "new Map(Object.entries(o)).size": 6_000, "typed.set(typed)": 1_800,
	} {
		_, err := e.Call(code)
		require.NoError(t, err, code)
		assert.GreaterOrEqual(t, e.Used(), atLeast, code)
		assert.Less(t, e.Used(), 30*atLeast+20_000, code)
	}
	_, err = e.Call("[1, 2].indexOf(2) + 'x'.indexOf('x') + [1].map((x) => x).length")
	require.NoError(t, err)
	assert.Zero(t, e.Used(), "small inputs cost nothing")
}

func TestEndlessBuiltIns(t *testing.T) {
	if script.Slower > 1 {
		t.Skip("one goroutine, and slow under the race detector")
	}
	const endless = "{ length: 2 ** 53 - 1 }"
	for _, code := range []string{
		"Array.prototype.indexOf.call(" + endless + ", 1)", "Array.prototype.lastIndexOf.call(" + endless + ", 1)", "Array.prototype.includes.call(" + endless + ", 1)",
		"Array.prototype.reverse.call(" + endless + ")", "Array.prototype.copyWithin.call(" + endless + ", 0, 1)", "Array.prototype.forEach.call(" + endless + ", () => 0)",
		"const a = []; a.length = 2 ** 32 - 1; a.sort()", "const a = []; a.length = 2 ** 32 - 1; a.forEach(() => 0)", "const a = []; a.length = 2 ** 32 - 1; a.flat(Infinity)",
		"[].concat({ [Symbol.isConcatSpreadable]: true, length: 2 ** 53 - 2 })", "const a = new Array(2e4).fill(0); for (;;) a.indexOf(1)", "const a = 'x'.repeat(1e5); for (;;) a.indexOf('y')",
		"const a = new Array(2e4).fill(0); for (;;) { a.unshift(1); a.length = 2e4; }", "const a = new Array(2e4).fill(0); for (;;) try { a.slice(); } catch {}",
		"const a = new Array(2e4).fill(0); (async () => { for (;;) { await 0; a.includes(1); } })()",
	} {
		e := evaluator(t)
		e.Bound(1_000_000, script.StuckLimit)
		_, err := e.Call("{" + code + "}")
		assert.ErrorIs(t, err, script.ErrEndless, code)
	}
}

// A turn whose steps cost far more than usual ends too, and the engine goes on.
func TestSlowTurns(t *testing.T) {
	if script.Slower > 1 {
		t.Skip("one goroutine, and slow under the race detector")
	}
	e := evaluator(t)
	e.Bound(10_000_000, script.StuckLimit)
	_, err := e.Call("let a = 1; for (;;) { " + strings.Repeat("a = a * 3 % 7; ", 1_000) + "}")
	require.ErrorIs(t, err, script.ErrSlow)
	got, err := e.Call("1 + 1")
	require.NoError(t, err)
	assert.Equal(t, "2", got)
}

// A step of the environment counts for several.
func TestEnvironmentSteps(t *testing.T) {
	e, err := New()
	require.NoError(t, err)
	t.Cleanup(e.Close)
	code, err := e.Compile("(function (global, host) { return (own) => { if (own) for (let i = 0; i < 1e6; i++); else global.eval('for (let i = 0; i < 1e6; i++);'); }; })")
	require.NoError(t, err)
	require.NoError(t, e.Install(code))
	for own, steps := range map[bool]float64{false: 2e6, true: weightOfEnvironment * 2e6} {
		_, err := e.Call(own)
		require.NoError(t, err)
		assert.InEpsilon(t, steps, float64(e.Used()), 0.05)
	}
}
