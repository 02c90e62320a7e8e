package cli

import (
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/audit"
	"tachyform/internal/driver"
	"tachyform/internal/testsite/demo"
)

func auditJSON(t *testing.T, dir string, args ...string) *audit.Report {
	t.Helper()
	r := run(t, dir, append([]string{"audit", "--format", "json"}, args...)...)
	require.Contains(t, []int{0, 1}, r.status, r.err)
	out := &audit.Report{}
	require.NoError(t, json.Unmarshal([]byte(r.out), out))
	return out
}

// The fitted example behind a real nginx is judged as its folder is.
func TestNginx(t *testing.T) {
	nginx, err := exec.LookPath("nginx")
	if err != nil {
		if nginx = "/usr/sbin/nginx"; func() bool { _, err := os.Stat(nginx); return err != nil }() {
			t.Skip("SKIPPED, NOT PROVEN BEHIND A REAL SERVER: nginx is not installed here")
		}
	}
	dir, p := demo.Fitted(t)
	port, err := driver.FreePort()
	require.NoError(t, err)
	root, err := os.MkdirTemp("", "nginx") // its workers run as another user, who may not look into the test's folder
	require.NoError(t, err)
	defer os.RemoveAll(root)
	require.NoError(t, exec.Command("cp", "-r", p.SiteDir(), root+"/site").Run())
	require.NoError(t, exec.Command("chmod", "-R", "a+rwX", root).Run())
	conf := filepath.Join(root, "nginx.conf")
	require.NoError(t, os.WriteFile(conf, fmt.Appendf(nil, `daemon off; pid %[1]s/pid; error_log %[1]s/error.log; events {}
http {
	types { text/html html; text/css css; text/javascript js; application/json json; image/svg+xml svg; image/png png; image/x-icon ico; application/manifest+json webmanifest; }
	access_log off; client_body_temp_path %[1]s/b; proxy_temp_path %[1]s/p; fastcgi_temp_path %[1]s/f; uwsgi_temp_path %[1]s/u; scgi_temp_path %[1]s/s;
	server { listen 127.0.0.1:%[2]d; root %[1]s/site; add_header Cache-Control no-cache; }
}`, root, port), 0o644))
	running, err := driver.Run(nil, nil, nginx, "-c", conf, "-e", root+"/error.log")
	require.NoError(t, err)
	defer running.End()
	url := fmt.Sprintf("http://127.0.0.1:%d", port)
	for range 50 {
		var resp *http.Response
		if resp, err = http.Get(url); err == nil {
			resp.Body.Close()
			break
		}
		time.Sleep(100 * time.Millisecond)
	}
	if err != nil {
		t.Skip("SKIPPED, NOT PROVEN BEHIND A REAL SERVER: nginx is installed and does not start here: " + err.Error())
	}
	folder, live := auditJSON(t, dir), auditJSON(t, dir, url)
	folder.Summary.Whole, folder.Summary.AfterFirst = live.Summary.Whole, live.Summary.AfterFirst // its links lead to fewer pages
	assert.Equal(t, folder.Summary, live.Summary)
	assert.Equal(t, folder.Targets, live.Targets)
	outcomes := func(r *audit.Report) map[string]string {
		m := map[string]string{}
		for _, p := range r.Pages {
			m[p.URL] = string(p.Under["offline"].Outcome + " " + p.Under["stalled"].Outcome)
		}
		return m
	}
	all := outcomes(folder)
	delete(all, "/offline.html") // no page links to it, so who only follows links does not find it
	assert.Equal(t, all, outcomes(live))
}

