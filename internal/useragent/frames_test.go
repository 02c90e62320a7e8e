package useragent

import (
	"context"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"tachyform/internal/site"
	"tachyform/internal/useragent/document"
)

// drawn opens the entry page of a site with these files and gives what its tab shows in the end.
func drawn(t *testing.T, hosting string, files ...string) (*Browser, *document.Tab) {
	t.Helper()
	b := New(context.Background(), []site.Host{hosted(t, siteWith(t, "", files...), hosting)}, Options{})
	t.Cleanup(b.Close)
	tab := b.Open(home, nil)
	b.Settle()
	tab.Take()
	return b, tab
}

// saying is a document whose script says what it found: say(…) adds to what is shown, in order.
func saying(body, script string) string {
	return "<!doctype html><title>x</title><body>" + body + "<pre></pre><script>const say = (...all) => { document.querySelector('pre').textContent += all.join(' ') + ';'; };" +
		"const tried = (f) => { try { return f(); } catch (e) { return e.name; } };" + script + "</script>"
}

// Frames are windows of their own, which reach each other where they are of one origin.
func TestFrames(t *testing.T) {
	inner := "<!doctype html><title>in</title><p id=p>inner</p><script>var kept = [1]; parent.postMessage('up', '*')</script>"
	for name, c := range map[string]struct{ body, script, want string }{
		"a document of the same origin": {`<iframe src="/in.html"></iframe>`,
			`onload = () => { const w = frames[0]; say(w.document.title, w.kept instanceof Array, w.kept instanceof w.Array, w.parent === window, w.frameElement.localName) }`,
			"in false true true iframe;"},
		"before it has come": {`<iframe src="/in.html"></iframe>`,
			`say(frames.length, frames[0].location.href, frames[0].document.body.childNodes.length)`, "1 about:blank 0;"},
		"a message to the parent": {`<iframe src="/in.html"></iframe>`,
			`onmessage = (e) => say(e.data, e.source === frames[0], e.origin)`, "up true https://line.example;"},
		"markup of its own": {`<iframe srcdoc="<p>soft</p><script>document.title = location.href + ' ' + self.origin</script>"></iframe>`,
			`onload = () => say(frames[0].document.title, frames[0].document.querySelector('p').textContent)`, "about:srcdoc https://line.example soft;"},
		"another origin": {`<iframe src="https://other.example/"></iframe>`,
			`onload = () => say(tried(() => frames[0].document), tried(() => frames[0].location.href), typeof frames[0].postMessage, document.querySelector('iframe').contentDocument)`,
			"SecurityError SecurityError function ;"},
		"a sandbox without scripts": {`<iframe sandbox src="/in.html"></iframe>`,
			`onmessage = () => say('no'); onload = () => say(tried(() => frames[0].document), document.querySelector('iframe').contentDocument)`, "SecurityError ;"},
		"a sandbox of the same origin": {`<iframe sandbox="allow-same-origin allow-scripts" src="/in.html"></iframe>`,
			`onload = () => say(frames[0].document.title)`, "in;"},
		"taken away": {`<iframe src="/in.html"></iframe>`,
			`onload = () => { const e = document.querySelector('iframe'); const w = e.contentWindow; e.remove(); say(frames.length, w.parent, e.contentWindow, w.closed) }`,
			"0 true;"},
		"a name": {`<iframe name="quay" src="/in.html"></iframe><a href="/two.html" target="quay">on</a>`,
			`onload = () => { onload = null; say(window.quay === frames[0]); document.querySelector('iframe').onload = () => say(quay.document.title); document.querySelector('a').click(); }`,
			"on true;two;"},
		"an element that moves between documents": {`<iframe src="/in.html"></iframe>`,
			`onload = () => { const p = frames[0].document.getElementById('p'); document.body.append(p); say(p.ownerDocument === document, p instanceof frames[0].Node, document.getElementById('p').textContent) }`,
			"true true inner; inner"},
		"its own history": {`<iframe src="/in.html"></iframe>`,
			`onload = () => { frames[0].history.pushState(1, '', '/in.html?two'); say(frames[0].location.search, location.search === '', frames[0].history.state, history.state) }`,
			"?two true 1 ;"},
		"a script address": {`<iframe src="javascript:'<p>made</p>'"></iframe>`,
			`onload = () => setTimeout(() => say(frames[0].document.body.textContent), 100)`, "made;"},
	} {
		t.Run(name, func(t *testing.T) {
			_, tab := drawn(t, "{}", "index.html", saying(c.body, c.script), "in.html", inner, "two.html", "<title>two</title>")
			assert.Equal(t, c.want, strings.TrimSuffix(tab.View.Document.Text(nil), " "))
		})
	}
}

