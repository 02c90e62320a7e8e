package rehearsal

import (
	"context"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/condition"
	"tachyform/internal/site"
)

// counted is a server on this machine that counts what it is asked.
type counted struct {
	*httptest.Server
	mu    sync.Mutex
	asked []string
}

func serveCounted(t *testing.T, files map[string]string) *counted {
	t.Helper()
	c := &counted{}
	c.Server = httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		c.mu.Lock()
		c.asked = append(c.asked, r.Method+" "+r.URL.RequestURI())
		c.mu.Unlock()
		text, ok := files[r.URL.Path]
		switch {
		case strings.HasPrefix(text, "302 "):
			http.Redirect(w, r, strings.TrimPrefix(text, "302 "), http.StatusFound)
			return
		case !ok:
			http.NotFound(w, r)
			return
		case strings.HasSuffix(r.URL.Path, ".js"):
			w.Header().Set("Content-Type", "text/javascript")
		case strings.HasSuffix(r.URL.Path, ".json"):
			w.Header().Set("Content-Type", "application/json")
		default:
			w.Header().Set("Content-Type", "text/html")
		}
		_, _ = io.WriteString(w, text)
	}))
	t.Cleanup(c.Close)
	return c
}

func (c *counted) all() string {
	c.mu.Lock()
	defer c.mu.Unlock()
	return strings.Join(c.asked, "\n")
}

// Whatever the scripts of a live site do: its host is sent nothing but GET and HEAD, and no other host is asked at all.
func TestLiveSitesAreSpared(t *testing.T) {
	trap := serveCounted(t, map[string]string{"/": "caught"})
	ways := map[string]string{
		"fetch":          `fetch('/orders', { method: 'POST', body: 'x' }).catch(() => {});`,
		"fetch DELETE":   `fetch('/orders/1', { method: 'DELETE' }).catch(() => {});`,
		"fetch later":    `setTimeout(() => fetch('/orders', { method: 'PATCH' }).catch(() => {}), 3000);`,
		"XMLHttpRequest": `const x = new XMLHttpRequest(); x.open('PUT', '/orders'); x.send('x');`,
		"waiting":        `const x = new XMLHttpRequest(); x.open('POST', '/orders', false); try { x.send('x'); } catch {}`,
		"beacon":         `navigator.sendBeacon('/orders', 'x');`,
		"form":           `document.body.innerHTML = '<form method=post action=/orders><input name=a value=1></form>'; document.forms[0].submit();`,
		"clicked form":   `document.body.innerHTML = '<form method=post action=/orders><button>Go</button></form>'; document.querySelector('button').click();`,
		"worker":         `new Worker(URL.createObjectURL(new Blob(["fetch(origin + '/orders', { method: 'POST' }).catch(() => {})"])));`,
		"elsewhere":      `fetch('TRAP/').catch(() => {}); new Image().src = 'TRAP/a.png'; document.head.append(Object.assign(document.createElement('script'), { src: 'TRAP/a.js' }));`,
		"redirect":       `fetch('/away').catch(() => {}); new Image().src = '/away';`,
		"streams":        `new EventSource('TRAP/events'); try { new WebSocket('TRAP/socket'.replace('http', 'ws')); } catch {}`,
		"frame":          `document.body.append(Object.assign(document.createElement('iframe'), { src: 'TRAP/frame' }));`,
		"navigation":     `setTimeout(() => { location.href = 'TRAP/next'; }, 100);`,
		"window":         `window.open('TRAP/window'); document.body.innerHTML = '<a target=_blank href=TRAP/tab>x</a>'; document.querySelector('a').click();`,
	}
	for name, code := range ways {
		t.Run(name, func(t *testing.T) {
			host := serveCounted(t, map[string]string{
				"/":        "<!doctype html><title>Pier</title><p>Sailings</p><script src=/app.js></script>",
				"/app.js":  strings.ReplaceAll(code, "TRAP", trap.URL),
				"/away":    "302 " + trap.URL + "/away",
				"/orders":  "<p>Orders</p>",
				"/next":    "<p>Next</p>",
				"/a.png":   "",
				"/rota/":   "<p>Rota</p>",
				"/private": "<p>Private</p>",
			})
			r := &Rehearsal{Hosts: []site.Host{site.NewLive(host.URL, 0)}, Visit: []string{host.URL + "/"},
				Pages: []string{host.URL + "/"}, Conditions: []condition.Condition{condition.Offline}}
			got, err := r.Run(context.Background())
			require.NoError(t, err)
			for _, line := range strings.Split(host.all(), "\n") {
				method, _, _ := strings.Cut(line, " ")
				assert.Contains(t, []string{"GET", "HEAD"}, method, line)
			}
			assert.Contains(t, host.all(), "GET /app.js", "the script did run")
			if strings.Contains(code, "/orders") && name != "form" && name != "clicked form" {
				assert.NotEmpty(t, got.NotSent)
			}
		})
	}
	assert.Empty(t, trap.all())
}

