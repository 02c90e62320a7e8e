// XMLHttpRequest, and what pages send in it, by the XMLHttpRequest and Fetch standards.
const xhr = (method, url, { type, send, before, async = true } = {}) =>
  new Promise((done) => {
    const r = new XMLHttpRequest();
    r.open(method, url, async);
    if (type) r.responseType = type;
    if (before) before(r);
    r.onloadend = () => done(r);
    r.send(send);
  });
const states = async (url, act = () => {}) => {
  const r = new XMLHttpRequest();
  const out = [];
  const say = (name) => out.push(`${name}${r.readyState}`);
  r.onreadystatechange = () => say('state');
  for (const name of ['loadstart', 'progress', 'load', 'loadend', 'error', 'abort', 'timeout']) r.addEventListener(name, () => say(name));
  r.open('GET', url);
  act(r);
  await new Promise((ok) => setTimeout(ok, 700));
  return out;
};
probe('the states of a request', () => states('/data.txt', (r) => r.send()));
probe('the states of one that is not there', () => states('/none', (r) => r.send()));
probe('the states of one that no host answers', () => states('http://127.0.0.1:1/x', (r) => r.send()));
probe('the states of one that is given up', () =>
  states('/slow', (r) => {
    r.send();
    setTimeout(() => r.abort(), 50);
  }));
probe('the states of one that takes too long', () =>
  states('/slow', (r) => {
    r.timeout = 60;
    r.send();
  }));
