package audit

import (
	"context"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/project"
	"tachyform/internal/site"
	"tachyform/internal/testsite"
)

// actsPage has all that a person may use: links, buttons, fields, forms, and what scripts made of them.
const actsPage = `<!doctype html><title>Berths</title><body>
<a href="/b.html">Second page</a> <button id=add disabled>Add</button> <button class=go>Go <b>on</b></button>
<form id=f action="/b.html"><label>Boat <input name=boat></label><input type=checkbox name=night value=1>
<select name=pier><option>North<option value=s>South</select><textarea placeholder=Remarks></textarea><button>Send</button></form>
<p id=out></p><ul></ul><div contenteditable id=ed></div><details><summary>More</summary>hidden so far</details>
<x-bar></x-bar>
<script>
navigator.serviceWorker.register('/w.js');
const say = (t) => { out.textContent += t + ' '; };
document.querySelector('.go').onclick = (e) => say('went ' + e.isTrusted);
f.boat.oninput = () => { add.disabled = f.boat.value.length < 3; localStorage.typed = f.boat.value; };
f.boat.onkeydown = (e) => { if (e.key === 'x') e.preventDefault(); };
f.boat.onchange = () => say('changed');
add.onclick = () => { document.querySelector('ul').append(Object.assign(document.createElement('li'), { textContent: f.boat.value })); localStorage.boats = f.boat.value; f.boat.value = ''; };
f.pier.onchange = () => say('pier ' + f.pier.value);
f.night.onchange = () => say('night ' + f.night.checked);
f.onsubmit = (e) => { if (!f.boat.value) { e.preventDefault(); say('no boat'); } };
ed.oninput = () => say('wrote ' + ed.textContent);
if (localStorage.boats) document.querySelector('ul').innerHTML = '<li>kept ' + localStorage.boats;
customElements.define('x-bar', class extends HTMLElement { connectedCallback() { const s = this.attachShadow({ mode: 'open' }); s.innerHTML = '<button>Inner</button><label>Depth <input></label>'; s.querySelector('button').onclick = () => { s.append(' pressed ' + s.querySelector('input').value); }; } });
</script>`

