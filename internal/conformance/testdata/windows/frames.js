// HTML, 7: frames, their windows and documents, and what crosses between them.
const framed = (attributes = {}) =>
  new Promise((done) => {
    const frame = document.createElement('iframe');
    for (const [name, value] of Object.entries(attributes)) frame.setAttribute(name, value);
    frame.onload = () => done(frame);
    document.body.append(frame);
  });
probe('an empty frame', () => {
  const frame = document.createElement('iframe');
  const before = [frame.contentWindow, frame.contentDocument];
  document.body.append(frame);
  const { contentDocument: d, contentWindow: w } = frame;
  return [...before, d.URL, d.readyState, d.body !== null, w.parent === window, w.top === window, w.frameElement === frame, w.length, d.defaultView === w];
});
probe('where an empty frame belongs', () => {
  const frame = document.createElement('iframe');
  document.body.append(frame);
  return [frame.contentWindow.origin === location.origin, frame.contentDocument.baseURI === document.baseURI, frame.contentWindow.location.href];
});
probe('interfaces of its own', () => {
  const frame = document.createElement('iframe');
  document.body.append(frame);
  const w = frame.contentWindow;
  return [w.Array !== Array, w.Document !== Document, frame.contentDocument instanceof w.Document, frame.contentDocument instanceof Document, [] instanceof w.Array];
});
probe('a page in a frame', async () => {
  const frame = await framed({ src: '/page.html' });
  return [frame.contentDocument.title, frame.contentWindow.location.pathname, frame.contentDocument.referrer === location.href];
});
probe('a page as an attribute', async () => {
  const frame = await framed({ srcdoc: '<title>In</title><p id=a>text</p>' });
  return [frame.contentDocument.title, frame.contentDocument.URL, frame.contentDocument.getElementById('a').textContent, frame.srcdoc.length > 0, frame.contentWindow.origin === location.origin];
});
probe('scripts in a frame', async () => {
  const frame = await framed({ srcdoc: '<script>parent.fromFrame = [typeof parent.probe, self === top, window.name]; var mine = 5;</scr' + 'ipt>', name: 'inner' });
  return [window.fromFrame, frame.contentWindow.mine];
});
probe('names of frames', async () => {
  await framed({ name: 'skerra', srcdoc: '' });
  return [typeof window.skerra, window.skerra.name, frames === window, typeof frames.skerra];
});
probe('the number of frames', async () => {
  const before = length;
  const frame = await framed({ srcdoc: '' });
  const during = length;
  frame.remove();
  return [during - before, length - before];
});
probe('a frame that is taken out', async () => {
  const frame = await framed({ srcdoc: '' });
  const w = frame.contentWindow;
  frame.remove();
  return [frame.contentWindow, frame.contentDocument, w.closed, w.parent, w.frameElement];
});
probe('messages to a frame and back', async () => {
  const frame = await framed({ srcdoc: "<script>onmessage = (e) => e.source.postMessage(['back', e.data, e.origin === location.origin || e.origin === parent.location.origin], '*');</scr" + 'ipt>' });
  return new Promise((done) => {
    addEventListener('message', function heard(e) {
      if (e.source !== frame.contentWindow) return;
      removeEventListener('message', heard);
      done([e.data, e.origin === location.origin, e instanceof MessageEvent, e.ports.length]);
    });
    frame.contentWindow.postMessage({ n: 1 }, '*');
  });
});
probe('messages to another origin', async () => {
  const frame = await framed({ srcdoc: "<script>onmessage = () => { parent.wrongly = true; };</scr" + 'ipt>' });
  frame.contentWindow.postMessage('x', 'https://other.example');
  await soon(50);
  return window.wrongly;
});
probe('a target that is no origin', async () => {
  const frame = await framed({ srcdoc: '' });
  frame.contentWindow.postMessage('x', 'nothing');
});
probe('ports through a frame', async () => {
  const frame = await framed({ srcdoc: "<script>onmessage = (e) => e.ports[0].postMessage('by port ' + e.data);</scr" + 'ipt>' });
  const { port1, port2 } = new MessageChannel();
  return new Promise((done) => {
    port1.onmessage = (e) => done(e.data);
    frame.contentWindow.postMessage('ferry', '*', [port2]);
  });
});
probe('a sandboxed frame', async () => {
  const frame = await framed({ sandbox: 'allow-scripts', srcdoc: '<p>x</p>' });
  return [frame.contentDocument, frame.sandbox.contains('allow-scripts'), [...frame.sandbox]];
});
probe('the origin of a sandboxed frame', async () => {
  const said = new Promise((done) => {
    addEventListener('message', function heard(e) {
      if (e.data?.from !== 'sandbox') return;
      removeEventListener('message', heard);
      done([e.origin, e.data.origin]);
    });
  });
  await framed({ sandbox: 'allow-scripts', srcdoc: "<script>parent.postMessage({ from: 'sandbox', origin: self.origin }, '*');</scr" + 'ipt>' });
  return said;
});
probe('scripts that a sandbox forbids', async () => {
  await framed({ sandbox: '', srcdoc: '<script>parent.fromSandbox = 1;</scr' + 'ipt>' });
  return window.fromSandbox;
});
probe('writing into a frame', () => {
  const frame = document.createElement('iframe');
  document.body.append(frame);
  const d = frame.contentDocument;
  d.open();
  d.write('<title>Written</title><p>one');
  d.write(' two</p>');
  d.close();
  return [d.title, d.body.textContent, d.URL === document.URL];
});
probe('nodes from one document to another', async () => {
  const frame = await framed({ srcdoc: '<p id=a>text</p>' });
  const p = frame.contentDocument.getElementById('a');
  const host = place('');
  host.append(p);
  return [p.ownerDocument === document, p.isConnected, frame.contentDocument.getElementById('a'), host.textContent];
});
probe('imported nodes', async () => {
  const frame = await framed({ srcdoc: '<p id=a><b>text</b></p>' });
  const copy = document.importNode(frame.contentDocument.getElementById('a'), true);
  return [copy.ownerDocument === document, copy.outerHTML, document.importNode(frame.contentDocument.getElementById('a')).outerHTML];
});
probe('a frame that goes elsewhere', async () => {
  const frame = await framed({ src: '/page.html' });
  const first = frame.contentWindow;
  const next = new Promise((done) => (frame.onload = () => done()));
  frame.contentWindow.location = '/data.txt';
  await next;
  return [frame.contentWindow === first, frame.contentWindow.location.pathname, frame.contentDocument.contentType, frame.getAttribute('src')];
});
probe('a frame whose source changes', async () => {
  const frame = await framed({ src: '/page.html' });
  const next = new Promise((done) => (frame.onload = () => done()));
  frame.src = '/deep/er/data.txt';
  await next;
  return [frame.contentWindow.location.pathname, frame.contentDocument.body.textContent];
});
probe('a frame for what is not there', async () => {
  const frame = await framed({ src: '/none' });
  return [frame.contentDocument && frame.contentDocument.body.textContent.trim(), frame.contentWindow.location.pathname];
});
probe('the order of load events', async () => {
  const out = [];
  const frame = document.createElement('iframe');
  frame.srcdoc = "<script>parent.heard = (x) => parent.heardList.push(x); addEventListener('DOMContentLoaded', () => parent.heard('content')); addEventListener('load', () => parent.heard('load'));</scr" + 'ipt>';
  window.heardList = out;
  await new Promise((done) => {
    frame.onload = () => {
      out.push('frame');
      done();
    };
    document.body.append(frame);
  });
  return out;
});
probe('timers of a frame that is taken out', async () => {
  const frame = await framed({ srcdoc: '<script>setTimeout(() => { parent.tooLate = 1; }, 20);</scr' + 'ipt>' });
  frame.remove();
  await soon(60);
  return window.tooLate;
});
probe('storage that frames share', async () => {
  const frame = await framed({ src: '/page.html' });
  localStorage.setItem('frames', 'here');
  const there = frame.contentWindow.localStorage.getItem('frames');
  const heard = new Promise((done) => addEventListener('storage', (e) => done([e.key, e.newValue, e.storageArea === localStorage, e.url === frame.contentWindow.location.href]), { once: true }));
  frame.contentWindow.localStorage.setItem('from', 'frame');
  return [there, await heard];
});
probe('cookies that frames share', async () => {
  const frame = await framed({ src: '/page.html' });
  document.cookie = 'frames=yes; path=/';
  const seen = frame.contentDocument.cookie.includes('frames=yes');
  document.cookie = 'frames=; path=/; max-age=0';
  return seen;
});
probe('channels between frames', async () => {
  const frame = await framed({ srcdoc: "<script>new BroadcastChannel('piers').onmessage = (e) => e.target.postMessage(e.data + 1);</scr" + 'ipt>' });
  const channel = new BroadcastChannel('piers');
  return new Promise((done) => {
    channel.onmessage = (e) => done([e.data, e.origin === location.origin]);
    channel.postMessage(1);
    void frame;
  });
});
probe('the history of a frame', async () => {
  const frame = await framed({ src: '/page.html' });
  const w = frame.contentWindow;
  w.history.pushState({ n: 1 }, '', '/page.html?2');
  return [w.location.search, w.history.state.n, location.search];
});
probe('documents that are made have no window', () => {
  const made = document.implementation.createHTMLDocument('made');
  return [made.defaultView, made.URL, made.title, made.cookie, made.location];
});
probe('an object as a frame', async () => {
  const object = document.createElement('object');
  object.type = 'text/html';
  object.data = '/page.html';
  const loaded = new Promise((done) => (object.onload = () => done()));
  document.body.append(object);
  await loaded;
  return [object.contentDocument.title, object.contentWindow.parent === window];
});
probe('events of frames stay in them', async () => {
  const frame = await framed({ srcdoc: '<button id=b>x</button>' });
  const out = [];
  const heard = () => out.push('outer');
  document.addEventListener('click', heard);
  frame.contentDocument.addEventListener('click', () => out.push('inner'));
  frame.contentDocument.getElementById('b').click();
  document.removeEventListener('click', heard);
  return out;
});
probe('styles of a frame', async () => {
  const frame = await framed({ srcdoc: '<style>p { color: rgb(1, 2, 3) }</style><p id=a>x</p>' });
  return frame.contentWindow.getComputedStyle(frame.contentDocument.getElementById('a')).color;
});
