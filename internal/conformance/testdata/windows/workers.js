// HTML, 10: dedicated workers, and what crosses to them.
const worker = (text, options) => new Worker(URL.createObjectURL(new Blob([text], { type: 'text/javascript' })), options);
const answerOf = (w, message, transfer) =>
  new Promise((done) => {
    w.onmessage = (e) => done(e.data);
    w.onerror = (e) => {
      e.preventDefault();
      done(`error ${e.message}`);
    };
    w.postMessage(message, transfer);
  });
probe('an answer of a worker', () => answerOf(worker('onmessage = (e) => postMessage([e.data, typeof document, typeof self, self instanceof WorkerGlobalScope, name]);'), 'hello'));
probe('a worker with a name', () => answerOf(worker('onmessage = () => postMessage([name, self.constructor.name]);', { name: 'tides' })));
probe('a module as a worker', () => answerOf(worker("const m = await import('data:text/javascript,export default 4'); onmessage = () => postMessage([m.default, typeof importScripts]);", { type: 'module' }), 1));
probe('a worker that imports', () => answerOf(worker(`onmessage = () => { importScripts('${location.origin}/imported.js'); postMessage(imported); };`)));
probe('a worker that imports what is not there', () => answerOf(worker(`onmessage = () => { try { importScripts('${location.origin}/none'); } catch (e) { postMessage([e.name, e instanceof DOMException]); } };`)));
probe('an error in a worker', () => answerOf(worker("onmessage = () => { throw new TypeError('in the worker'); };")));
probe('a worker that cannot be read', () =>
  new Promise((done) => {
    const w = new Worker('/none');
    w.onerror = (e) => done([e.type, e instanceof ErrorEvent, e.message]);
  }));
probe('a worker of another origin', () => new Worker('https://other.example/w.js'));
probe('a worker of no address', () => new Worker('http://['));
probe('a worker that is ended', async () => {
  const w = worker('setInterval(() => postMessage(1), 5);');
  const out = [];
  w.onmessage = () => out.push(1);
  await soon(400);
  w.terminate();
  const n = out.length;
  await soon(40);
  return [n > 0, out.length === n];
});
probe('a worker that ends itself', async () => {
  const w = worker("postMessage('a'); close(); setTimeout(() => postMessage('b'), 5);");
  const out = [];
  w.onmessage = (e) => out.push(e.data);
  await soon(600);
  return out;
});
probe('a worker within a worker', () => answerOf(worker("onmessage = () => { const inner = new Worker(URL.createObjectURL(new Blob(['postMessage(7)']))); inner.onmessage = (e) => postMessage(e.data + 1); };")));
probe('what a worker is handed', async () => {
  const buffer = new Uint8Array([1, 2, 3]).buffer;
  const sum = await answerOf(worker('onmessage = (e) => postMessage(new Uint8Array(e.data).reduce((a, b) => a + b));'), buffer, [buffer]);
  return [sum, buffer.byteLength];
});
probe('a port for a worker', () =>
  new Promise((done) => {
    const { port1, port2 } = new MessageChannel();
    port1.onmessage = (e) => done(e.data);
    worker('onmessage = (e) => e.ports[0].postMessage(e.data * 2);').postMessage(21, [port2]);
  }));
probe('requests of a worker', () => answerOf(worker(`onmessage = async () => { const r = await fetch('${location.origin}/data.json'); postMessage([r.status, (await r.json()).tides]); };`)));
probe('a blocking request of a worker', () => answerOf(worker(`onmessage = () => { const r = new XMLHttpRequest(); r.open('GET', '${location.origin}/data.txt', false); r.send(); postMessage([r.status, r.responseText]); };`)));
probe('databases of a worker', () => answerOf(worker("onmessage = () => { const r = indexedDB.open('of a worker'); r.onsuccess = () => postMessage([r.result.name, r.result.version]); };")));
probe('where a worker is', () => answerOf(worker('onmessage = () => postMessage([location.protocol, typeof location.href, navigator.onLine, typeof navigator.userAgent, self.origin === undefined, isSecureContext]);')));
