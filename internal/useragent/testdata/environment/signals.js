// Events, signals, timers, ports, channels and locks.
test('listeners with once, capture and signal', () => {
  const target = new EventTarget();
  const seen = [];
  const add = (name, options) => target.addEventListener('x', () => seen.push(name), options);
  const c = new AbortController();
  add('plain');
  add('once', { once: true });
  add('signal', { signal: c.signal });
  add('never', { signal: AbortSignal.abort() });
  add('capture', true);
  target.dispatchEvent(new Event('x'));
  c.abort();
  target.dispatchEvent(new Event('x'));
  is(seen.filter((n) => n === 'plain').length, 2);
  is(seen.filter((n) => n === 'once').length, 1);
  is(seen.filter((n) => n === 'signal').length, 1);
  yes(!seen.includes('never'));
  is(seen.filter((n) => n === 'capture').length, 2);
});

test('the same listener counts once', () => {
  const target = new EventTarget();
  let n = 0;
  const f = () => n++;
  target.addEventListener('x', f);
  target.addEventListener('x', f);
  target.addEventListener('x', f, true);
  target.dispatchEvent(new Event('x'));
  is(n, 2);
  target.removeEventListener('x', f, { capture: true });
  target.dispatchEvent(new Event('x'));
  is(n, 3);
  target.addEventListener('x', null);
  throws('TypeError', () => target.addEventListener('x', 5));
  throws('TypeError', () => target.addEventListener('x'));
});

test('objects listen as well, and are asked each time', () => {
  const target = new EventTarget();
  const seen = [];
  const listener = { handleEvent(e) { seen.push('first', e.type, this === listener); } };
  target.addEventListener('x', listener);
  target.dispatchEvent(new Event('x'));
  listener.handleEvent = () => seen.push('second');
  target.dispatchEvent(new Event('x'));
  is(seen, ['first', 'x', true, 'second']);
});

test('a listener added meanwhile waits for the next event', () => {
  const target = new EventTarget();
  const seen = [];
  target.addEventListener('x', () => { seen.push('a'); target.addEventListener('x', () => seen.push('late'), { once: true }); }, { once: true });
  target.dispatchEvent(new Event('x'));
  is(seen, ['a']);
  target.dispatchEvent(new Event('x'));
  is(seen, ['a', 'late']);
});

test('what an event can be told', () => {
  const e = new Event('x', { bubbles: true, cancelable: true, composed: true });
  is([e.type, e.bubbles, e.cancelable, e.composed, e.defaultPrevented, e.isTrusted, e.eventPhase], ['x', true, true, true, false, false, 0]);
  e.preventDefault();
  is([e.defaultPrevented, e.returnValue], [true, false]);
  const plain = new Event('y');
  plain.preventDefault();
  is(plain.defaultPrevented, false);
  is(plain.target, null);
  const passive = new EventTarget();
  passive.addEventListener('z', (ev) => ev.preventDefault(), { passive: true });
  is(passive.dispatchEvent(new Event('z', { cancelable: true })), true);
  throws('InvalidStateError', () => { const t = new EventTarget(); t.addEventListener('q', (ev) => t.dispatchEvent(ev)); let error; const ev = new Event('q'); t.addEventListener('q', () => { try { t.dispatchEvent(ev); } catch (er) { error = er; } }); t.removeEventListener('q', null); error = null; try { const inner = new EventTarget(); inner.addEventListener('q', (x) => { try { inner.dispatchEvent(x); } catch (er) { error = er; } }); inner.dispatchEvent(new Event('q')); } catch {} if (error) throw error; });
});

test('kinds of events carry their data', () => {
  is(new CustomEvent('x', { detail: { a: 1 } }).detail, { a: 1 });
  is(new CustomEvent('x').detail, null);
  const m = new MessageEvent('x', { data: 5, origin: 'https://line.example', lastEventId: '7' });
  is([m.data, m.origin, m.lastEventId, m.source, m.ports.length], [5, 'https://line.example', '7', null, 0]);
  const e = new ErrorEvent('x', { message: 'low', filename: 'w.js', lineno: 3, colno: 4, error: null });
  is([e.message, e.filename, e.lineno, e.colno], ['low', 'w.js', 3, 4]);
  throws('TypeError', () => new PromiseRejectionEvent('x'));
});

test('signals of signals', async () => {
  const a = new AbortController();
  const b = new AbortController();
  const any = AbortSignal.any([a.signal, b.signal]);
  let heard = 0;
  any.onabort = () => heard++;
  b.abort('fog');
  is([any.aborted, any.reason, heard], [true, 'fog', 1]);
  a.abort('late');
  is([any.reason, heard], ['fog', 1]);
  is(AbortSignal.any([]).aborted, false);
  is(AbortSignal.any([AbortSignal.abort(1), AbortSignal.abort(2)]).reason, 1);
  let thrown;
  try { any.throwIfAborted(); } catch (error) { thrown = error; }
  is(thrown, 'fog');
  is(new AbortController().signal.throwIfAborted(), undefined);
});

