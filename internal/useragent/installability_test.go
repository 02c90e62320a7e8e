package useragent

import (
	"context"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/site"
)

// gated is a host that shows its pages and its manifest only to who has its cookie, and sends all others to a gate.
type gated struct{ gate string }

func (gated) Origin() string { return "https://line.example" }

func (g gated) Answer(_ context.Context, r *site.Request) (*site.Response, error) {
	inside := strings.Contains(r.Header.Get("Cookie"), "pass=1")
	answer := func(status int, kind, body string) (*site.Response, error) {
		return &site.Response{Status: status, Header: http.Header{"Content-Type": {kind}}, Body: site.Bytes(body)}, nil
	}
	switch path := r.URL.Pathname(); {
	case path == "/gate.html":
		return answer(200, "text/html", "<!doctype html><title>Gate</title><script>"+g.gate+"</script>")
	case path == "/w.js":
		return answer(200, "text/javascript", "addEventListener('fetch', () => {})")
	case path == "/app.webmanifest" && inside:
		return answer(200, "application/manifest+json", `{"name":"Skerry Line"}`)
	case path == "/" && inside:
		return answer(200, "text/html", `<!doctype html><title>Sailings</title><link rel=manifest href=/app.webmanifest crossorigin=use-credentials>`)
	case path == "/":
		return &site.Response{Status: 302, Header: http.Header{"Location": {"/gate.html"}}, Body: site.Bytes("")}, nil
	}
	return answer(403, "text/plain", "no")
}

// A page behind a gate is looked at once the gate has let the visitor through, with the cookie that the gate has set.
func TestGates(t *testing.T) {
	const pass = "document.cookie = 'pass=1; path=/'; location.replace('/');"
	for name, c := range map[string]struct {
		gate, title string
	}{
		"at once":           {pass, "Sailings"},
		"after its worker":  {"navigator.serviceWorker.register('/w.js'); navigator.serviceWorker.ready.then(() => { " + pass + " });", "Sailings"},
		"without a way on":  {"", "Gate"},
		"for a wrong guest": {"document.cookie = 'guest=1; path=/';", "Gate"},
	} {
		i := NewInstaller(context.Background(), []site.Host{gated{c.gate}}, Options{}, nil, "https://line.example/")
		require.NotNil(t, i.Document(), name)
		assert.Equal(t, c.title, i.Page().Title, name)
		with, without := i.Manifest("https://line.example/app.webmanifest", true), i.Manifest("https://line.example/app.webmanifest", false)
		assert.Equal(t, c.title == "Sailings", with.Status == 200, name)
		assert.Equal(t, 403, without.Status, name)
		i.Close()
	}
}
