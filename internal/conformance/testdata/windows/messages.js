// HTML, 9.4: channels, structured clones and what is handed over.
probe('a channel', () =>
  new Promise((done) => {
    const { port1, port2 } = new MessageChannel();
    port2.onmessage = (e) => done([e.data, e.origin, e.source, e.ports.length, e.lastEventId]);
    port1.postMessage({ tide: 3 });
  }));
probe('a channel that is not started', async () => {
  const { port1, port2 } = new MessageChannel();
  const out = [];
  port2.addEventListener('message', (e) => out.push(e.data));
  port1.postMessage('a');
  await soon(20);
  out.push('started');
  port2.start();
  await soon(20);
  return out;
});
probe('a channel that is closed', async () => {
  const { port1, port2 } = new MessageChannel();
  const out = [];
  port2.onmessage = (e) => out.push(e.data);
  port1.close();
  port1.postMessage('a');
  await soon(20);
  return out;
});
probe('a port within a port', () =>
  new Promise((done) => {
    const one = new MessageChannel();
    const two = new MessageChannel();
    one.port2.onmessage = (e) => {
      e.ports[0].onmessage = (f) => done(f.data);
    };
    one.port1.postMessage('take it', [two.port2]);
    two.port1.postMessage('through');
  }));
probe('a port handed to itself', () => {
  const { port1 } = new MessageChannel();
  port1.postMessage('x', [port1]);
});
probe('a buffer that is handed over', () => {
  const { port1 } = new MessageChannel();
  const buffer = new ArrayBuffer(8);
  port1.postMessage(buffer, [buffer]);
  return [buffer.byteLength, buffer.detached];
});
probe('handed over twice', () => {
  const buffer = new ArrayBuffer(8);
  structuredClone(1, { transfer: [buffer, buffer] });
});
probe('clones of all kinds', () => {
  const source = { date: new Date(3), re: /a+/gi, map: new Map([['a', new Set([1])]]), list: [, 1], bytes: new Uint8Array([1, 2]), error: new RangeError('far'), big: 2n, boxed: Object('s') };
  const copy = structuredClone(source);
  return [copy.date.getTime(), String(copy.re), copy.map.get('a').has(1), 0 in copy.list, copy.list.length, [...copy.bytes], copy.error.name, copy.error.message, copy.error instanceof RangeError, copy.big === 2n, typeof copy.boxed, String(copy.boxed)];
});
probe('clones of loops', () => {
  const a = { n: 1 };
  a.self = a;
  const copy = structuredClone(a);
  return [copy !== a, copy.self === copy];
});
probe('clones lose their class', () => {
  class Pier {
    constructor() {
      this.n = 1;
    }
    get depth() {
      return 2;
    }
  }
  const copy = structuredClone(new Pier());
  return [copy.constructor === Object, copy.n, copy.depth];
});
for (const [name, make] of Object.entries({ 'a function': () => () => {}, 'a symbol': () => Symbol('x'), 'an element': () => document.createElement('p'), 'a promise': () => Promise.resolve(), 'a weak map': () => new WeakMap(), 'a window': () => window }))
  probe(`what cannot be cloned: ${name}`, () => structuredClone(make()));
probe('getters run while cloning', () => {
  const out = [];
  structuredClone({
    get a() {
      out.push('read');
      return 1;
    },
  });
  return out;
});
probe('a channel for all', () =>
  new Promise((done) => {
    const one = new BroadcastChannel('all');
    const two = new BroadcastChannel('all');
    const out = [];
    one.onmessage = () => out.push('itself');
    two.onmessage = (e) => {
      out.push(e.data);
      done(out);
    };
    one.postMessage('news');
  }));
probe('a channel for all that is closed', () => {
  const channel = new BroadcastChannel('closed');
  channel.close();
  channel.postMessage('x');
});
probe('messages that cannot be read back', () => [new MessageEvent('message', { data: 1, origin: 'o', lastEventId: 'i' }).origin, String(new MessageEvent('x').source), new MessageEvent('x').ports.length]);
probe('locks', async () => {
  const out = [];
  const first = navigator.locks.request('pier', async (lock) => {
    out.push(lock.name, lock.mode);
    await soon(10);
    out.push('released');
  });
  const second = navigator.locks.request('pier', () => out.push('second'));
  await Promise.all([first, second]);
  return out;
});
probe('a lock that is not free', async () => {
  let free;
  const held = navigator.locks.request('held', () => new Promise((done) => (free = done)));
  while (!free) await soon(5);
  const got = await navigator.locks.request('held', { ifAvailable: true }, (lock) => lock);
  free();
  await held;
  return got;
});
probe('shared locks', async () => {
  const out = [];
  await Promise.all([1, 2].map((n) => navigator.locks.request('shared', { mode: 'shared' }, async () => {
    out.push(`in ${n}`);
    await soon(10);
    out.push(`out ${n}`);
  })));
  return out;
});