// A server that renders its pages and lets members sign in: fit makes the files to upload and the lines for its
// template, and the audit proves them; signed in, the members' page is seen too.
func TestApplicationServer(t *testing.T) {
	dir := t.TempDir()
	uploads := filepath.Join(dir, "uploads")
	lines, renders := "", 0
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		assert.Contains(t, []string{"GET", "HEAD"}, r.Method)
		page := func(title, body string) {
			renders++
			w.Header().Set("Content-Type", "text/html; charset=utf-8")
			w.Header().Set("Cache-Control", "no-cache")
			fmt.Fprintf(w,
				`<!doctype html><html lang="en"><head><meta charset="utf-8"><title>%s</title><link rel="stylesheet" href="/line.css">%s</head><body><h1>%s</h1><p>Rendered for the %dth time, with boats at every pier.</p>%s</body></html>`, title, lines, title, renders, body)
		}
		switch r.URL.Path {
		case "/":
			page("Piers", `<a href="/tides">Tides</a> <a href="/members">Members</a>`)
		case "/tides":
			page("Tides", "")
		case "/away":
			page("Away", "")
		case "/sign-in":
			page("Sign in", "")
		case "/members":
			if c, err := r.Cookie("session"); err != nil || c.Value != "harbour" {
				http.Redirect(w, r, "/sign-in", http.StatusFound)
				return
			}
			w.Header().Set("Cache-Control", "private")
			page("Members", `<a href="/members/rota">Rota</a>`)
		case "/members/rota":
			page("Rota", "")
		case "/line.css":
			w.Header().Set("Content-Type", "text/css")
			fmt.Fprint(w, "h1 { color: navy }")
		default:
			http.FileServer(http.Dir(uploads)).ServeHTTP(w, r)
		}
	}))
	defer server.Close()
	mark, err := os.ReadFile("../../examples/skerry-line/plain/brand/mark.svg")
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "mark.svg"), mark, 0o644))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "tachyform.yaml"), []byte("site: "+server.URL+`
app: {name: Piers, description: Boats and tides., theme_color: "#123456", background_color: "#ffffff"}
icons: {master: mark.svg, backdrop: "#123456"}
worker:
  never: [/members*]
  pack: {pages: [/, /tides]}
  rules: [{match: /*, destination: document, answer: network-first, patience: 2s, keep: {at_most: 9}}]
  stand_ins: {page: /away}
`), 0o644))
	assert.Equal(t, 2, run(t, dir, "fit").status, "a live site is not written to")
	r := run(t, dir, "fit", "--into", "uploads")
	require.Equal(t, 0, r.status, r.err)
	_, pasted, _ := strings.Cut(r.out, "TEMPLATE")
	for line := range strings.Lines(pasted) {
		if line = strings.TrimSpace(line); strings.HasPrefix(line, "<") {
			lines += line
		}
	}
	require.Contains(t, lines, "/register.js")
	for _, name := range []string{"worker.js", "register.js", "site.webmanifest", "icons/any-512.png"} {
		assert.FileExists(t, filepath.Join(uploads, name))
	}
	assert.NoFileExists(t, filepath.Join(uploads, "index.html"))

	live := auditJSON(t, dir)
	assert.Equal(t, "ready", live.Summary.Verdict, "%v", run(t, dir, "audit").out)
	assert.True(t, live.Targets["chromium-android"].Installable)
	outcomes := map[string]string{}
	for _, p := range live.Pages {
		outcomes[p.URL] = string(p.Under["offline"].Outcome)
	}
	assert.Equal(t, "whole", outcomes["/tides"], "a page that the server renders anew each time")
	assert.NotContains(t, outcomes, "/members/rota")

	signedIn := auditJSON(t, dir, "--header", "Cookie: session=harbour")
	var urls []string
	for _, p := range signedIn.Pages {
		urls = append(urls, p.URL)
	}
	assert.Contains(t, urls, "/members/rota")
	r = run(t, dir, "fit", "--into", "again")
	require.Equal(t, 0, r.status, r.err)
	assert.Contains(t, r.out, "worker.js", "pages that come otherwise each time make another release")
	assert.NotContains(t, r.out, "any-512", "what is there already")
}

// A live site that lies elsewhere is not followed there; one that is seen signed in is asked for its stand-in signed
// out as well.
func TestLiveElsewhereAndSignedIn(t *testing.T) {
	elsewhere := httptest.NewServer(http.NotFoundHandler())
	defer elsewhere.Close()
	asked := 0
	elsewhere.Config.Handler = http.HandlerFunc(func(http.ResponseWriter, *http.Request) { asked++ })
	live := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		_, err := r.Cookie("badge")
		switch {
		case r.URL.Path == "/moved":
			http.Redirect(w, r, "/gone", http.StatusFound)
		case r.URL.Path == "/gone":
			http.Redirect(w, r, elsewhere.URL+"/home", http.StatusMovedPermanently)
		case r.URL.Path == "/sign-in":
			fmt.Fprint(w, "<!doctype html><title>Sign in</title>")
		case r.URL.Path == "/w.js":
			w.Header().Set("Content-Type", "text/javascript")
			fmt.Fprint(w, "addEventListener('install', (e) => e.waitUntil(caches.open('a').then((c) => "+
				"c.addAll(['/offline']))));addEventListener('fetch', (e) => e.respondWith(fetch(e.request).catch(() => "+
				"caches.match('/offline'))))")
		case err != nil:
			http.Redirect(w, r, "/sign-in", http.StatusFound)
		default:
			fmt.Fprintf(w, "<!doctype html><title>Rota %s</title><script>navigator.serviceWorker.register('/w.js')</script>",
				r.URL.Path)
		}
	}))
	defer live.Close()
	r := run(t, t.TempDir(), "audit", live.URL+"/moved")
	assert.Equal(t, 3, r.status)
	assert.Contains(t, r.err, "redirects to "+elsewhere.URL+"/home")
	assert.Contains(t, r.err, "→ name that address instead")
	assert.Zero(t, asked, "only the origin that was named is asked")

	report := auditJSON(t, t.TempDir(), live.URL+"/", "--header", "Cookie: badge=1")
	var evidence []string
	for _, f := range report.Findings {
		if f.Code == "offline.signed-out" {
			evidence = append(evidence, f.Evidence)
		}
	}
	assert.Equal(t, []string{"/offline redirects to /sign-in"}, evidence)
}