probe('given up before it is sent', () => states('/data.txt', (r) => r.abort()));
probe('what an answer tells', async () => {
  const r = await xhr('GET', '/data.txt');
  return [r.status, r.statusText, r.response, r.responseText, r.responseURL.slice(location.origin.length), r.getResponseHeader('Content-Type')];
});
probe('what one after a redirect tells', async () => {
  const r = await xhr('GET', '/moved');
  return [r.status, r.responseURL.slice(location.origin.length)];
});
probe('headers as a text', async () => {
  const r = await xhr('GET', '/data.json');
  return r
    .getAllResponseHeaders()
    .split('\r\n')
    .filter((l) => /^(content-type|cache-control)/.test(l));
});
probe('json', async () => (await xhr('GET', '/data.json', { type: 'json' })).response);
probe('json of what is none', async () => (await xhr('GET', '/data.txt', { type: 'json' })).response);
probe('a blob', async () => {
  const { response } = await xhr('GET', '/data.txt', { type: 'blob' });
  return [response instanceof Blob, response.size, response.type, await response.text()];
});
probe('a buffer', async () => {
  const { response } = await xhr('GET', '/data.txt', { type: 'arraybuffer' });
  return [response instanceof ArrayBuffer, response.byteLength];
});
probe('a document of XML', async () => {
  const r = await xhr('GET', '/data.xml');
  return [r.responseXML && r.responseXML.documentElement.nodeName, r.responseXML && r.responseXML.contentType];
});
probe('a document of HTML', async () => {
  const r = await xhr('GET', '/page.html', { type: 'document' });
  return [r.responseXML.title, r.response === r.responseXML, r.response.URL.slice(location.origin.length)];
});
probe('HTML is no XML without being asked for', async () => (await xhr('GET', '/page.html')).responseXML);
probe('the text of what is no text', async () => {
  const r = await xhr('GET', '/data.json', { type: 'json' });
  return r.responseText;
});
probe('a type while it loads', () => {
  const r = new XMLHttpRequest();
  r.open('GET', '/data.txt');
  r.send();
  r.responseType = 'json';
  return r.responseType;
});
probe('a type that there is not', () => {
  const r = new XMLHttpRequest();
  r.responseType = 'nothing';
  return r.responseType;
});
probe('sent before it is opened', () => new XMLHttpRequest().send());
probe('sent twice', () => {
  const r = new XMLHttpRequest();
  r.open('GET', '/data.txt');
  r.send();
  r.send();
});
probe('a header before it is opened', () => new XMLHttpRequest().setRequestHeader('a', 'b'));
probe('a header that may not be set', () => {
  const r = new XMLHttpRequest();
  r.open('GET', '/data.txt');
  r.setRequestHeader('Host', 'x');
  r.setRequestHeader('X-Ferry', 'a');
  r.setRequestHeader('X-Ferry', 'b');
  return r.readyState;
});
probe('a header with a bad name', () => {
  const r = new XMLHttpRequest();
  r.open('GET', '/data.txt');
  r.setRequestHeader('a b', 'c');
});
probe('a method that is forbidden', () => new XMLHttpRequest().open('CONNECT', '/x'));
probe('a method that is none', () => new XMLHttpRequest().open('A B', '/x'));
probe('an address that is none', () => new XMLHttpRequest().open('GET', 'http://[/'));
probe('methods in capitals', () => {
  const r = new XMLHttpRequest();
  r.open('get', '/data.txt', false);
  r.send();
  return [r.status, r.responseText];
});
probe('one that is waited for', () => {
  const r = new XMLHttpRequest();
  const out = [];
  r.onload = () => out.push('load');
  r.open('GET', '/data.txt', false);
  r.send();
  return [r.readyState, r.responseText, ...out];
});
probe('one that is waited for and not there', () => {
  const r = new XMLHttpRequest();
  r.open('GET', '/none', false);
  r.send();
  return [r.status, r.responseText];
});
probe('one that is waited for with a type', () => {
  const r = new XMLHttpRequest();
  r.open('GET', '/data.json', false);
  r.responseType = 'json';
});
probe('one that is waited for and no host answers', () => {
  const r = new XMLHttpRequest();
  r.open('GET', 'http://127.0.0.1:1/x', false);
  r.send();
});
probe('another media type', async () => {
  const r = await xhr('GET', '/data.xml', { before: (q) => q.overrideMimeType('text/plain') });
  return [r.responseXML, r.responseText.length > 0];
});
probe('another media type too late', async () => {
  const r = await xhr('GET', '/data.xml');
  r.overrideMimeType('text/plain');
});
probe('what the object is', () => [String(new XMLHttpRequest()), XMLHttpRequest.DONE, new XMLHttpRequest().UNSENT, new XMLHttpRequest().upload instanceof XMLHttpRequestUpload]);
probe('before anything', () => {
  const r = new XMLHttpRequest();
  return [r.readyState, r.status, r.statusText, r.response, r.responseText, r.responseURL, r.responseXML, r.timeout, r.withCredentials, r.getAllResponseHeaders(), r.getResponseHeader('a')];
});
probe('opened again', async () => {
  const r = new XMLHttpRequest();
  const out = [];
  r.onabort = () => out.push('abort');
  r.onload = () => out.push(r.responseText);
  r.open('GET', '/slow');
  r.send();
  r.open('GET', '/data.txt');
  r.send();
  await soon(600);
  return out;
});
probe('handlers by property and by listener', async () => {
  const out = [];
  await xhr('GET', '/data.txt', {
    before: (r) => {
      r.onload = function (e) {
        out.push(this === r, e.type, e instanceof ProgressEvent, e.loaded, e.total, e.lengthComputable);
      };
      r.addEventListener('load', { handleEvent: () => out.push('object') });
    },
  });
  return out;
});
probe('an upload', async () => {
  const out = [];
  await xhr('POST', '/data.txt', { send: 'body', before: (r) => ['loadstart', 'progress', 'load', 'loadend'].forEach((n) => r.upload.addEventListener(n, (e) => out.push(`${n} ${e.loaded}`))) });
  return out;
});
probe('forms as bodies', async () => {
  const form = new FormData();
  form.append('pier', 'north');
  form.append('map', new Blob(['x'], { type: 'text/plain' }), 'map.txt');
  const request = new Request('/x', { method: 'POST', body: form });
  const text = await request.text();
  const boundary = /boundary=(.*)/.exec(request.headers.get('content-type'))[1];
  return text.replaceAll(boundary, '-').split('\r\n');
});
probe('parameters as bodies', async () => {
  const request = new Request('/x', { method: 'POST', body: new URLSearchParams({ a: '1 2', b: 'ü' }) });
  return [request.headers.get('content-type'), await request.text()];
});
probe('a body of a request that has none', () => new Request('/x', { body: 'a' }));
probe('fetch with a signal', async () => {
  const control = new AbortController();
  const wait = fetch('/slow', { signal: control.signal });
  control.abort();
  try {
    await wait;
  } catch (e) {
    return [e.name, control.signal.aborted, control.signal.reason.name];
  }
});
probe('fetch with a reason', async () => {
  try {
    await fetch('/data.txt', { signal: AbortSignal.abort('gone') });
  } catch (e) {
    return e;
  }
});
probe('fetch with a time limit', async () => {
  try {
    await fetch('/slow', { signal: AbortSignal.timeout(40) });
  } catch (e) {
    return e.name;
  }
});
probe('any of several signals', () => {
  const one = new AbortController();
  const any = AbortSignal.any([one.signal, new AbortController().signal]);
  const out = [any.aborted];
  any.onabort = () => out.push('abort');
  one.abort('why');
  return [...out, any.aborted, any.reason];
});
probe('redirects by hand', async () => {
  const r = await fetch('/moved', { redirect: 'manual' });
  return [r.type, r.status, r.url.slice(location.origin.length), r.ok];
});
probe('redirects as errors', () => fetch('/moved', { redirect: 'error' }));
probe('what a redirected answer tells', async () => {
  const r = await fetch('/moved');
  return [r.redirected, r.url.slice(location.origin.length), r.type];
});
probe('a body once', async () => {
  const r = await fetch('/data.txt');
  await r.text();
  return [r.bodyUsed, await r.text().catch((e) => e.name)];
});
probe('a copy of an answer', async () => {
  const r = await fetch('/data.txt');
  const c = r.clone();
  return [await r.text(), await c.text(), c.url === r.url, c.headers.get('content-type')];
});
probe('a copy of one that is used', async () => {
  const r = await fetch('/data.txt');
  await r.text();
  r.clone();
});
probe('read as a stream', async () => {
  const reader = (await fetch('/data.txt')).body.getReader();
  let n = 0;
  for (let part = await reader.read(); !part.done; part = await reader.read()) n += part.value.length;
  return n;
});
probe('piped through a decoder', async () => {
  const reader = (await fetch('/data.txt')).body.pipeThrough(new TextDecoderStream()).getReader();
  return (await reader.read()).value;
});
probe('made answers', async () => [
  Response.json({ a: 1 }).headers.get('content-type'),
  await Response.json([1]).text(),
  Response.error().type,
  Response.redirect('/x', 301).headers.get('location').slice(location.origin.length),
  new Response(null, { status: 204 }).body,
]);
probe('an answer with a status that takes no body', () => new Response('a', { status: 204 }));
probe('headers of several values', () => {
  const h = new Headers([
    ['b', '1'],
    ['a', '2'],
    ['B', '3'],
    ['set-cookie', 'x'],
    ['Set-Cookie', 'y'],
  ]);
  return [[...h].map(String), h.getSetCookie()];
});
probe('a beacon', () => [navigator.sendBeacon('/none', 'x'), navigator.sendBeacon('/none')]);
const rejectedWith = (start) => new Promise((done) => {
  const heard = (e) => { e.preventDefault(); done(e.reason.name); };
  addEventListener('unhandledrejection', heard, { once: true });
  setTimeout(() => { removeEventListener('unhandledrejection', heard); done('not dispatched'); }, 300);
  start();
});
probe('unhandledrejection: json() of a fetched body', () => rejectedWith(() => { fetch('data:text/html,<p>').then((r) => r.json()); }));
probe('unhandledrejection: json() of a fetched body, thrown again', () => rejectedWith(() => { fetch('data:text/html,<p>').then((r) => r.json()).then(() => {}, (e) => { throw e; }); }));
probe('unhandledrejection: json() of a constructed body', () => rejectedWith(() => { new Response('<p>').json(); }));
probe('unhandledrejection: JSON.parse of a fetched text', () => rejectedWith(() => { fetch('data:text/html,<p>').then((r) => r.text()).then(JSON.parse); }));
