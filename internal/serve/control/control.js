// The control page of tachyform serve. The fragment of its URL is the token that requests to the control port need.
'use strict';

const token = location.hash.slice(1);
const byId = (id) => document.getElementById(id);
const MEANINGS = {
  online: 'The server responds as the host would.',
  offline: 'Open connections are closed and new ones fail. The site can use only what the browser has stored.',
  stalled: 'The server accepts requests and never responds.',
  slow: 'Each response starts 0.4 s late and arrives at 50 kB per second.',
  flaky: 'Three of ten requests fail.',
};

function trouble(text) {
  byId('trouble').textContent = text;
  byId('trouble').hidden = !text;
}
async function post(path, body = {}) {
  const answer = await fetch(path, { method: 'POST', headers: { 'X-Tachyform-Token': token, 'Content-Type': 'application/json' }, body: JSON.stringify(body) });
  if (!answer.ok) throw new Error((await answer.text()).trim());
  return answer.json();
}
async function attempt(run) {
  try {
    trouble('');
    await run();
  } catch (error) {
    trouble(error.message);
  }
}

let state = null;
function element(name, text = '', className = '') {
  const e = document.createElement(name);
  e.textContent = text;
  if (className) e.className = className;
  return e;
}
const size = (n) => (n < 1000 ? `${n} B` : n < 1e6 ? `${(n / 1e3).toFixed(1)} kB` : `${(n / 1e6).toFixed(1)} MB`);

function show() {
  byId('site').textContent = state.site;
  byId('origin').textContent = byId('origin').href = state.origin;
  byId('origin').href = `${state.origin}/`;
  const group = byId('conditions');
  if (!group.children.length) for (const name of state.conditions) {
    const b = element('button', name);
    b.type = 'button';
    b.addEventListener('click', () => attempt(() => post('/condition', { condition: name })));
    group.append(b);
  }
  for (const b of group.children) b.setAttribute('aria-pressed', String(b.textContent === state.condition));
  byId('meaning').textContent = MEANINGS[state.condition] ?? '';
  byId('releases').hidden = !state.has_next;
  byId('next').textContent = state.deployed ? 'Deploy the current release again' : 'Deploy the next release';
  byId('pages').hidden = !state.predicted.length;
  byId('predicted').replaceChildren(...state.predicted.flatMap((p) => [element('dt', p.path), element('dd', `predicted ${state.condition}: ${p.text}`)]));
  byId('overrides').replaceChildren(...state.overrides.map((o, i) => {
    const item = element('li', `${o.match}  ${o.status || 'status unchanged'}${o.delay_ms ? `, ${o.delay_ms} ms late` : ''} `);
    const remove = element('button', 'Remove');
    remove.type = 'button';
    remove.addEventListener('click', () => attempt(() => post('/overrides', { overrides: state.overrides.filter((_, k) => k !== i) })));
    item.append(remove);
    return item;
  }));
  showBrowser(state.browser);
  byId('notes').hidden = !state.messages.length;
  byId('messages').replaceChildren(...state.messages.map((m) => element('li', m)));
  byId('none').hidden = state.requests.length > 0;
  byId('requests').replaceChildren(...[...state.requests].reverse().map((r) => {
    const row = element('tr');
    const status = !r.done ? '…' : r.status || 'lost';
    row.append(element('td', new Date(r.at).toLocaleTimeString()), element('td', String(status), r.done && (r.status === 0 || r.status >= 400) ? 'wrong' : ''),
      element('td', r.by), element('td', r.destination || '–'), element('td', r.done ? size(r.bytes) : '', 'number'), element('td', `${r.method} ${r.path}`));
    return row;
  }));
}

// The service worker, the caches and the output of the browser. A list that is open stays open.
const many = (n, one, more) => `${n} ${n === 1 ? one : more}`;
const ageText = (s) => (s < 0 ? '' : s < 90 ? `${s} s` : s < 5400 ? `${Math.round(s / 60)} min` : s < 172800 ? `${Math.round(s / 3600)} h` : `${Math.round(s / 86400)} days`);
function list(id, title, lines) {
  const details = byId(id);
  details.hidden = !lines.length;
  details.querySelector('summary').textContent = `${title} (${lines.length})`;
  details.querySelector('ul').replaceChildren(...lines.map((text) => element('li', text)));
}
let shown = '';
function showBrowser(browser) {
  byId('worker').hidden = !browser;
  const text = JSON.stringify(browser);
  if (!browser || text === shown) return;
  shown = text;
  byId('source').textContent = browser.embedded ? 'In the embedded user agent, after a visit to the site as it is now:' : `In ${browser.source}:`;
  byId('no-worker').hidden = browser.workers.length > 0;
  byId('workers').tBodies[0].replaceChildren(...browser.workers.map((w) => {
    const row = element('tr');
    row.append(element('td', w.state), element('td', `scope ${w.scope}`), element('td', w.script));
    return row;
  }));
  const open = new Set([...byId('caches').children].filter((d) => d.open).map((d) => d.dataset.name));
  byId('caches').replaceChildren(...browser.caches.map((c) => {
    const details = element('details');
    details.dataset.name = c.name;
    details.open = open.has(c.name);
    const entries = element('ul');
    entries.append(...c.entries.map((e) => element('li', [e.url, size(e.bytes), ageText(e.age)].filter(Boolean).join('  '))));
    if (c.count > c.entries.length) entries.append(element('li', `and ${c.count - c.entries.length} more`));
    details.append(element('summary', `${c.name}: ${many(c.count, 'entry', 'entries')}, ${size(c.bytes)}`), entries);
    return details;
  }));
  list('answers', 'Sources of responses', browser.answers);
  list('console', 'Console', [...browser.console, ...browser.notifications.map((n) => `notification: ${n}`)]);
}

byId('deliver').addEventListener('submit', (event) => {
  event.preventDefault();
  const { event: type, text } = event.target.elements;
  attempt(async () => {
    byId('happened').replaceChildren(element('li', '…'));
    const { happened } = await post('/deliver', { event: type.value, text: text.value }).catch((error) => {
      byId('happened').replaceChildren();
      throw error;
    });
    byId('happened').replaceChildren(...(happened.length ? happened : ['Nothing happened.']).map((line) => element('li', line)));
  });
});
byId('next').addEventListener('click', () => attempt(() => post('/next', { deployed: !state.deployed })));
byId('clear').addEventListener('click', () => attempt(() => post('/clear')));
byId('retire').addEventListener('click', () => attempt(() => post('/retire')));
byId('afresh').addEventListener('click', () => attempt(async () => {
  const { address } = await post('/afresh');
  await fetch(address, { method: 'POST', mode: 'no-cors', credentials: 'include' });
  byId('afresh').textContent = 'Cleared. Clear again';
}));
byId('override').addEventListener('submit', (event) => {
  event.preventDefault();
  const form = event.target;
  attempt(async () => {
    await post('/overrides', { overrides: [...state.overrides, { match: form.elements.match.value, status: Number(form.elements.status.value) || 0, delay_ms: Number(form.elements.delay.value) || 0 }] });
    form.reset();
  });
});

async function follow() {
  for (;;) {
    try {
      const answer = await fetch(`/state${state ? `?since=${state.change}` : ''}`, { headers: { 'X-Tachyform-Token': token } });
      if (!answer.ok) {
        trouble((await answer.text()).trim());
        return;
      }
      state = await answer.json();
      show();
    } catch {
      trouble('tachyform serve does not respond. If it was stopped, start it again and open the new URL that it prints.');
      await new Promise((done) => setTimeout(done, 2000));
    }
  }
}
follow();