// Links that scripts draw are followed, as far as they may be; they are not clicked, and robots.txt is heeded.
func TestLiveLinksAreFollowed(t *testing.T) {
	host := serveCounted(t, map[string]string{
		"/": "<!doctype html><title>Pier</title><p>Sailings</p><script src=/app.js></script>",
		"/app.js": `document.body.innerHTML += '<a href=/rota>Rota</a> <a href=/private/x>P</a> <a href=/#/lyra>Lyra</a>' +
			'<a href=/sign-out onclick="fetch(\'/clicked\')">Sign out</a>';
			if (location.pathname === '/rota') document.title = 'Rota';`,
		"/rota":      "<!doctype html><p>Rota</p><a href=/deep>Deep</a>",
		"/deep":      "<!doctype html><p>Deep</p>",
		"/private/x": "<p>Private</p>",
		"/sign-out":  "<p>Signed out</p>",
	})
	r := &Rehearsal{Hosts: []site.Host{site.NewLive(host.URL, 0)}, Visit: []string{host.URL + "/"},
		Pages: []string{host.URL + "/"}, Conditions: []condition.Condition{condition.Offline},
		Follow: &Following{AtMost: 10, Depth: 1, Allows: func(path string) bool {
			return !strings.HasPrefix(path, "/private") && path != "/sign-out"
		}}}
	got, err := r.Run(context.Background())
	require.NoError(t, err)
	var found []string
	for _, p := range got.Pages {
		found = append(found, strings.TrimPrefix(p.URL, host.URL))
	}
	assert.Equal(t, []string{"/", "/rota", "/#/lyra"}, found)
	assert.NotContains(t, host.all(), "/private/x")
	assert.NotContains(t, host.all(), "/sign-out")
	assert.NotContains(t, host.all(), "/clicked")
}

// A stream of events goes on for ever; nobody waits for it, and what depends on it is not known.
func TestLiveStreamsAreNotListenedTo(t *testing.T) {
	var streams atomic.Int32
	host := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path != "/live" {
			w.Header().Set("Content-Type", "text/html")
			_, _ = io.WriteString(w, `<!doctype html><title>Gauge</title><p>Gauge</p><script>new EventSource('/live').onmessage = (e) => document.body.append(e.data);</script>`)
			return
		}
		streams.Add(1)
		w.Header().Set("Content-Type", "text/event-stream")
		w.WriteHeader(http.StatusOK)
		w.(http.Flusher).Flush()
		<-r.Context().Done()
	}))
	defer host.Close()
	r := &Rehearsal{Hosts: []site.Host{site.NewLive(host.URL, time.Hour)}, Visit: []string{host.URL + "/"},
		Pages: []string{host.URL + "/"}, Conditions: []condition.Condition{condition.Online}}
	got, err := r.Run(context.Background())
	require.NoError(t, err)
	assert.Positive(t, streams.Load())
	assert.Less(t, streams.Load(), int32(10))
	d := got.Pages[0].Under["online"].Doubt
	require.NotNil(t, d)
	assert.Contains(t, d.Gap, "EventSource")
}
