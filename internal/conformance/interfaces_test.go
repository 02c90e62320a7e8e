package conformance

import (
	"context"
	"encoding/json"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	whatwg "github.com/nlnwa/whatwg-url/url"
	"github.com/stretchr/testify/require"

	"tachyform/internal/driver/chromium"
	"tachyform/internal/site"
)

// interfaceSets are the interface descriptions that a service worker sees something of, each with those it builds on
// and objects to try.
var interfaceSets = []struct{ spec, deps, objects string }{
	{"service-workers", "dom html push-api fetch",
		`ServiceWorkerGlobalScope: ['self'], ServiceWorkerRegistration: ['registration'], ServiceWorker: ['self.serviceWorker'], Clients: ['clients'], CacheStorage: ['caches'], Cache: ['self.cacheObject'], NavigationPreloadManager: ['registration.navigationPreload'], ExtendableEvent: ["new ExtendableEvent('x')"], ExtendableMessageEvent: ["new ExtendableMessageEvent('x')"], FetchEvent: ["new FetchEvent('x', {request: new Request('/x')})"]`},
	{"dom", "html", `Event: ["new Event('x')"], CustomEvent: ["new CustomEvent('x')"], EventTarget: ['new EventTarget()'], AbortController: ['new AbortController()'], AbortSignal: ['new AbortController().signal']`},
	{"streams", "dom", `ReadableStream: ['new ReadableStream()'], WritableStream: ['new WritableStream()'], TransformStream: ['new TransformStream()'], ReadableStreamDefaultReader: ['new ReadableStream().getReader()'], ReadableStreamBYOBReader: ["new ReadableStream({type: 'bytes'}).getReader({mode: 'byob'})"], WritableStreamDefaultWriter: ['new WritableStream().getWriter()'], ByteLengthQueuingStrategy: ['new ByteLengthQueuingStrategy({highWaterMark: 1})'], CountQueuingStrategy: ['new CountQueuingStrategy({highWaterMark: 1})']`},
	{"encoding", "streams dom", `TextEncoder: ['new TextEncoder()'], TextDecoder: ['new TextDecoder()'], TextEncoderStream: ['new TextEncoderStream()'], TextDecoderStream: ['new TextDecoderStream()']`},
	{"compression", "streams dom", `CompressionStream: ["new CompressionStream('gzip')"], DecompressionStream: ["new DecompressionStream('gzip')"]`},
	{"url", "", `URL: ["new URL('https://pier.example/')"], URLSearchParams: ["new URLSearchParams('a=1')"]`},
	{"urlpattern", "", `URLPattern: ["new URLPattern({pathname: '/*'})"]`},
	{"FileAPI", "dom html url", `Blob: ['new Blob()'], File: ["new File([], 'x')"], FileReader: ['new FileReader()']`},
	{"fetch", "referrer-policy html dom", `Headers: ['new Headers()'], Request: ["new Request('about:blank')"], Response: ['new Response()']`},
	{"xhr", "dom html", `FormData: ['new FormData()'], ProgressEvent: ["new ProgressEvent('x')"]`},
	{"push-api", "service-workers html dom",
		`PushManager: ['registration.pushManager'], PushEvent: ["new PushEvent('x', {data: 'x'})"], PushMessageData: ["new PushEvent('x', {data: 'x'}).data"]`},
	{"hr-time", "html dom", `Performance: ['performance']`},
	{"html", "dom fetch", `WorkerLocation: ['location'], WorkerNavigator: ['navigator'], MessageChannel: ['new MessageChannel()'], MessagePort: ['new MessageChannel().port1'], BroadcastChannel: ["new BroadcastChannel('x')"], MessageEvent: ["new MessageEvent('x')"], ErrorEvent: ["new ErrorEvent('x')"], PromiseRejectionEvent: ["new PromiseRejectionEvent('x', {promise: Promise.resolve()})"]`},
	{"webidl", "", `DOMException: ['new DOMException()']`},
	{"console", "", ``},
}

// canvas are interfaces that draw pictures, which nothing here does.
var canvas = regexp.MustCompile(`^(Offscreen|Canvas|Path2D|Image|TextMetrics|WorkerGlobalScope interface: .*[cC]reateImageBitmap)`)

// builtOn is what these two refer to in descriptions that are not there.
const builtOn = `dictionary PermissionDescriptor { DOMString name; }; interface mixin LinkStyle {}; interface mixin ElementCSSInlineStyle {}; interface mixin GlobalCrypto {}; interface mixin ARIAMixin {}; interface mixin Region {}; interface mixin SVGURIReference {}; [Exposed=(Window,Worker)] interface PerformanceEntry {}; [Exposed=Window] interface UIEvent : Event {}; [Exposed=Window] interface MouseEvent : UIEvent {}; dictionary MouseEventInit {};`

