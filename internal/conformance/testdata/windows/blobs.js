// File API, 8: addresses of blobs, in every realm of an origin.
const at = (text, type = 'text/javascript') => URL.createObjectURL(new Blob([text], { type }));
const next = (target, type = 'message') => new Promise((done) => target.addEventListener(type, done, { once: true }));
probe('importScripts of a blob', async () => {
  const inner = at("var inner = 'inner';");
  const w = new Worker(at(`importScripts('${inner}'); postMessage(inner);`));
  return (await next(w)).data;
});
probe('a blob in a worker', async () => {
  const text = at('high water', 'text/plain');
  const w = new Worker(at(`onmessage = async (e) => { const r = await fetch(e.data); postMessage([r.status, r.type, r.url === e.data, await r.text(), r.headers.get('content-type'), r.headers.get('content-length')]); };`));
  w.postMessage(text);
  return (await next(w)).data;
});
probe('a blob that a worker made', async () => {
  const w = new Worker(at("postMessage(URL.createObjectURL(new Blob(['low water']))); setTimeout(() => {}, 1e6);"));
  return (await fetch((await next(w)).data)).text();
});
probe('a blob of a worker that has ended', async () => {
  const w = new Worker(at("postMessage(URL.createObjectURL(new Blob(['low water']))); setTimeout(() => {}, 1e6);"));
  const url = (await next(w)).data;
  w.terminate();
  await soon(60);
  return (await fetch(url)).text();
});
probe('a worker of a blob that is taken back', async () => {
  const url = at("postMessage('ran')");
  const w = new Worker(url);
  URL.revokeObjectURL(url);
  return (await next(w)).data;
});
probe('a fetch of a blob that is taken back', async () => {
  const url = at('x', 'text/plain');
  const answer = fetch(url);
  URL.revokeObjectURL(url);
  return [await (await answer).text(), await fetch(url).then((r) => r.status, (e) => e.name)];
});
probe('parts of a blob', async () => {
  const url = at('high water', 'text/plain');
  const part = async (range) => {
    const r = await fetch(url, { headers: { range } });
    return [r.status, r.statusText, await r.text(), r.headers.get('content-range'), r.headers.get('content-length')].join('|');
  };
  return [await part('bytes=0-3'), await part('bytes=5-'), await part('bytes=-5'), await part('bytes=20-').catch((e) => e.name), await part('bytes=1-2,4-5').catch((e) => e.name)];
});
probe('a blob with another method', () => fetch(at('x'), { method: 'POST', body: 'y' }));
probe('a fragment of a blob', async () => (await fetch(`${at('x')}#y`)).text());
probe('XMLHttpRequest of a blob', async () => {
  const x = new XMLHttpRequest();
  x.open('GET', at('high water', 'text/plain'));
  x.send();
  await next(x, 'loadend');
  return [x.status, x.statusText, x.responseText, x.getResponseHeader('content-type'), x.getAllResponseHeaders()];
});
probe('a blocking one', () => {
  const x = new XMLHttpRequest();
  x.open('GET', at('high water', 'text/plain'), false);
  x.send();
  return [x.status, x.responseText];
});
probe('a script of a blob', async () => {
  const s = document.createElement('script');
  s.src = at('window.fromBlob = document.currentScript.src.slice(0, 5);');
  document.head.append(s);
  await next(s, 'load');
  return fromBlob;
});
probe('a module of a blob', async () => (await import(at(`import { value } from '${location.origin}/module.js'; export const got = value + 1;`))).got);
probe('a module of a blob within one', async () => (await import(at(`export { a } from '${at('export const a = 5;')}';`))).a);
probe('a module element of a blob', async () => {
  const s = document.createElement('script');
  s.type = 'module';
  s.src = at('window.moduleBlob = 6;');
  document.head.append(s);
  await next(s, 'load');
  return moduleBlob;
});
probe('a sheet of a blob', async () => {
  const l = document.createElement('link');
  l.rel = 'stylesheet';
  const url = at('.blobbed { color: rgb(1, 2, 3) }', 'text/css');
  l.href = url;
  document.head.append(l);
  URL.revokeObjectURL(url);
  await next(l, 'load');
  return getComputedStyle(place('<p class=blobbed>x</p>').firstChild).color;
});
probe('a frame of a blob', async () => {
  const f = document.createElement('iframe');
  f.src = at('<title>tides</title><p>high', 'text/html');
  document.body.append(f);
  await next(f, 'load');
  return [f.contentDocument.title, f.contentWindow.location.protocol, f.contentWindow.origin === origin];
});
probe('addresses of blobs differ', () => at('x') !== at('x') && new RegExp(`^blob:${origin}/[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}$`).test(at('x')));
probe('a worker of a blob without a type', async () => (await next(new Worker(at('postMessage(1)', '')))).data);
probe('a worker of text', async () => (await next(new Worker(at('postMessage(2)', 'text/plain')))).data);
probe('a module worker of text', async () => {
  const w = new Worker(at('postMessage(3)', 'text/plain'), { type: 'module' });
  return Promise.race([next(w), next(w, 'error')]).then((e) => e.type);
});
probe('importScripts of text', async () => (await next(new Worker(at(`importScripts('${at('var a = 4;', 'text/plain')}'); postMessage(a);`)))).data);
probe('a module of text', () => import(at('export const a = 1;', '')));
probe('a worker of data', async () => (await next(new Worker("data:text/javascript,postMessage([origin, location.href.slice(0, 20)])"))).data);
probe('a worker of data without a type', async () => (await next(new Worker('data:,postMessage(5)'))).data);
probe('a name that is replaced', async () => (await next(new Worker(at("name = 7; postMessage([name, typeof name]);"), { name: 'x' }))).data);
