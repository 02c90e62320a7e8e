package conformance

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"runtime"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/crash"
	"tachyform/internal/driver/chromium"
	"tachyform/internal/site"
	"tachyform/internal/useragent"
	"tachyform/internal/useragent/account"
)

// patchedHost answers with the page that patches one built-in and then uses many.
type patchedHost struct{}

func (patchedHost) Origin() string { return "http://127.0.0.1:8097" }

func patchedFile(path string) (kind string, body []byte) {
	switch path {
	case "/page.html":
		body, _ = os.ReadFile("testdata/patched/page.html")
		return "text/html", body
	case "/data.json":
		return "application/json", []byte(`{"tides": [1, 2]}`)
	case "/":
		return "text/html", []byte("<!doctype html><title>Patched</title>")
	}
	return "text/plain", nil
}

func (patchedHost) Answer(_ context.Context, r *site.Request) (*site.Response, error) {
	kind, body := patchedFile(r.URL.Pathname())
	status := 200
	if body == nil {
		status = 404
	}
	return &site.Response{Status: status, StatusText: http.StatusText(status), Header: http.Header{"Content-Type": {kind}}, Body: site.Bytes(body)}, nil
}

// patchedHere opens the page with a variant: how and what, as "patch Array.prototype.push".
func patchedHere(variant string) (text string, crashes []*crash.Crash) {
	log := &crash.Log{}
	b := useragent.New(crash.WithLog(context.Background(), log), []site.Host{patchedHost{}}, useragent.Options{})
	defer b.Close()
	b.Listen(func(n account.Note) {
		if said, is := strings.CutPrefix(n.Text, "PATCHED"); is && text == "" {
			text = said
		}
	})
	b.Open(patchedHost{}.Origin()+"/page.html?"+strings.ReplaceAll(url.QueryEscape(variant), "+", "%20"), nil)
	b.Pass(4 * time.Second)
	return text, log.All()
}

const patchedRecord = "testdata/patched/chromium.json"

// patchedAnswers are what Chromium showed: Plain with nothing patched, Other by variant where that differs. Variants lists
// all that were tried.
type patchedAnswers struct {
	Plain    string
	Other    map[string]string
	Variants []string
}

// After a page has changed one built-in, the environment goes on as a browser does: it calls none that a page may have
// changed, but where the standards have it. A sample is tried in each run, all of it with TACHYFORM_FULL=1.
func TestPatchedBuiltIns(t *testing.T) {
	text, err := os.ReadFile(patchedRecord)
	require.NoError(t, err)
	var want patchedAnswers
	require.NoError(t, json.Unmarshal(text, &want))
	plain, _ := patchedHere("none")
	require.Equal(t, want.Plain, plain)
	step, known := 23, readDifferences(t, "patched")
	if full {
		step = 1
	}
	var tried []string
	for i := 0; i < len(want.Variants); i += step {
		tried = append(tried, want.Variants[i])
	}
	got := make([]string, len(tried))
	var mu sync.Mutex
	crash.Each(len(tried), func(i int) {
		said, crashes := patchedHere(tried[i])
		mu.Lock()
		defer mu.Unlock()
		got[i] = said
		for _, c := range crashes {
			t.Errorf("%s: %s\n%s", tried[i], c.What, c.Stack)
		}
	})
	agreed := 0
	for i, variant := range tried {
		expected, differs := want.Other[variant]
		if !differs {
			expected = want.Plain
		}
		// A browser that was busy did not come to the end: the steps before say enough. What it does not have is no question.
		said, _, cut := strings.Cut(expected, "UNFINISHED")
		if got[i] == expected || cut && strings.HasPrefix(got[i], said) || strings.HasPrefix(expected, "unpatchable") {
			agreed++
			continue
		}
		known.note(variant)
		if !known.known[variant] {
			t.Log(difference(expected, got[i]))
		}
	}
	known.end(func(name string) bool { return slices.Contains(tried, name) })
	t.Logf("%d of %d as in Chromium", agreed, len(tried))
}

// difference lists the steps in which two texts differ.
func difference(want, got string) string {
	var out []string
	a, b := strings.Fields(want), strings.Fields(got)
	for i := range max(len(a), len(b)) {
		x, y := "", ""
		if i < len(a) {
			x = a[i]
		}
		if i < len(b) {
			y = b[i]
		}
		if x != y {
			out = append(out, fmt.Sprintf("browser %q, here %q", x, y))
		}
	}
	return strings.Join(out[:min(4, len(out))], "; ")
}

