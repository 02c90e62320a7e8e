package conformance

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"image"
	"image/color/palette"
	"image/gif"
	"image/jpeg"
	"image/png"
	"maps"
	"math/rand"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"slices"
	"sort"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/tools/txtar"

	"tachyform/internal/audit"
	"tachyform/internal/project"
	"tachyform/internal/serve"
	"tachyform/internal/site"
)

// testdata/installs.txtar holds variations of one installable site, testdata/installs.json what a real Chromium had
// against installing each. TACHYFORM_RECORD=1 go test ./internal/cli -run 'TestInstalls$' records them anew,
// TACHYFORM_RECORD=missing those without a record.

const plainManifest = `{"name": "Pier", "start_url": "/", "display": "standalone", "icons": [{"src": "/i-192.png", "sizes": "192x192", "type": "image/png"}]}`

// elsewhere is how the other origin answers, below three folders.
const elsewhere = `hosting: {headers: [{match: "/open/*", set: {Access-Control-Allow-Origin: "*"}},
 {match: "/own/*", set: {Cross-Origin-Resource-Policy: same-origin}}, {match: "/every/*", set: {Cross-Origin-Resource-Policy: cross-origin}},
 {match: "/trusting/*", set: {Access-Control-Allow-Origin: "__ORIGIN__", Access-Control-Allow-Credentials: "true"}}]}`

// installCase is one of them, laid out in folders.
type installCase struct {
	project, other *project.Project
	dir, otherDir  string
}

func layInstall(t *testing.T, a *txtar.Archive, name, origin, other string) *installCase {
	fill := func(s string) string { return strings.NewReplacer("__ORIGIN__", origin, "__OTHER__", other).Replace(s) }
	c := &installCase{dir: t.TempDir(), otherDir: t.TempDir()}
	head, settings := `<link rel="manifest" href="/m.json">`, ""
	elsewhereManifest := strings.NewReplacer(`"/"`, `"__ORIGIN__/"`, `"/i-192.png"`,
		`"__ORIGIN__/i-192.png"`).Replace(plainManifest)
	files := map[string]string{"m.json": plainManifest}
	for _, f := range a.Files {
		file, ok := strings.CutPrefix(f.Name, name+"/")
		switch {
		case !ok:
		case file == "case.yaml":
			settings = string(f.Data)
		case file == "head.html":
			head = string(f.Data)
		case file == "page.html":
			files["index.html"] = string(f.Data)
		default:
			files[file] = string(f.Data)
		}
	}
	if files["index.html"] == "" {
		files["index.html"] = "<!doctype html><html lang=\"en\"><head><title>Pier</title>\n" + head +
			"\n</head><body>Pier</body></html>\n"
	}
	write := func(dir, file, text string) {
		path := filepath.Join(dir, filepath.FromSlash(file))
		require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o755))
		require.NoError(t, os.WriteFile(path, []byte(text), 0o644))
	}
	for file, text := range files {
		write(c.dir, file, fill(text))
	}
	for _, folder := range []string{"", "open/", "own/", "trusting/"} {
		write(c.otherDir, folder+"m.json", fill(elsewhereManifest))
	}
	picture := func(name string, w, h int) {
		var b bytes.Buffer
		require.NoError(t, png.Encode(&b, image.NewNRGBA(image.Rect(0, 0, w, h))))
		write(c.dir, name, b.String())
		for _, folder := range []string{"", "own/", "every/"} {
			write(c.otherDir, folder+name, b.String())
		}
	}
	for _, n := range []int{96, 143, 148, 192, 512, 1024, 1100} {
		picture("i-"+strconv.Itoa(n)+".png", n, n)
	}
	picture("wide.png", 300, 150)
	picture("tall.png", 150, 300)
	picture("thin.png", 100, 300)
	noise := image.NewGray(image.Rect(0, 0, 192, 192))
	rand.New(rand.NewSource(1)).Read(noise.Pix)
	var whole, photo bytes.Buffer
	require.NoError(t, png.Encode(&whole, noise))
	require.NoError(t, jpeg.Encode(&photo, noise, nil))
	write(c.dir, "torn.png", whole.String()[:whole.Len()*2/3])
	write(c.dir, "head.png", whole.String()[:40])
	write(c.dir, "torn.jpg", photo.String()[:photo.Len()*2/3])
	spoilt := whole.Bytes()
	spoilt[len(spoilt)-13] ^= 1 // the last byte before the end of the picture's data
	write(c.dir, "false.png", string(spoilt))
	var b bytes.Buffer
	require.NoError(t, gif.Encode(&b, image.NewPaletted(image.Rect(0, 0, 192, 192), palette.Plan9), nil))
	write(c.dir, "one.gif", b.String())
	var err error
	c.project, err = project.Parse(name, []byte(fill(settings)))
	require.NoError(t, err)
	c.other, err = project.Parse("elsewhere", []byte(fill(elsewhere)))
	require.NoError(t, err)
	return c
}

