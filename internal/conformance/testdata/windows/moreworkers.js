// HTML, 10: what dedicated workers find.
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
probe('timers of a worker', () => answerOf(worker('onmessage = () => { let n = 0; const t = setInterval(() => { if (++n === 3) { clearInterval(t); postMessage(n); } }, 2); };')));
probe('what workers lack', () => answerOf(worker("onmessage = () => postMessage(['document', 'window', 'localStorage', 'alert', 'XMLSerializer', 'caches', 'indexedDB', 'WebSocket', 'requestAnimationFrame', 'BroadcastChannel'].filter((n) => typeof self[n] === 'undefined'));")));
probe('promises that nobody takes in a worker', () => answerOf(worker("onunhandledrejection = (e) => { e.preventDefault(); postMessage(['rejected', String(e.reason)]); }; onmessage = () => { Promise.reject(new Error('x')); };")));