// builtIns lists the built-ins that pages find here: methods and attributes of interfaces and of the language.
const builtIns = `const out = []; for (const name of Object.getOwnPropertyNames(window)) { if (/^[0-9]|^on|^webkit/.test(name)) continue; let v; try { v = window[name]; } catch { continue; }
 if (typeof v !== 'function' && typeof v !== 'object' || v === null || v === window) continue;
 if (typeof v === 'function') out.push(name);
 for (const [holder, path] of [[v, name], [typeof v === 'function' ? v.prototype : null, name + '.prototype']]) { if (!holder || typeof holder !== 'object' && typeof holder !== 'function') continue;
  for (const key of Object.getOwnPropertyNames(holder)) { if (/^on|^constructor$|^length$|^name$|^prototype$|^(arguments|caller)$/.test(key) || key.includes('.')) continue; const d = Object.getOwnPropertyDescriptor(holder, key); if (d && (d.get || d.set || typeof d.value === 'function')) out.push(path + '.' + key); } } }
 console.log('BUILTINS' + JSON.stringify(out));`

// TestRecordPatched records what Chromium shows, with TACHYFORM_RECORD=1.
func TestRecordPatched(t *testing.T) {
	if os.Getenv("TACHYFORM_RECORD") == "" {
		t.Skip("records only with TACHYFORM_RECORD=1")
	}
	var names []string
	b := useragent.New(context.Background(), []site.Host{scriptHost(builtIns)}, useragent.Options{})
	defer b.Close()
	b.Listen(func(n account.Note) {
		if list, is := strings.CutPrefix(n.Text, "BUILTINS"); is {
			assert.NoError(t, json.Unmarshal([]byte(list), &names))
		}
	})
	b.Open(scriptHost("").Origin()+"/", nil)
	b.Settle()
	require.Greater(t, len(names), 1000)
	slices.Sort(names)
	var variants []string
	frozen := map[string]bool{}
	for _, name := range names {
		variants = append(variants, "patch "+name, "delete "+name)
		if holder, _, is := cutLast(name, "."); is && !frozen[holder] {
			frozen[holder] = true
			variants = append(variants, "freeze "+name)
		}
	}
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		kind, body := patchedFile(r.URL.Path)
		w.Header().Set("Content-Type", kind)
		if body == nil {
			w.WriteHeader(404)
		}
		_, _ = w.Write(body)
	}))
	defer server.Close()
	c, err := chromium.Start(context.Background())
	require.NoError(t, err)
	defer c.Close()
	answers := patchedAnswers{Other: map[string]string{}, Variants: variants}
	all := append([]string{"none"}, variants...)
	for from := 0; from < len(all); from += 40 {
		part, _ := json.Marshal(all[from:min(from+40, len(all))])
		said, err := c.Evaluate(server.URL+"/", `(async () => { const list = `+string(part)+`, out = {}, waiting = new Map(); let next = 0;
 addEventListener('message', (e) => { waiting.get(e.data.name)?.(e.data.text); });
 const one = async () => { while (next < list.length) { const name = list[next++], search = '?' + encodeURIComponent(name), f = document.createElement('iframe'); document.body.append(f);
  out[name] = await new Promise((done) => { waiting.set(search, done); f.src = '/page.html' + search; setTimeout(() => done('SILENT'), 4000); }); f.remove(); } };
 await Promise.all([one(), one(), one(), one()]); return JSON.stringify(out); })()`)
		require.NoError(t, err)
		got := map[string]string{}
		require.NoError(t, json.Unmarshal([]byte(said), &got))
		for name, text := range got {
			if name == "none" {
				answers.Plain = text
			} else if text != answers.Plain {
				answers.Other[name] = text
			}
		}
		t.Logf("%d of %d", from, len(all))
	}
	out, err := json.MarshalIndent(answers, "", " ")
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(patchedRecord, append(out, '\n'), 0o644))
	runtime.KeepAlive(c)
}

func cutLast(s, sep string) (before, after string, found bool) {
	i := strings.LastIndex(s, sep)
	if i < 0 {
		return s, "", false
	}
	return s[:i], s[i+len(sep):], true
}

// scriptHost answers with a page that runs a script.
type scriptHost string

func (scriptHost) Origin() string { return "http://127.0.0.1:8096" }

func (h scriptHost) Answer(_ context.Context, _ *site.Request) (*site.Response, error) {
	return &site.Response{Status: 200, StatusText: "OK", Header: http.Header{"Content-Type": {"text/html"}},
		Body: site.Bytes("<!doctype html><title>Script</title><body><script>" + string(h) + "</script>")}, nil
}
