package useragent

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// BenchmarkEngine starts and ends one script engine with the whole environment.
func BenchmarkEngine(b *testing.B) {
	for b.Loop() {
		e, err := newEngine(func([]any) (any, error) { return 0.0, nil })
		require.NoError(b, err)
		e.close()
	}
}

// Binary data crosses unchanged, and scripts see nothing of the way it takes, nor anything of the machine.
func TestCrossing(t *testing.T) {
	var e *engine
	var got []byte
	e, err := newEngine(func(args []any) (any, error) {
		switch args[0] {
		case "body.give":
			e.giveBytes([]byte{0, 1, 128, 255})
		case "body.take":
			got = e.takeBytes()
			return 7, nil
		case "eval":
			return e.evalScript(args[1].(string), args[2].(string)), nil
		}
		return 0.0, nil
	})
	require.NoError(t, err)
	defer e.close()
	said, err := e.turn("script", `new Blob([new Uint8Array([9, 8]).subarray(1)]);
	 for (const name of ['__host', '__crossing', 'std', 'os', 'process', 'require', 'Deno', 'XMLHttpRequest', 'scriptArgs', 'print']) if (name in globalThis) throw new Error(name);`, "w.js")
	require.NoError(t, err)
	assert.Empty(t, said)
	assert.Equal(t, []byte{8}, got)
	said, err = e.turn("script", "\n\n throw new TypeError('low water')", "https://line.example/w.js")
	require.NoError(t, err)
	assert.Equal(t, "TypeError: low water (w.js:3:21)", said)
}
