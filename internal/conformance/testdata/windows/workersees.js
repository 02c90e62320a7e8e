// What service workers see of requests, and what becomes of their answers: addresses with fragments, cache modes, workers of pages, kinds of bodies.
const wait = (ms) => new Promise((done) => setTimeout(done, ms));
const loaded = (frame) => new Promise((done) => { frame.onload = done; setTimeout(done, 3000); });
const ready = (async () => {
  const g = await navigator.serviceWorker.register('/sees.js', { scope: '/sees/' });
  const w = g.installing ?? g.waiting ?? g.active;
  while (w.state !== 'activated') await new Promise((done) => { w.onstatechange = done; setTimeout(done, 50); });
  return g;
})();
// A frame in the worker's scope that shows something.
async function shows(url) {
  await ready;
  const frame = document.createElement('iframe');
  frame.src = url;
  document.body.append(frame);
  await loaded(frame);
  return frame;
}
const seenBy = (frame) => JSON.parse(frame.contentDocument.body.textContent);
const inFrame = async (code) => {
  const frame = await shows('/sees/doc.html');
  return frame.contentWindow.eval(`(async () => { ${code} })()`);
};
probe('a page with a fragment', async () => seenBy(await shows('/sees/doc.html?q#here')));
probe('a page once more', async () => {
  const frame = await shows('/sees/doc.html?r#there');
  frame.contentWindow.location.reload();
  await loaded(frame);
  return seenBy(frame);
});
probe('what a form sends', async () => {
  const frame = await shows('/sees/doc.html');
  frame.contentDocument.body.innerHTML = '<form method=post action="/sees/doc.html?p#f"><input name=a value=1></form>';
  frame.contentDocument.forms[0].submit();
  await loaded(frame);
  return seenBy(frame);
});
for (const [name, url, init] of [['a fetch', '/sees/echo', {}], ['a fetch with a fragment', '/sees/echo?x#y', {}], ['a fetch past caches', '/sees/echo', { cache: 'reload' }], ['a fetch that may not be kept', '/sees/echo', { cache: 'no-store', credentials: 'omit', redirect: 'error' }], ['a fetch without cors', '/sees/echo', { mode: 'no-cors' }], ['a POST', '/sees/echo', { method: 'POST', body: 'tide' }], ['a fetch with integrity', '/sees/echo?i', { keepalive: true, referrer: '', referrerPolicy: 'origin' }], ['a fetch of another origin', 'http://elsewhere.example/echo', {}]])
  probe(name, () => inFrame(`return (await fetch(${JSON.stringify(url)}, ${JSON.stringify(init)})).text()`));
probe('elements', () => inFrame(`
  const out = [];
  for (const [markup, wants] of [['<img src="/sees/element?img">'], ['<img crossorigin src="/sees/element?cors">'], ['<link rel=stylesheet href="/sees/element?css">'], ['<script src="/sees/element?js"></' + 'script>'], ['<script type=module src="/sees/element?mod"></' + 'script>'], ['<iframe src="/sees/element?frame#in">'], ['<object data="/sees/element?object"></object>'], ['<audio src="/sees/element?audio"></audio>']]) {
    const host = document.createElement('div');
    const range = document.createRange();
    range.selectNode(document.body);
    host.append(range.createContextualFragment(markup));
    document.body.append(host);
  }
  await new Promise((done) => setTimeout(done, 500));
  return JSON.parse(await (await fetch('/sees/told')).text()).sort();`));
probe('a worker of a blob', () => inFrame(`
  const w = new Worker(URL.createObjectURL(new Blob(["fetch('" + location.origin + "/sees/echo?blob').then((r) => r.text()).then(postMessage, (e) => postMessage(e.name))"])));
  return new Promise((done) => { w.onmessage = (e) => done(e.data); setTimeout(() => done('never'), 2000); });`));
probe('a worker of a worker', () => inFrame(`
  const inner = "fetch('" + location.origin + "/sees/echo?inner').then((r) => r.text()).then(postMessage, (e) => postMessage(e.name))";
  const w = new Worker(URL.createObjectURL(new Blob(["const w = new Worker(URL.createObjectURL(new Blob([" + JSON.stringify(inner) + "]))); w.onmessage = (e) => postMessage(e.data)"])));
  return new Promise((done) => { w.onmessage = (e) => done(e.data); setTimeout(() => done('never'), 2000); });`));
probe('a worker in the scope', () => inFrame(`
  const w = new Worker('/sees/worker.js');
  return new Promise((done) => { w.onmessage = (e) => done(e.data); w.onerror = () => done('error'); setTimeout(() => done('never'), 2000); });`));
probe('a module worker in the scope', () => inFrame(`
  const w = new Worker('/sees/worker.js', { type: 'module' });
  return new Promise((done) => { w.onmessage = (e) => done(e.data); w.onerror = () => done('error'); setTimeout(() => done('never'), 2000); });`));
for (const kind of ['blob', 'untyped', 'buffer', 'stream', 'text', 'json', 'css', 'empty', 'xml', 'form', 'status'])
  probe(`a document from ${kind}`, async () => {
    const frame = await shows(`/sees/as-${kind}`);
    const d = frame.contentDocument;
    return d ? [d.contentType, d.body?.textContent ?? d.documentElement?.nodeName, d.title, d.compatMode, d.URL.replace(location.origin, '')] : 'nothing';
  });
probe('redirects by the worker', async () => {
  const out = [];
  for (const url of ['/sees/to?1#one', '/sees/to-fragment?2#one', '/sees/to-outside']) {
    const frame = await shows(url);
    out.push(frame.contentWindow.location.pathname + frame.contentWindow.location.search + frame.contentWindow.location.hash, frame.contentDocument.title);
  }
  return out;
});
probe('addresses of answers', () => inFrame(`
  const out = [];
  for (const url of ['/sees/made?x#y', '/sees/fetched?x#y', '/sees/to?3']) { const r = await fetch(url); out.push([r.url.replace(location.origin, ''), r.type, r.redirected, r.status]); }
  return out;`));
probe('an event that is handled', () => inFrame(`
  const out = [];
  for (const how of ['left', 'answered', 'refused', 'canceled']) { await fetch('/sees/handled?' + how).catch(() => {}); await new Promise((done) => setTimeout(done, 50)); }
  return (await fetch('/sees/handling')).text();`));