// interfaceScript is a worker that checks a set.
func interfaceScript(spec, deps, objects string) string {
	list, _ := json.Marshal(strings.Fields(deps))
	more := ""
	if spec == "html" || spec == "push-api" {
		more = "a.add_untested_idls('" + builtOn + "'); "
	}
	return wptPrelude + "importScripts('/resources/testharness.js', '/resources/WebIDLParser.js', " +
		"'/resources/idlharness.js');\n" +
		"idl_test(['" + spec + "'], " + string(list) + ", async (a) => { self.cacheObject = await caches.open('x'); " + more +
		"a.add_objects({" + objects + "}); });\ndone();\n"
}

// TestInterfaces checks every member of the interfaces that service workers see: that it is there as described, and
// that it does nothing on an object of another kind. What counts is what Chromium passes (testdata/interfaces.json,
// written with TACHYFORM_RECORD=1).
func TestInterfaces(t *testing.T) {
	dir := os.Getenv("TACHYFORM_WPT")
	if dir == "" {
		dir = "../../../shared/wpt"
	}
	if _, err := os.Stat(filepath.Join(dir, "interfaces")); err != nil {
		t.Skip("SKIPPED: no interface descriptions at " + dir + "; set TACHYFORM_WPT")
	}
	const recorded = "testdata/interfaces.json"
	if os.Getenv("TACHYFORM_RECORD") != "" {
		recordInterfaces(t, dir, recorded)
	}
	text, err := os.ReadFile(recorded)
	require.NoError(t, err)
	var baseline map[string][]string
	require.NoError(t, json.Unmarshal(text, &baseline))
	all, passed := 0, 0
	for i, set := range interfaceSets {
		if !sampled(i, 3) {
			continue
		}
		report, notes := runWPTScript(dir, wptOrigin+"/interfaces-"+set.spec+".js", "classic",
			interfaceScript(set.spec, set.deps, set.objects), true)
		if report == nil {
			for _, n := range notes {
				t.Logf("%s: %s %s", set.spec, n.Level, n.Text)
			}
		}
		got, why := map[string]bool{}, map[string]string{}
		if report != nil {
			for _, x := range report.Tests {
				got[x.Name], why[x.Name] = x.Status == 0, x.Message
			}
		}
		n := 0
		for _, name := range baseline[set.spec] {
			if got[name] {
				n++
			} else if os.Getenv("TACHYFORM_WPT_ONLY") == set.spec {
				t.Logf("   FAIL %s: %s", name, why[name])
			}
		}
		t.Logf("%s %d/%d", set.spec, n, len(baseline[set.spec]))
		all, passed = all+len(baseline[set.spec]), passed+n
	}
	t.Logf("sum %d/%d", passed, all)
	require.GreaterOrEqual(t, passed*100, all*97)
}

// recordInterfaces writes down what a real Chromium passes.
func recordInterfaces(t *testing.T, dir, to string) {
	var origin string
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		for _, set := range interfaceSets {
			if r.URL.Path == "/interfaces-"+set.spec+".js" {
				w.Header().Set("Content-Type", "text/javascript")
				_, _ = w.Write([]byte(strings.Replace(interfaceScript(set.spec, set.deps, set.objects), "\nidl_test(", `
add_completion_callback((tests) => { self.passed = tests.filter((t) => t.status === 0).map((t) => t.name); });
addEventListener('message', async (e) => { while (!self.passed) await new Promise((ok) => setTimeout(ok, 50)); e.source.postMessage(self.passed); });
idl_test(`, 1)))
				return
			}
		}
		u, _ := whatwg.Parse(origin + r.URL.RequestURI())
		resp, _ := wptHost{dir: dir, origin: origin}.Answer(context.Background(), &site.Request{Method: "GET", URL: u})
		for k, v := range resp.Header {
			w.Header()[k] = v
		}
		w.WriteHeader(resp.Status)
		body, _ := resp.Body.Bytes()
		_, _ = w.Write(body)
	}))
	defer server.Close()
	origin = strings.Replace(server.URL, "127.0.0.1", "localhost", 1)
	c, err := chromium.Start(context.Background())
	require.NoError(t, err)
	defer c.Close()
	out := map[string][]string{}
	for _, set := range interfaceSets {
		text, err := c.Evaluate(origin+"/", `(async () => {
			const g = await navigator.serviceWorker.register('/interfaces-`+set.spec+`.js', { scope: '/`+set.spec+`/' });
			const w = g.installing ?? g.waiting ?? g.active;
			const told = new Promise((ok) => { navigator.serviceWorker.onmessage = (e) => ok(e.data); });
			navigator.serviceWorker.startMessages();
			w.postMessage('results');
			return JSON.stringify(await told);
		})()`)
		require.NoError(t, err, set.spec)
		var list []string
		require.NoError(t, json.Unmarshal([]byte(text), &list))
		list = slices.DeleteFunc(list, func(name string) bool { return canvas.MatchString(name) })
		slices.Sort(list)
		out[set.spec] = list
		t.Logf("recorded %s: %d", set.spec, len(list))
	}
	text, err := json.MarshalIndent(out, "", " ")
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(to, append(text, '\n'), 0o644))
}
