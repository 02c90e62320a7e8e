package conformance

import (
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"net/http"
	"net/http/httptest"
	"os"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/driver/chromium"
	"tachyform/internal/site"
	"tachyform/internal/useragent"
	"tachyform/internal/useragent/account"
)

// seenMembers are the names that scripts can see, by kind of realm, then by interface or instance.
type seenMembers map[string]map[string]string

// memberInstances are objects whose own properties are looked at, beside one element of each name.
var memberInstances = struct{ everywhere, windows, workers []string }{
	everywhere: []string{
		"new Event('x')", "new CustomEvent('x')", "new MessageEvent('x')", "new EventTarget()", "new AbortController()", "AbortSignal.abort()",
		"new Headers({a: 'b'})", "new Headers().entries()", "new Request('/x')", "new Response('x')", "Response.error()", "new FormData()", "new Blob(['x'])",
		"new File([], 'x')", "new URL('https://orrin.example/')", "new URLSearchParams('a=b')", "new URLSearchParams().keys()", "new TextEncoder()", "new TextDecoder()",
		"new ReadableStream()", "new ReadableStream().getReader()", "new WritableStream()", "new TransformStream()", "new MessageChannel()", "new MessageChannel().port1",
		"new BroadcastChannel('x')", "new DOMException('x')", "navigator", "location", "performance", "crypto", "crypto.subtle", "caches", "indexedDB", "console",
		"navigator.storage", "navigator.locks", "navigator.permissions", "navigator.connection", "fetch", "Promise.resolve()", "new Error('x')", "new TypeError('x')", "structuredClone({a: 1})", "[]", "(function () {})",
		"(() => {})", "(class {})", "(async () => {})", "(function* () {})", "/x/", "new Map()", "new Proxy({}, {})", "IDBKeyRange.only(1)", "indexedDB.open('x')", "globalThis.performance.now", "new WebSocket('ws://127.0.0.1:9/')",
	},
	windows: []string{
		"document", "document.documentElement", "document.body", "document.body.style", "document.body.dataset", "document.body.classList", "document.body.attributes", "document.body.childNodes",
		"document.body.children", "document.body.getBoundingClientRect()", "document.createTextNode('x')", "document.createComment('x')", "document.createDocumentFragment()", "document.createAttribute('x')",
		"document.createRange()", "getSelection()", "document.createTreeWalker(document)", "document.createNodeIterator(document)", "document.implementation", "document.implementation.createHTMLDocument('')", "document.doctype", "document.styleSheets",
		"document.styleSheets[0]", "document.forms", "document.scripts", "document.fonts", "document.timeline", "getComputedStyle(document.body)", "history", "localStorage", "sessionStorage", "screen", "visualViewport",
		"navigator.serviceWorker", "customElements", "matchMedia('print')", "new DOMParser()", "new XMLSerializer()", "new XMLHttpRequest()", "new MutationObserver(() => {})", "new IntersectionObserver(() => {})", "new ResizeObserver(() => {})", "new DOMRect()",
		"new DOMMatrix()", "new DOMPoint()", "new Image()", "new Option()", "new Audio()", "new MouseEvent('x')", "new KeyboardEvent('x')", "new UIEvent('x')", "new InputEvent('x')", "new FocusEvent('x')", "new PointerEvent('x')", "new ErrorEvent('x')",
		"document.createEvent('Event')", "document.createEvent('MouseEvents')", "new FileReader()", "navigation", "trustedTypes", "new CSSStyleSheet()", "CSS", "document.createElement('div').attachShadow({mode: 'open'})", "document.createElement('canvas').getContext('2d')", "external", "navigator.mediaDevices", "navigator.clipboard",
		"navigator.userAgentData", "speechSynthesis", "cookieStore", "document.createElement('select').options", "document.createElement('table').rows", "document.createElement('form').elements", "document.createElement('input').files", "document.createElement('video').textTracks",
		"document.createElement('a').relList", "document.createElement('input').validity", "document.createElementNS('http://www.w3.org/2000/svg', 'svg')", "document.createElementNS('http://www.w3.org/2000/svg', 'path')", "document.createElementNS('x', 'x')", "window.frames", "document.getElementsByTagName('x')", "document.querySelectorAll('x')", "document.createElement('x-y')",
	},
	workers: []string{"registration", "serviceWorker", "clients", "registration.pushManager", "registration.navigationPreload", "new ExtendableEvent('x')", "new FetchEvent('x', {request: new Request('/x')})", "new ExtendableMessageEvent('x')"},
}

var memberElements = strings.Fields("a abbr address area article aside audio b base bdi bdo blockquote body br button canvas caption cite code col colgroup data datalist dd del details dfn dialog div dl dt em embed fieldset figcaption figure font footer form frame frameset h1 head header hgroup hr html i iframe img input ins kbd label legend li link main map mark marquee menu meta meter nav noscript object ol optgroup option output p param picture pre progress q s samp script search section select slot small source span strong style sub summary sup table tbody td template textarea tfoot th thead time title tr track u ul var video wbr")

// membersElsewhere are members that Chromium has on Windows, macOS and Android, and not on Linux, where the list was recorded.
var membersElsewhere = map[string]string{"Navigator#": "share canShare", "WorkerNavigator#": "setAppBadge clearAppBadge"}

