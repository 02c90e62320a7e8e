package conformance

import (
	"context"
	crand "crypto/rand"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"os"
	"runtime"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/site"
	"tachyform/internal/useragent"
	"tachyform/internal/useragent/account"
)

// treeResult is what came of a sequence of DOM calls, see testdata/trees/sequence.js.
type treeResult struct {
	Shown  string   `json:"shown"`
	Faults []string `json:"faults"`
}

// treePage is a page that carries out sequences.
func treePage(sequences ...[]byte) string {
	program, err := os.ReadFile("testdata/trees/sequence.js")
	if err != nil {
		panic(err)
	}
	var list []string
	for _, s := range sequences {
		list = append(list, `"`+hex.EncodeToString(s)+`"`)
	}
	return "<!doctype html><meta charset=utf-8><title>Trees</title><body><script>" + string(program) + `
const bytesOf = (hex) => (hex.match(/../g) ?? []).map((b) => parseInt(b, 16));
window.results = JSON.stringify([` + strings.Join(list, ",") + `].map((hex) => runSequence(bytesOf(hex))));
console.log('RESULTS' + results);
</script>`
}

type treeHost struct{ page string }

func (treeHost) Origin() string { return "http://127.0.0.1:8098" }

func (h treeHost) Answer(_ context.Context, r *site.Request) (*site.Response, error) {
	if r.URL.Pathname() != "/" {
		return &site.Response{Status: 404}, nil
	}
	return &site.Response{Status: 200, Header: http.Header{"Content-Type": {"text/html"}}, Body: site.Bytes(h.page)}, nil
}

// treesHere carries sequences out in the embedded user agent.
func treesHere(t testing.TB, sequences ...[]byte) (results []treeResult) {
	h := treeHost{treePage(sequences...)}
	b := useragent.New(context.Background(), []site.Host{h}, useragent.Options{})
	defer b.Close()
	b.Listen(func(n account.Note) {
		if text, ok := strings.CutPrefix(n.Text, "RESULTS"); ok {
			require.NoError(t, json.Unmarshal([]byte(text), &results))
		}
	})
	b.Open(h.Origin()+"/", nil)
	require.Len(t, results, len(sequences), "%v", b.Notes())
	return results
}

// treeSequences are some by chance, the same each time.
func treeSequences(n int) (list [][]byte) {
	chance := rand.NewChaCha8([32]byte{15})
	for i := range n {
		s := make([]byte, 60+i%5*60)
		chance.Read(s)
		list = append(list, s)
	}
	return list
}

// TestTreesAtRandom looks for sequences of DOM calls after which a tree is not one any more, or lists and ranges do not fit
// it, for as long as TACHYFORM_TREES says. It is no fuzz target of the go command's, whose counting makes the script engine
// run at a hundredth of its speed.
func TestTreesAtRandom(t *testing.T) {
	how := os.Getenv("TACHYFORM_TREES")
	if how == "" {
		t.Skip("TACHYFORM_TREES is not set; make fuzz sets it")
	}
	long, err := time.ParseDuration(how)
	require.NoError(t, err)
	var seed [32]byte
	_, _ = crand.Read(seed[:])
	chance := rand.NewChaCha8(seed)
	end := time.Now().Add(long)
	var wait sync.WaitGroup
	var tried atomic.Int64
	for range runtime.NumCPU() {
		first := chance.Uint64()
		wait.Add(1)
		go func() {
			defer wait.Done()
			own := rand.New(rand.NewPCG(first, 1))
			for time.Now().Before(end) && !t.Failed() {
				s := make([]byte, 20+own.IntN(500))
				for i := range s {
					s[i] = byte(own.Uint32())
				}
				for _, r := range treesHere(t, s) {
					assert.Empty(t, r.Faults, "%x\n%s", s, r.Shown)
				}
				tried.Add(1)
			}
		}()
	}
	wait.Wait()
	t.Log(tried.Load(), "sequences")
}

// TestTreesAsChromium compares what comes of sequences with a real Chromium.
func TestTreesAsChromium(t *testing.T) {
	sequences := treeSequences(120)
	var here []treeResult
	for i, s := range sequences {
		here = append(here, treesHere(t, s)...) // each in a page of its own, which has so many steps
		assert.Empty(t, here[i].Faults, i)
	}
	c := sharedChromium(t)
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "text/html")
		fmt.Fprint(w, treePage(sequences...))
	}))
	defer server.Close()
	text, err := c.Evaluate(server.URL+"/", "window.results")
	require.NoError(t, err)
	var there []treeResult
	require.NoError(t, json.Unmarshal([]byte(text), &there))
	require.Len(t, there, len(here))
	for i := range there {
		require.Empty(t, there[i].Faults, "the program itself is wrong: %d", i)
		assert.Equal(t, strings.Split(there[i].Shown, "\n"), strings.Split(here[i].Shown, "\n"), i)
	}
}