// Documents are written by scripts while they are parsed, and anew once they are there.
func TestWritten(t *testing.T) {
	for name, c := range map[string]struct{ body, script, want string }{
		"while it is parsed":     {"", `document.write('<p>one</p><p>two'); say(document.querySelectorAll('p').length)`, "2;"},
		"piece by piece":         {"", `document.write('<ul><li id=a>'); document.write('one'); document.write('<li id=b>two</ul><i>'); say(document.getElementById('a').textContent, document.getElementById('b') !== null); onload = () => say(document.body.textContent.split('onetwo').length)`, "one true;3;"},
		"a table of cells":       {"", `document.write('<table><tr><td>1'); document.write('<td>2</table>after'); say(document.querySelectorAll('td').length); onload = () => say(document.querySelectorAll('td').length, document.querySelectorAll('table').length)`, "2;2 1;"},
		"a script that writes":   {"", `document.write('<script>window.said = 1; document.write("<b>deep</b>")<\/script>'); onload = () => say(window.said, document.querySelector('b').textContent)`, "1 deep;"},
		"a document of a frame":  {"<iframe></iframe>", `const d = frames[0].document; d.open(); d.write('<title>new</title><p>a'); d.write('b</p>'); d.close(); say(d.title, d.body.textContent)`, "new ab;"},
		"listeners go with open": {"<iframe></iframe>", `const d = frames[0].document; let n = 0; d.addEventListener('x', () => n++); d.open(); d.close(); d.dispatchEvent(new Event('x')); say(n)`, "0;"},
		"not within a module":    {"", `const d = document.implementation.createHTMLDocument('x'); d.open(); d.write('<p>q'); d.close(); say(d.body.textContent, d.URL)`, "q"},
		"XML takes nothing":      {"", `const d = new DOMParser().parseFromString('<a/>', 'text/xml'); say(tried(() => d.write('x')))`, "InvalidStateError;"},
	} {
		t.Run(name, func(t *testing.T) {
			_, tab := drawn(t, "{}", "index.html", saying(c.body, c.script))
			assert.Contains(t, tab.View.Document.Text(nil), c.want)
		})
	}
}

// What a host says with Clear-Site-Data goes, and nothing else.
func TestClearSiteData(t *testing.T) {
	const keeps = `(async () => { localStorage.a = 1; await caches.open('c'); await navigator.serviceWorker.register('/w.js'); await navigator.serviceWorker.ready; await fetch('/out');
say(localStorage.a ?? 'gone', (await caches.keys()).join() || 'gone', (await navigator.serviceWorker.getRegistrations()).length, document.cookie || 'gone'); })()`
	for what, want := range map[string]string{
		`'"storage"'`: "gone gone 0 k=v;", `'"cookies"'`: "1 c 1 gone;", `'"*"'`: "gone gone 0 gone;", `'"cache"'`: "1 c 1 k=v;", `storage`: "1 c 1 k=v;",
	} {
		hosting := "{headers: [{match: /, set: {Set-Cookie: k=v}}, {match: /out, set: {Clear-Site-Data: " + what + "}}]}"
		_, tab := drawn(t, hosting, "index.html", saying("", keeps), "out", "bye", "w.js", "")
		assert.Contains(t, tab.View.Document.Text(nil), want, what)
	}
}

// The referrer of a request is what the policy of the element, the document or the call allows.
func TestReferrers(t *testing.T) {
	for policy, want := range map[string]string{
		"no-referrer": "", "origin": "https://line.example/", "unsafe-url": "https://line.example/?q", "same-origin": "https://line.example/?q", "": "https://line.example/?q",
	} {
		b := New(context.Background(), []site.Host{siteWith(t, "", "index.html", `<!doctype html><img referrerpolicy="`+policy+`" src="/a.svg"><script>fetch('/b.txt', { referrerPolicy: '`+policy+`' })</script>`,
			"a.svg", "<svg/>", "b.txt", "b")}, Options{})
		got := map[string]string{}
		b.Watch(func(r *site.Request, _ *site.Response) { got[r.URL.Pathname()] = r.Header.Get("Referer") })
		b.Open(home+"?q", nil)
		b.Settle()
		b.Close()
		assert.Equal(t, want, got["/a.svg"], "picture, %q", policy)
		assert.Equal(t, want, got["/b.txt"], "call, %q", policy)
	}
}