// browserRefuses asks a real browser what it has against installing.
func browserRefuses(t *testing.T, a *txtar.Archive, name string) []string {
	c := startChromium(t)
	defer c.Close()
	var servers [2]*httptest.Server
	var handlers [2]http.Handler
	for i := range servers {
		l, err := net.Listen("tcp", "127.0.0.1:0")
		require.NoError(t, err)
		servers[i] = &httptest.Server{Listener: l,
			Config: &http.Server{Handler: http.HandlerFunc(func(w http.ResponseWriter,
				r *http.Request) {
				handlers[i].ServeHTTP(w, r)
			})}}
	}
	origin, other := "http://"+servers[0].Listener.Addr().String(), "http://"+servers[1].Listener.Addr().String()
	laid := layInstall(t, a, name, origin, other)
	handlers[0] = serve.Handler(laid.dir, origin, laid.project)
	handlers[1] = serve.Handler(laid.otherDir, other, laid.other)
	for _, s := range servers {
		s.Start()
		defer s.Close()
	}
	refusals, err := c.InstallErrors(origin + laid.project.Audit.Entry)
	require.NoError(t, err)
	sort.Strings(refusals)
	return refusals
}

func TestInstalls(t *testing.T) {
	a, err := txtar.ParseFile("testdata/installs.txtar")
	require.NoError(t, err)
	var names []string
	for _, f := range a.Files {
		if name, _, _ := strings.Cut(f.Name, "/"); len(names) == 0 || names[len(names)-1] != name {
			names = append(names, name)
		}
	}
	const kept = "testdata/installs.json"
	text, err := os.ReadFile(kept)
	require.NoError(t, err)
	var said map[string][]string
	require.NoError(t, json.Unmarshal(text, &said))
	if which := os.Getenv("TACHYFORM_RECORD"); which != "" {
		for _, name := range names {
			if _, known := said[name]; !known || which != "missing" {
				said[name] = browserRefuses(t, a, name)
			}
		}
		lines := []string{}
		for _, name := range slices.Sorted(maps.Keys(said)) {
			list, err := json.Marshal(said[name])
			require.NoError(t, err)
			lines = append(lines, fmt.Sprintf(" %q: %s", name, list))
		}
		require.NoError(t, os.WriteFile(kept, []byte("{\n"+strings.Join(lines, ",\n")+"\n}\n"), 0o644))
	}
	for i, name := range names {
		if !sampled(i, 3) {
			continue
		}
		t.Run(name, func(t *testing.T) {
			require.Contains(t, said, name, "TACHYFORM_RECORD=1 records it")
			const origin, other = "http://origin.localhost", "http://other.localhost"
			laid := layInstall(t, a, name, origin, other)
			laid.project.Origin = origin
			own, err := site.OpenFolder(laid.dir, origin, "/", laid.project.Host)
			require.NoError(t, err)
			others, err := site.OpenFolder(laid.otherDir, other, "/", laid.other.Host)
			require.NoError(t, err)
			r, err := audit.Run(context.Background(), audit.Input{Project: laid.project, Name: "site", Host: own, Folder: own,
				Others: []site.Host{others}})
			require.NoError(t, err)
			v := r.Targets["chromium-desktop"]
			assert.Equal(t, len(said[name]) == 0, v.Installable, "the browser says %v, here %v", said[name], v.Blockers)
		})
	}
}
