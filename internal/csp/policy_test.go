package csp

import (
	"context"
	"encoding/json"
	"net/http"
	"net/http/httptest"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/driver/chromium"
	"tachyform/internal/request"
)

// policyURLs are what a page asks for pictures; HERE is its own origin.
var policyURLs = strings.Fields(`
HERE/p.png HERE/a/p.png HERE/a/b/p.png HERE/A/p.png HERE/a%2Fp.png HERE/a/p.png?x=1
http://line.example/p.png https://line.example/p.png https://line.example/a/p.png https://line.example:8443/p.png http://line.example:8080/p.png http://line.example:80/p.png https://line.example:443/p.png
https://cdn.line.example/p.png https://a.cdn.line.example/p.png https://line.example.evil.example/p.png https://xline.example/p.png http://cdn.line.example/a/p.png
http://127.0.0.1/p.png http://localhost/p.png data:image/gif;base64,R0lGODlhAQABAAAAACwAAAAAAQABAAA= blob:HERE/0a1b ftp://line.example/p.png
`)

// policies are what the page's header says.
var policies = strings.Split(strings.TrimSpace(`
img-src *
img-src 'none'
img-src
img-src 'self'
IMG-SRC 'SELF'
img-src 'none' 'self'
img-src https:
img-src http:
img-src data:
img-src blob: data:
img-src ftp:
img-src * data:
img-src line.example
img-src LINE.example
img-src http://line.example
img-src https://line.example
img-src HTTPS://line.example
img-src https://line.example/
img-src https://line.example/a
img-src https://line.example/a/
img-src https://line.example/p.png
img-src https://line.example/P.png
img-src line.example:*
img-src line.example:8443
img-src https://line.example:8443
img-src http://line.example:80
img-src https://line.example:443
img-src http://line.example:443
img-src line.example:80
img-src *.line.example
img-src https://*.line.example
img-src *.cdn.line.example
img-src *.example
img-src *:8443
img-src https://*
img-src https://*:*
img-src http://*
img-src cdn.*.example
img-src 127.0.0.1
img-src localhost
img-src 127.0.0.1:*
img-src HERE
img-src HERE/a/
img-src HERE/a
img-src HERE/a/p.png
img-src HERE/a%2fp.png
img-src HERE/a?x=1
img-src 'self'/a
default-src 'self'
default-src 'none'; img-src https:
default-src https:; img-src 'none'
img-src https:; img-src 'self'
img-src https:, img-src line.example
img-src https:, default-src 'self'
img-src 'nonce-abc' 'sha256-x' 'unsafe-inline'
script-src 'none'
default-src 'none'; script-src 'self'
connect-src 'none'
img-src https://line.example https://cdn.line.example
img-src //line.example
img-src line.example,
; ;img-src 'self'
img-src	'self'
img-src 'self';;
img-src wss:
img-src https://line.example:port
img-src https://
img-src 'report-sample' 'self'
`), "\n")

const asksForPictures = `(async () => {
  const allowed = [];
  for (const url of %URLS%) {
    let blocked = false;
    const seen = () => { blocked = true; };
    document.addEventListener('securitypolicyviolation', seen);
    await new Promise((ok) => { const i = new Image(); i.onload = i.onerror = ok; i.src = url.replaceAll('HERE', location.origin); setTimeout(ok, 2000); });
    await new Promise((ok) => setTimeout(ok, 10));
    document.removeEventListener('securitypolicyviolation', seen);
    allowed.push(!blocked);
  }
  return JSON.stringify(allowed);
})()`

// Policies let through what they let through in a real Chromium: its answers are kept, and asked anew with
// TACHYFORM_RECORD=1.
func TestPoliciesInChromium(t *testing.T) {
	const kept = "testdata/policies.json"
	if os.Getenv("TACHYFORM_RECORD") != "" {
		said := ""
		server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			w.Header().Set("Content-Type", "text/html")
			w.Header().Set("Content-Security-Policy", strings.ReplaceAll(said, "HERE", "http://"+r.Host))
			_, _ = w.Write([]byte("<!doctype html><title>x</title><link rel=icon href=data:,>"))
		}))
		defer server.Close()
		c, err := chromium.Start(context.Background())
		require.NoError(t, err)
		defer c.Close()
		urls, err := json.Marshal(policyURLs)
		require.NoError(t, err)
		answers := map[string][]bool{}
		for _, said = range policies {
			text, err := c.Evaluate(server.URL, strings.Replace(asksForPictures, "%URLS%", string(urls), 1))
			require.NoError(t, err, said)
			var allowed []bool
			require.NoError(t, json.Unmarshal([]byte(text), &allowed))
			answers[said] = allowed
		}
		text, err := json.Marshal(answers)
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(kept, []byte(strings.ReplaceAll(string(text), "],", "],\n")), 0o644))
	}
	text, err := os.ReadFile(kept)
	require.NoError(t, err)
	var answers map[string][]bool
	require.NoError(t, json.Unmarshal(text, &answers))
	const here = "http://127.0.0.1:4321"
	for _, policy := range policies {
		require.Len(t, answers[policy], len(policyURLs), "ask again with TACHYFORM_RECORD=1: %s", policy)
		p := Parse(here+"/", []string{strings.ReplaceAll(policy, "HERE", here)})
		for i, url := range policyURLs {
			assert.Equal(t, answers[policy][i], p.Allows(Request{Destination: "image", URL: strings.ReplaceAll(url, "HERE", here)}), "%s: %s", policy,
				url)
		}
	}
}