// Persons click, type, choose and submit as they would in a browser, and what they see is what is expected.
func TestActs(t *testing.T) {
	for name, c := range map[string]struct {
		steps string
		wrong string // of the last step, "" where all hold
	}{
		"a button by its text":      {`[{click: Go on}, {expect: {shows: went true}}]`, ""},
		"by a selector":             {`[{click: .go}, {expect: {shows: went true}}]`, ""},
		"a link":                    {`[{click: Second page}, {expect: {title: Second, address: /b.html}}]`, ""},
		"nothing of the kind":       {`[{click: Third page}]`, "Third page"},
		"a disabled button":         {`[{click: Add}]`, "disabled"},
		"a field that opens it":     {`[{type: {into: Boat, text: Skua}}, {click: Add}, {expect: {shows: Skua, storage: {boats: Skua}}}]`, ""},
		"keys that are refused":     {`[{type: {into: Boat, text: axbxc}}, {expect: {storage: {typed: abc}}}]`, ""},
		"a change that is heard":    {`[{type: {into: "[name=boat]", text: Tern}}, {expect: {shows: changed}}]`, ""},
		"no field":                  {`[{type: {into: Captain, text: x}}]`, "Captain"},
		"an option by its text":     {`[{choose: {from: "[name=pier]", option: South}}, {expect: {shows: pier s}}]`, ""},
		"an option by its value":    {`[{choose: {from: "[name=pier]", option: s}}, {expect: {shows: pier s}}]`, ""},
		"no option":                 {`[{choose: {from: "[name=pier]", option: West}}]`, "West"},
		"a box to tick":             {`[{click: "[name=night]"}, {expect: {shows: night true}}]`, ""},
		"a form that is refused":    {`[{submit: "#f"}, {expect: {shows: no boat, title: Berths}}]`, ""},
		"a form that is sent":       {`[{type: {into: Boat, text: Skua}}, {click: Send}, {expect: {title: Second, shows: "?boat=Skua&pier=North"}}]`, ""},
		"no form":                   {`[{submit: "#g"}]`, "#g"},
		"what can be written in":    {`[{type: {into: "#ed", text: ebb}}, {expect: {shows: wrote ebb}}]`, ""},
		"a field by its hint":       {`[{type: {into: Remarks, text: fair}}, {expect: {title: Berths}}]`, ""},
		"details that open":         {`[{click: More}, {expect: {shows: hidden so far}}]`, ""},
		"kept over a reload":        {`[{type: {into: Boat, text: Skua}}, {click: Add}, {reload: normal}, {expect: {shows: kept Skua}}]`, ""},
		"lost over a reload":        {`[{type: {into: Boat, text: Skua}}, {reload: normal}, {expect: {storage: {boats: Skua}}}]`, "boats"},
		"kept offline":              {`[{type: {into: Boat, text: Skua}}, {click: Add}, {network: offline}, {reload: normal}, {expect: {shows: kept Skua, outcome: whole}}]`, ""},
		"in a shadow tree":          {`[{type: {into: Depth, text: "7"}}, {click: Inner}, {expect: {shows: pressed 7}}]`, ""},
		"what is not drawn":         {`[{expect: {shows: nothing of the kind}}]`, "nothing of the kind"},
		"links that are drawn":      {`[{expect: {links: [/b.html]}}]`, ""},
		"links that are not":        {`[{expect: {links: [/c.html]}}]`, "/c.html"},
		"a link to a page not kept": {`[{network: offline}, {click: Second page}, {expect: {outcome: lost}}]`, ""},
	} {
		t.Run(name, func(t *testing.T) {
			f, err := site.OpenFolder(testsite.Write(t, map[string]string{"index.html": actsPage,
				"b.html": `<!doctype html><title>Second</title><script>document.write(location.search)</script>`,
				"w.js":   strings.Replace(keeping, ", '/s.css'", "", 1)}), "https://line.example", "/", project.Default("").Host)
			require.NoError(t, err)
			p, err := project.Parse("f", []byte("rehearsals:\n- name: it\n  steps:\n  - {open: /}\n  - {reload: normal}\n"+
				strings.ReplaceAll("  - "+strings.TrimSuffix(strings.TrimPrefix(c.steps, "["), "]"), "}, {", "}\n  - {")))
			require.NoError(t, err)
			played, err := RunPlan(context.Background(), Input{Project: p, Name: "site", Host: f, Folder: f}, p.Rehearsals[0], nil)
			require.NoError(t, err)
			var wrong []string
			for _, s := range played.Steps {
				wrong = append(wrong, s.Wrong...)
			}
			if c.wrong == "" {
				assert.Empty(t, wrong)
				return
			}
			require.NotEmpty(t, wrong)
			assert.Contains(t, strings.Join(played.Steps[len(played.Steps)-1].Wrong, "; "), c.wrong)
		})
	}
}

// A finding about a route says which, since the file alone answers for all of them; so does one about a fragment.
func TestRoutesAreNamed(t *testing.T) {
	p, err := project.Parse("f", []byte("hosting: {single_page: /index.html}\naudit: {visit: [/, /], pages: [/, /berth/7, \"/#/low\"]}"))
	require.NoError(t, err)
	f, err := site.OpenFolder(testsite.Write(t, map[string]string{
		"index.html": `<!doctype html><title>Berths</title><p></p><script>navigator.serviceWorker.register('/w.js');
const at = location.pathname + location.hash;
if (at !== '/') fetch('/data' + at.replace('#/', '') + '.json').then((r) => r.json()).then((d) => { document.querySelector('p').textContent = d.free; });
else document.querySelector('p').textContent = 'Choose a berth';</script>`,
		"data/berth/7.json": `{"free": "from noon"}`, "data/low.json": `{"free": "at low water"}`,
		"w.js": `addEventListener('install', (e) => e.waitUntil(caches.open('a').then((c) => c.add('/'))));
addEventListener('activate', (e) => e.waitUntil(clients.claim()));
addEventListener('fetch', (e) => e.respondWith(e.request.mode === 'navigate' ? caches.match('/') : fetch(e.request)));`}),
		"https://line.example", "/", p.Host)
	require.NoError(t, err)
	r, err := Run(context.Background(), Input{Project: p, Name: "site", Host: f, Folder: f})
	require.NoError(t, err)
	var told []string
	for _, x := range r.Findings {
		if x.Code == "offline.partial" {
			told = append(told, x.Evidence)
		}
	}
	all := strings.Join(told, "\n")
	for _, want := range []string{"/berth/7: offline, missing /data/berth/7.json; not drawn: from noon", "/#/low: offline, missing /data/low.json"} {
		assert.Contains(t, all, want)
	}
	assert.NotContains(t, all, "\n/: ")
}
