package conformance

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"net/http"
	"os"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"tachyform/internal/audit"
	"tachyform/internal/project"
	"tachyform/internal/recorded"
	"tachyform/internal/site"
)

func shared(t *testing.T, variable, name string) string {
	dir := os.Getenv(variable)
	if dir == "" {
		dir = "../../../shared/" + name
	}
	if _, err := os.Stat(dir); err != nil {
		t.Skip("SKIPPED: no recorded data at " + dir + "; set " + variable)
	}
	return dir
}

// TestRecordedInstalling compares the verdict for chromium-desktop with what the browser itself said of the recorded
// sites.
func TestRecordedInstalling(t *testing.T) {
	cases, err := filepath.Glob(filepath.Join(shared(t, "TACHYFORM_SITES", "sites"), "*", "case.json"))
	require.NoError(t, err)
	agreed := 0
	for i, path := range cases {
		if !sampled(i, 2) {
			continue
		}
		var want struct{ Installability []string }
		c, hosts, err := recorded.Load(filepath.Dir(path), &want)
		require.NoError(t, err)
		p := project.Default("site")
		p.Addr, p.Origin, p.Audit.Entry, p.Audit.Visit, p.Audit.Pages = c.Base, recorded.Origin, c.Entry, c.Visit, c.Pages
		// The browser was on one machine with its server, whose origin counts as secure.
		r, err := audit.Run(context.Background(),
			audit.Input{Project: p, Name: "site", Host: hosts[0], Folder: hosts[0].(*site.Folder), Others: hosts[1:],
				Trusted: true})
		require.NoError(t, err)
		if v := r.Targets["chromium-desktop"]; v.Installable == (len(want.Installability) == 0) {
			agreed++
		} else {
			t.Errorf("%s: the browser says %v, here %v %v", filepath.Base(filepath.Dir(path)), want.Installability,
				v.Installable, v.Blockers)
		}
	}
	t.Logf("installing agrees on %d of %d sites", agreed, len(cases))
}

// vectorHost is the made-up host of the recorded manifests: /i-N.png is a picture of N by N pixels, /i-WxH.png of W by
// H.
type vectorHost struct {
	origin, manifestPath, text string
	document                   string
}

func (h vectorHost) Origin() string { return h.origin }

var iconName = regexp.MustCompile(`^/(?:app/)?(?:sub/)?i-(\d+)(?:x(\d+))?\.png$`)

func (h vectorHost) Answer(_ context.Context, r *site.Request) (*site.Response, error) {
	answer := func(status int, kind string, body []byte) (*site.Response, error) {
		return &site.Response{Status: status, StatusText: http.StatusText(status),
			Header: http.Header{"Content-Type": {kind}}, Body: site.Bytes(body)}, nil
	}
	path := r.URL.Pathname()
	if m := iconName.FindStringSubmatch(path); m != nil {
		w, _ := strconv.Atoi(m[1])
		height := w
		if m[2] != "" {
			height, _ = strconv.Atoi(m[2])
		}
		img := image.NewNRGBA(image.Rect(0, 0, w, height))
		img.SetNRGBA(0, 0, color.NRGBA{255, 0, 0, 255})
		var b bytes.Buffer
		png.Encode(&b, img)
		return answer(200, "image/png", b.Bytes())
	}
	switch path {
	case h.manifestPath:
		return answer(200, "application/manifest+json", []byte(h.text))
	case "/i.svg":
		return answer(200, "image/svg+xml", []byte(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"/>`))
	case "/page.html":
		return answer(200, "text/html", []byte("<p>"))
	case h.document:
		return answer(200, "text/html", []byte(fmt.Sprintf("<!doctype html><title>x</title><link rel=manifest href=%q>",
			h.manifestPath)))
	}
	return answer(404, "text/plain", []byte("404"))
}

// TestVectorInstalling does the same for manifests recorded one by one.
func TestVectorInstalling(t *testing.T) {
	file, err := os.Open(filepath.Join(shared(t, "TACHYFORM_VECTORS", "vectors"), "chromium-manifest.jsonl"))
	require.NoError(t, err)
	defer file.Close()
	scanner := bufio.NewScanner(file)
	scanner.Buffer(nil, 16<<20)
	all, agreed, number := 0, 0, 0
	for scanner.Scan() {
		var v struct {
			ID, ManifestText, ManifestURL, DocumentURL string
			Chromium                                   struct{ Installability []string }
		}
		require.NoError(t, json.Unmarshal(scanner.Bytes(), &v))
		path := func(u string) string {
			u, _, _ = strings.Cut(u, "?")
			return "/" + strings.SplitN(strings.TrimPrefix(u, "http://"), "/", 2)[1]
		}
		if !strings.HasPrefix(v.ManifestURL, "http://origin/") || !strings.HasPrefix(v.DocumentURL, "http://origin/") {
			continue
		}
		if number++; !sampled(number, 3) {
			continue
		}
		h := vectorHost{"http://origin", path(v.ManifestURL), v.ManifestText, path(v.DocumentURL)}
		other := vectorHost{"http://other", "/none", "", "/none"}
		p := project.Default("site")
		p.Origin, p.Audit.Entry, p.Audit.Visit = h.origin, h.document, []string{h.document}
		r, err := audit.Run(context.Background(), audit.Input{Project: p, Name: "site", Host: h, Others: []site.Host{other},
			Trusted: true})
		require.NoError(t, err)
		all++
		if target := r.Targets["chromium-desktop"]; target.Installable == (len(v.Chromium.Installability) == 0) {
			agreed++
		} else {
			t.Logf("%s: the browser says %v, here %v %v: %.500s", v.ID, v.Chromium.Installability, target.Installable,
				target.Blockers, v.ManifestText)
		}
	}
	require.NoError(t, scanner.Err())
	t.Logf("installing agrees on %d of %d manifests", agreed, all)
	require.GreaterOrEqual(t, agreed*100, all*97, "what was reached before has to hold")
}
