package environment

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/script"
)

// BenchmarkEngine puts an engine back to where only the environment has run.
func BenchmarkEngine(b *testing.B) {
	for b.Loop() {
		e, err := workerEngines.get()
		require.NoError(b, err)
		workerEngines.put(e)
	}
}

// Binary data crosses unchanged, and scripts see nothing of the way it takes, nor anything of the machine; the next
// worker in the same engine sees nothing of the one before.
func TestCrossing(t *testing.T) {
	for range 3 {
		var got []byte
		e, err := workerEngines.get()
		require.NoError(t, err)
		e.Surround(script.Surroundings{Host: func(args []any) (any, error) {
			switch args[0] {
			case "body.give":
				return []byte{0, 1, 128, 255}, nil
			case "body.take":
				got, _ = args[1].([]byte)
				return 7, nil
			case "eval":
				return nil, e.Eval(args[1].(string), args[2].(string))
			}
			return 0.0, nil
		}})
		said, err := e.Call("script", `new Blob([new Uint8Array([9, 8]).subarray(1)]);
	 for (const name of ['__host', '__crossing', 'std', 'os', 'process', 'require', 'Deno', 'XMLHttpRequest', 'scriptArgs', 'print', 'earlier']) if (name in globalThis) throw new Error(name);
	 globalThis.earlier = true; Array.prototype.push = 1; globalThis.much = 'x'.repeat(1e6).split('')`, "w.js")
		require.NoError(t, err)
		assert.Empty(t, said)
		assert.Equal(t, []byte{8}, got)
		said, err = e.Call("script", "\n\n throw new TypeError('low water')", "https://line.example/w.js")
		require.NoError(t, err)
		assert.Equal(t, "TypeError: low water (w.js:3:21)", said)
		workerEngines.put(e)
	}
}