// memberScripts are the files of the page and its workers.
func memberScripts(t *testing.T) map[string]string {
	common, err := os.ReadFile("testdata/members.js")
	require.NoError(t, err)
	list := func(more ...[]string) string {
		text, _ := json.Marshal(slices.Concat(append(more, memberInstances.everywhere)...))
		return string(text)
	}
	elements := make([]string, len(memberElements))
	for i, name := range memberElements {
		elements[i] = fmt.Sprintf("document.createElement('%s')", name)
	}
	return map[string]string{
		"/members.html": "<!doctype html><html lang=en><style>p { color: navy }</style><title>Members</title><body><p>Members</p></body></html>",
		"/service.js":   string(common) + "onmessage = (e) => e.source.postMessage(seenMembers(" + list(memberInstances.workers) + "));",
		"/dedicated.js": string(common) + "postMessage(seenMembers(" + list() + "));",
		"/members.js": string(common) + "var told = (async () => { const window = seenMembers(" + list(memberInstances.windows, elements) + ");" + `
const dedicated = await new Promise((ok) => { new Worker('/dedicated.js').onmessage = (e) => ok(e.data); });
const g = await navigator.serviceWorker.register('/service.js');
const service = await new Promise((ok) => { navigator.serviceWorker.onmessage = (e) => ok(e.data); (g.installing ?? g.waiting ?? g.active).postMessage(''); });
return { window, dedicated, service }; })();`,
	}
}

// memberHost serves them to the embedded user agent.
type memberHost map[string]string

func (memberHost) Origin() string { return "http://127.0.0.1:8098" }

func (h memberHost) Answer(_ context.Context, r *site.Request) (*site.Response, error) {
	status, kind := 200, "text/javascript"
	body, ok := h[r.URL.Pathname()]
	if !ok {
		status = 404
	}
	if strings.HasSuffix(r.URL.Pathname(), ".html") {
		kind = "text/html"
		body += "<script src=/members.js></script><script>told.then((all) => console.log('MEMBERS' + JSON.stringify(all)))</script>"
	}
	return &site.Response{Status: status, Header: http.Header{"Content-Type": {kind}}, Body: site.Bytes(body)}, nil
}

// Scripts see no property here that they would not see in a real Chromium, in a window, a dedicated worker or a service worker: a
// site that looks for it would do other things. What Chromium has stands in testdata/members.json (TACHYFORM_RECORD=1 writes it).
func TestNoMemberThatChromiumLacks(t *testing.T) {
	scripts := memberScripts(t)
	const recorded = "testdata/members.json"
	if os.Getenv("TACHYFORM_RECORD") != "" {
		recordMembers(t, scripts, recorded)
	}
	text, err := os.ReadFile(recorded)
	require.NoError(t, err)
	var chromiums, ours seenMembers
	require.NoError(t, json.Unmarshal(text, &chromiums))

	b := useragent.New(context.Background(), []site.Host{memberHost(scripts)}, useragent.Options{})
	defer b.Close()
	b.Refuse(func(u string) bool { return !strings.HasPrefix(u, memberHost{}.Origin()) })
	b.Listen(func(n account.Note) {
		if text, ok := strings.CutPrefix(n.Text, "MEMBERS"); ok {
			require.NoError(t, json.Unmarshal([]byte(text), &ours))
		}
	})
	b.Open(memberHost{}.Origin()+"/members.html", nil)
	b.Pass(30 * time.Second)
	require.Len(t, ours, 3, "%v", b.Notes())

	for _, of := range declaredWhole {
		have := strings.Fields(ours["window"][of])
		for _, name := range strings.Fields(chromiums["window"][of]) {
			if !strings.HasPrefix(name, "on") && !strings.HasPrefix(name, "@@") && strings.ToUpper(name) != name {
				assert.Contains(t, have, name, of)
			}
		}
	}
	for _, realm := range slices.Sorted(maps.Keys(ours)) {
		for _, of := range slices.Sorted(maps.Keys(ours[realm])) {
			theirs := strings.Fields(chromiums[realm][of])
			for _, name := range strings.Fields(ours[realm][of]) {
				if strings.Contains(membersElsewhere[of], name) {
					continue
				}
				assert.Contains(t, theirs, name, "%s: %s has a property that it does not have in Chromium", realm, of)
			}
		}
	}
}

// declaredWhole are interfaces of which scripts find every member that they find in Chromium, handlers and constants aside: what nothing stands behind
// makes a page unknown that depends on it.
var declaredWhole = []string{"Document#", "Element#", "HTMLElement#", "SVGElement#", "Navigator#", "Selection#", "HTMLVideoElement#", "HTMLMediaElement#",
	"HTMLImageElement#", "HTMLInputElement#", "HTMLIFrameElement#", "MouseEvent#", "PointerEvent#", "ShadowRoot#", "Range#"}

func recordMembers(t *testing.T, scripts map[string]string, to string) {
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		kind := "text/javascript"
		if strings.HasSuffix(r.URL.Path, ".html") {
			kind = "text/html"
		}
		w.Header().Set("Content-Type", kind)
		fmt.Fprint(w, scripts[r.URL.Path])
	}))
	defer server.Close()
	c, err := chromium.Start(context.Background())
	require.NoError(t, err)
	defer c.Close()
	answer, err := c.Evaluate(server.URL+"/members.html", `(async () => {
		await new Promise((ok) => { const s = document.createElement('script'); s.src = '/members.js'; s.onload = ok; document.head.append(s); });
		return JSON.stringify(await told);
	})()`)
	require.NoError(t, err)
	var all seenMembers
	require.NoError(t, json.Unmarshal([]byte(answer), &all))
	text, err := json.MarshalIndent(all, "", " ")
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(to, append(text, '\n'), 0o644))
}
