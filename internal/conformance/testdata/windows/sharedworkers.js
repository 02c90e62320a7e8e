// HTML, 10.2.6.4: workers that documents share.
const at = (text, type = 'text/javascript') => URL.createObjectURL(new Blob([text], { type }));
const next = (target, type = 'message') => new Promise((done) => target.addEventListener(type, done, { once: true }));
const from = (port) => {
  port.start();
  return next(port).then((e) => e.data);
};
// Counts its connections, and answers with what is asked for.
const COUNTS = `let n = 0; onconnect = (e) => { n++; const port = e.ports[0];
  port.postMessage([n, name, e.data, e.origin, e.source === port, e.ports.length, e instanceof MessageEvent, Object.isFrozen(e.ports)]);
  port.onmessage = ({ data }) => { try { port.postMessage(eval(data)); } catch (x) { port.postMessage(x.name); } }; };`;
const counts = at(COUNTS);
const ask = (w, text) => {
  w.port.postMessage(text);
  return from(w.port);
};
probe('one worker for each name', async () => {
  const list = [new SharedWorker(counts), new SharedWorker(counts), new SharedWorker(counts, 'ebb'), new SharedWorker(counts, { name: 'ebb' })];
  const all = [];
  for (const w of list) all.push(await from(w.port));
  return all.map(String);
});
probe('its global object', async () => {
  const w = new SharedWorker(counts, 'global');
  await from(w.port);
  return [
    await ask(w, 'Object.prototype.toString.call(self)'),
    await ask(w, 'self.constructor.name'),
    await ask(w, 'self instanceof SharedWorkerGlobalScope && self instanceof WorkerGlobalScope'),
    await ask(w, "['postMessage', 'close', 'importScripts', 'requestAnimationFrame', 'DedicatedWorkerGlobalScope', 'SharedWorker', 'Worker', 'document', 'onconnect', 'onmessage', 'applicationCache'].map((n) => `${n} ${typeof self[n]}`).join()"),
    await ask(w, 'location.protocol'),
    await ask(w, 'typeof navigator.serviceWorker'),
    await ask(w, "Object.getOwnPropertyDescriptor(self, 'name')?.set === undefined"),
  ];
});
probe('a connection that comes later', async () => {
  const w = new SharedWorker(counts, 'later');
  await from(w.port);
  await soon(30);
  return from(new SharedWorker(counts, 'later').port);
});
probe('another kind of one name', async () => {
  const first = new SharedWorker(counts, 'kind');
  await from(first.port);
  const second = new SharedWorker(counts, { name: 'kind', type: 'module' });
  const e = await next(second, 'error');
  return [Object.prototype.toString.call(e), e.type, e.cancelable, e.bubbles];
});
probe('a script that is not there', async () => {
  const e = await next(new SharedWorker('/nowhere.js'), 'error');
  return [Object.prototype.toString.call(e), e.cancelable];
});
probe('an address of another origin', () => new SharedWorker('https://a.example/x.js'));
probe('no address', () => new SharedWorker('http://['));
probe('no argument', () => new SharedWorker());
probe('no kind', () => new SharedWorker(counts, { type: 'other' }));
probe('without new', () => SharedWorker(counts));
probe('its port', () => {
  const w = new SharedWorker(counts, 'port');
  return [w.port instanceof MessagePort, w.port === w.port, w.onerror, 'onmessage' in w, w instanceof EventTarget, Object.prototype.toString.call(w)];
});
probe('a module', async () => {
  const w = new SharedWorker(at(`import { value } from '${location.origin}/module.js'; await 0; onconnect = (e) => e.ports[0].postMessage([value, typeof importScripts, import.meta.url.slice(0, 5)]);`), { type: 'module' });
  return from(w.port);
});
probe('a script of the host', async () => {
  const w = new SharedWorker('/shared.js', { name: 'tides' });
  return from(w.port);
});
probe('one for a page and its frame', async () => {
  const text = at(COUNTS);
  const mine = new SharedWorker(text, 'frames');
  const first = await from(mine.port);
  const frame = document.createElement('iframe');
  document.body.append(frame);
  const theirs = new frame.contentWindow.SharedWorker(text, 'frames');
  return [first[0], (await from(theirs.port))[0]];
});
probe('one that closes', async () => {
  const text = at(COUNTS);
  const first = new SharedWorker(text, 'closing');
  await from(first.port);
  await ask(first, 'setTimeout(close, 5), 1');
  await soon(60);
  return (await from(new SharedWorker(text, 'closing').port))[0];
});
probe('storage that it shares', async () => {
  const w = new SharedWorker(counts, 'storage');
  await from(w.port);
  const channel = new BroadcastChannel('shared-tides');
  const heard = next(channel);
  await ask(w, "(new BroadcastChannel('shared-tides')).postMessage('ebb'), 1");
  return (await heard).data;
});
probe('a port that it is given', async () => {
  const w = new SharedWorker(at("onconnect = (e) => { e.ports[0].onmessage = (m) => m.ports[0].postMessage(m.data + 1); };"), 'given');
  const c = new MessageChannel();
  w.port.postMessage(1, [c.port2]);
  return from(c.port1);
});
probe('its requests', async () => {
  const w = new SharedWorker(at(`onconnect = async (e) => e.ports[0].postMessage(await (await fetch('${location.origin}/data.txt')).text());`), 'requests');
  return from(w.port);
});