test('a signal for when time is up', async () => {
  const s = AbortSignal.timeout(5);
  is(s.aborted, false);
  await new Promise((ok) => { s.onabort = ok; });
  is([s.aborted, s.reason.name], [true, 'TimeoutError']);
  const c = new AbortController();
  c.abort();
  is([c.signal.reason.name, c.signal.reason instanceof DOMException], ['AbortError', true]);
});

test('timers fire in their order', async () => {
  const seen = [];
  setTimeout((a, b) => seen.push(a + b), 6, 'c', '!');
  setTimeout(() => seen.push('b'), 3);
  queueMicrotask(() => seen.push('micro'));
  Promise.resolve().then(() => seen.push('then'));
  const gone = setTimeout(() => seen.push('gone'), 1);
  clearTimeout(gone);
  clearTimeout(undefined);
  let n = 0;
  const every = setInterval(() => { if (++n === 3) clearInterval(every); }, 1);
  seen.push('now');
  await later(40);
  is(seen, ['now', 'micro', 'then', 'b', 'c!']);
  is(n, 3);
  throws('TypeError', () => queueMicrotask('text'));
});

test('ports carry copies, in order, once they are open', async () => {
  const { port1, port2 } = new MessageChannel();
  const got = [];
  const message = { list: [1] };
  port1.postMessage(message);
  message.list.push(2);
  port1.postMessage('second');
  await later(5);
  is(got, []);
  port2.onmessage = (e) => got.push(e.data);
  await later(20);
  is(got, [{ list: [1] }, 'second']);
  port2.close();
  port1.postMessage('lost');
  await later(5);
  is(got.length, 2);
  throws('DataCloneError', () => port1.postMessage(() => 1));
  throws('TypeError', () => new MessagePort());
});

test('ports travel through ports', async () => {
  const outer = new MessageChannel();
  const inner = new MessageChannel();
  const reply = new Promise((ok) => { inner.port1.onmessage = (e) => ok(e.data); });
  outer.port2.onmessage = (e) => e.ports[0].postMessage('through ' + e.data);
  outer.port1.postMessage('two', [inner.port2]);
  is(await reply, 'through two');
});

test('channels by name', async () => {
  const [a, b, c] = [new BroadcastChannel('tides'), new BroadcastChannel('tides'), new BroadcastChannel('other')];
  const got = [];
  a.onmessage = () => got.push('self');
  b.onmessage = (e) => got.push(e.data.height, e.target === b);
  c.onmessage = () => got.push('other');
  is(a.name, 'tides');
  a.postMessage({ height: 3.6 });
  await later(20);
  is(got, [3.6, true]);
  b.close();
  a.postMessage({ height: 1 });
  await later(10);
  is(got.length, 2);
  throws('InvalidStateError', () => b.postMessage(1));
  throws('DataCloneError', () => a.postMessage(Symbol('x')));
});

test('locks are held one after the other', async () => {
  const order = [];
  const hold = (name, ms, options = {}) => navigator.locks.request(name, options, async (lock) => { order.push(`${name} ${lock?.mode ?? 'none'}`); await later(ms); order.push(`${name} done`); return 7; });
  is(await hold('a', 1), 7);
  order.length = 0;
  await Promise.all([hold('b', 4), hold('b', 1)]);
  is(order, ['b exclusive', 'b done', 'b exclusive', 'b done']);
  order.length = 0;
  await Promise.all([hold('c', 4, { mode: 'shared' }), hold('c', 1, { mode: 'shared' })]);
  is(order.slice(0, 2), ['c shared', 'c shared']);
  await rejects('RangeError', navigator.locks.request('d', () => { throw new RangeError('no'); }));
  is(await navigator.locks.request('d', () => 'free again'), 'free again');
});

test('locks that are not waited for', async () => {
  let free;
  const held = navigator.locks.request('e', () => new Promise((ok) => { free = ok; }));
  await later(2);
  is(await navigator.locks.request('e', { ifAvailable: true }, (lock) => lock), null);
  const first = new AbortController();
  const second = navigator.locks.request('e', { signal: new AbortController().signal }, () => 'second');
  const given = navigator.locks.request('e', { signal: first.signal }, () => 'never');
  first.abort('left');
  let why;
  try { await given; } catch (error) { why = error; }
  is(why, 'left');
  free();
  await held;
  is(await second, 'second');
  let aborted;
  try { await navigator.locks.request('e', { signal: AbortSignal.abort('early') }, () => 'never'); } catch (error) { aborted = error; }
  is(aborted, 'early');
});

test('errors have names and old numbers', () => {
  const e = new DOMException('low water', 'NotFoundError');
  is([e.name, e.message, e.code, String(e)], ['NotFoundError', 'low water', 8, 'NotFoundError: low water']);
  yes(e instanceof Error);
  is([new DOMException().name, new DOMException().code, DOMException.ABORT_ERR], ['Error', 0, 20]);
  is(new DOMException('x', 'Own').code, 0);
});