// What a policy says of scripts, workers, frames and inline text (CSP 3, 6.1, 6.7).
func TestPolicyByDestination(t *testing.T) {
	const page, script = "https://line.example/", "https://line.example/a.js"
	for _, c := range []struct {
		policy      string
		destination request.Destination
		url, nonce  string
		allowed     bool
	}{
		{"script-src 'none'", "serviceworker", script, "", false},
		{"child-src 'none'", "serviceworker", script, "", false},
		{"child-src 'self'; script-src 'none'", "serviceworker", script, "", true},
		{"worker-src 'self'; child-src 'none'", "worker", script, "", true},
		{"default-src 'none'", "manifest", script, "", false},
		{"default-src 'none'; manifest-src 'self'", "manifest", script, "", true},
		{"default-src 'none'", "document", script, "", true},
		{"child-src 'none'", "iframe", script, "", false},
		{"frame-src 'self'; child-src 'none'", "iframe", script, "", true},
		{"connect-src 'none'", "", script, "", false},
		{"media-src 'none'", "video", script, "", false},
		{"object-src 'none'", "embed", script, "", false},
		{"font-src https://other.example", "font", script, "", false},
		{"script-src-elem 'none'; script-src 'self'", "script", script, "", false},
		{"script-src 'nonce-abc'", "script", script, "abc", true},
		{"script-src 'nonce-abc'", "script", script, "abd", false},
		{"script-src 'NONCE-abc'", "script", script, "abc", true},
		{"script-src 'nonce-abc'", "script", script, "ABC", false},
		{"script-src 'strict-dynamic' 'self'", "worker", script, "", true},
		{"style-src 'nonce-abc'", "style", script, "abc", true},
		{"img-src 'nonce-abc'", "image", script, "abc", false},
		{"", "script", script, "", true},
		{"script-src 'self'", "script", "no url", "", false},
	} {
		assert.Equal(t, c.allowed, Parse(page, []string{c.policy}).Allows(Request{Destination: c.destination, URL: c.url, Nonce: c.nonce}), "%s for %s",
			c.policy, c.destination)
	}
	for _, c := range []struct {
		policy  string
		asked   Request
		allowed bool
	}{
		{"script-src 'strict-dynamic' 'self'", Request{Destination: "script", URL: script, ParserInserted: true}, false},
		{"script-src 'strict-dynamic' 'self'", Request{Destination: "script", URL: script}, true},
		{"script-src 'nonce-abc' 'strict-dynamic'", Request{Destination: "script", URL: script, ParserInserted: true, Nonce: "abc"}, true},
		{"img-src https://line.example/b/", Request{Destination: "image", URL: script}, false},
		{"img-src https://line.example/b/", Request{Destination: "image", URL: script, Redirected: true}, true},
		{"img-src https://other.example/", Request{Destination: "image", URL: script, Redirected: true}, false},
	} {
		assert.Equal(t, c.allowed, Parse(page, []string{c.policy}).Allows(c.asked), "%s: %+v", c.policy, c.asked)
	}
	for policy, want := range map[string]bool{
		"frame-ancestors 'self'": false, "frame-ancestors https://*.example": true, "frame-ancestors 'none'": false,
		"frame-ancestors https://harbour.example": true, "default-src 'none'": true,
	} {
		assert.Equal(t, want, MayFrame(page, policy, "", "https://harbour.example/x"), policy)
	}
	for options, want := range map[string][2]bool{"DENY": {false, false}, "SameOrigin": {true, false}, "": {true, true},
		"allow-from https://x.example": {true, true}} {
		assert.Equal(t, want, [2]bool{MayFrame(page, "", options, page),
			MayFrame(page, "", options, "https://harbour.example/")}, options)
	}
	assert.True(t, MayFrame(page, "frame-ancestors https://harbour.example", "DENY", "https://harbour.example/"),
		"the older header does not count beside it")
	for header, want := range map[string][2]bool{"sandbox": {true, true}, "sandbox allow-scripts": {true, false},
		"SANDBOX Allow-Same-Origin": {false, true}, "img-src *": {false,
			false}, "img-src *, sandbox allow-scripts allow-same-origin": {false, false}} {
		opaque, scriptless := Sandbox(header)
		assert.Equal(t, want, [2]bool{opaque, scriptless}, header)
	}
}
