// Walks through all that a page can reach and lists what does not belong to its realm: objects with a prototype that is
// neither the page's own nor that of an interface.
(async () => {
  const leaks = new Set();
  const seen = new Set();
  const LANGUAGE = new Set(['Object', 'Function', 'Array', 'Map', 'Set', 'WeakMap', 'WeakSet', 'RegExp', 'Promise', 'Error', 'TypeError', 'RangeError', 'Date', 'String', 'Number', 'Boolean', 'Symbol', 'Uint8Array', 'ArrayBuffer', 'AsyncFunction', 'GeneratorFunction']);
  const SKIP = new Set(['close', 'stop', 'print', 'reload', 'assign', 'replace', 'back', 'forward', 'go', 'submit', 'requestSubmit', 'click', 'remove', 'open', 'write', 'writeln', 'debugger', 'alert', 'prompt', 'confirm', 'terminate', 'reset', 'replaceChildren', 'replaceWith', 'postMessage', 'navigate', 'traverseTo', 'unregister', 'exitFullscreen', 'clear']);
  const tail = async (promise, path, depth) => { try { visit(await promise, `${path}^`, depth); } catch (e) { visit(e, `${path}!`, depth); } };
  const waiting = [];
  const tried = new Map(); // holder of a member → how often each was used
  const often = (holder, key) => {
    if (!tried.has(holder)) tried.set(holder, new Map());
    const counts = tried.get(holder);
    counts.set(key, (counts.get(key) ?? 0) + 1);
    return counts.get(key) > 2;
  };
  // The same leak is found on many ways: it is told once for a member.
  const told = new Set();
  const leak = (path, what) => {
    const key = `${path.slice(path.lastIndexOf('.') + 1)} ${what}`;
    if (!told.has(key)) leaks.add(`${path}: ${what}`);
    told.add(key);
  };
  function check(o, path) {
    let p = o;
    for (let n = 0; n < 20; n++) {
      const next = Object.getPrototypeOf(p);
      if (next === null) {
        if (p !== Object.prototype && n > 0) leak(path, 'its last prototype is not Object.prototype');
        return;
      }
      const own = Object.getOwnPropertyDescriptor(next, 'constructor')?.value;
      if (typeof own === 'function' && own.prototype !== next && LANGUAGE.has(own.name)) leak(path, `a foreign ${own.name}.prototype`);
      p = next;
    }
  }
  function visit(o, path, depth) {
    if ((typeof o !== 'object' && typeof o !== 'function') || o === null || seen.has(o) || depth > 7) return;
    seen.add(o);
    try { check(o, path); } catch { return; } // of another origin
    for (let holder = o; holder && holder !== Object.prototype && holder !== Function.prototype && holder !== Array.prototype; holder = Object.getPrototypeOf(holder)) {
      let keys;
      try { keys = Reflect.ownKeys(holder); } catch { continue; }
      for (const key of keys) {
        const name = `${path}.${String(key)}`;
        if (holder !== o && often(holder, key)) continue;
        let d;
        try { d = Object.getOwnPropertyDescriptor(holder, key); } catch { continue; }
        if (!d) continue;
        for (const f of [d.get, d.set]) if (f) visit(f, `${name}()`, depth + 1);
        if ('value' in d) visit(d.value, name, depth + 1);
        else if (d.get && holder !== o || d.get && o === window) {
          let got;
          try { got = d.get.call(o); } catch (e) { visit(e, `${name}!`, depth + 1); continue; }
          if (got instanceof Promise) waiting.push(tail(got, name, depth + 1)); else visit(got, name, depth + 1);
        }
        // Methods of instances, without arguments and with one.
        if (typeof d.value === 'function' && holder !== o && !SKIP.has(key) && key !== 'constructor' && depth < 6)
          for (const args of [[], ['a'], ['a', 'b']]) {
            let got;
            try { got = d.value.apply(o, args); } catch (e) { visit(e, `${name}(${args})!`, depth + 1); continue; }
            if (got instanceof Promise) waiting.push(tail(got, `${name}(${args})`, depth + 1)); else visit(got, `${name}(${args})`, depth + 1);
          }
      }
    }
  }
  const made = {
    formData: new FormData(), params: new URLSearchParams('a=b'), headers: new Headers({ a: 'b' }), url: new URL('/x', location.href), event: new CustomEvent('x'), controller: new AbortController(), channel: new MessageChannel(),
    blob: new Blob(['x']), response: new Response('{"a":[1]}'), response2: new Response('a'), request: new Request('/x'), encoder: new TextEncoder(), decoder: new TextDecoder(), range: document.createRange(), parser: new DOMParser(), walker: document.createTreeWalker(document), stream: new ReadableStream({ start(c) { c.enqueue('x'); c.close(); } }),
    canvas: document.createElement('canvas'), select: document.createElement('select'), table: document.createElement('table'), input: document.createElement('input'), form: document.createElement('form'), style: document.head.appendChild(Object.assign(document.createElement('style'), { textContent: 'p { color: red } @media print { p { margin: 0 } }' })),
    shadow: document.createElement('div').attachShadow({ mode: 'open' }), number: new Intl.NumberFormat('en'), date: new Intl.DateTimeFormat('en'), pattern: new URLPattern({ pathname: '/:a' }), transform: new TransformStream(), rect: new DOMRect(1, 2, 3, 4), xhr: new XMLHttpRequest(), reader: new FileReader(), observer: new IntersectionObserver(() => {}), resize: new ResizeObserver(() => {}), db: indexedDB.open('tides'), worker: new Worker('data:text/javascript,1'), image: new Image(), map: new Map(), group: Object.groupBy([1], () => 'a'), clone: structuredClone({ a: [new Map([[1, new Set([2])]]), new Date(), /x/] }),
  };
  made.formData.append('a', 'b');
  document.body.innerHTML += '<p id=pier class="a b" data-x=1 style="color: red">Sailings <a href=/more.html>more</a></p><form id=f><input name=n value=v></form>';
  const records = await new Promise((done) => { new MutationObserver(done).observe(document.body, { childList: true }); document.body.append('x'); });
  const entries = await new Promise((done) => { new PerformanceObserver(done).observe({ entryTypes: ['mark'] }); performance.mark('a'); });
  const heard = await new Promise((done) => { addEventListener('message', done, { once: true }); postMessage({ a: [1] }, '*'); });
  const kept = await caches.open('tides').then(async (c) => { await c.put('/x', new Response('x')); return { cache: c, keys: await c.keys(), all: await c.matchAll(), names: await caches.keys() }; });
  const read = await made.stream.getReader().read();
  Object.assign(made, { records, entries, heard, kept, read });
  visit(made, 'made', 0);
  visit(window, 'window', 0);
  for (const list of [[...made.formData], [...made.params], [...made.headers], [...document.forms.f], made.formData.entries().next(), document.querySelectorAll('p').entries().next(), made.pattern.exec('/x', location.href), Array.fromAsync([1])]) visit(list, 'list', 3);
  for (let i = 0; i < waiting.length && i < 5000; i++) await Promise.race([waiting[i], new Promise((done) => setTimeout(done, 1))]);
  document.title = `${seen.size} objects`;
  document.body.textContent = [...leaks].slice(0, 200).join('\n') || 'no leaks';
})().catch((e) => { document.body.textContent = `the walk failed: ${e} ${e.stack}`; });
