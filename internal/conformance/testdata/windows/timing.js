// When things happen: clicks and submissions that navigate, the end of documents, modules that wait, what is written, events of leaving.
const wait = (ms) => new Promise((done) => setTimeout(done, ms));
// A frame that logs into a list of ours, until it has been quiet for a while.
async function inFrame(markup, act = null, quiet = 300) {
  const log = [];
  const frame = document.createElement('iframe');
  const name = `log${Math.random().toString(36).slice(2)}`;
  window[name] = (text) => log.push(String(text));
  const head = `<!doctype html><script>const log = parent.${name}; document.addEventListener('DOMContentLoaded', () => log('dcl')); addEventListener('load', () => log('load')); document.addEventListener('readystatechange', () => log(document.readyState))</` + 'script>';
  frame.srcdoc = head + markup;
  document.body.append(frame);
  await new Promise((done) => { frame.onload = done; setTimeout(done, 2000); });
  if (act) await act(frame, log);
  await wait(quiet);
  frame.remove();
  return log;
}
const script = (text, attributes = '') => `<script ${attributes}>${text}</` + 'script>';
// What changes the address of the page goes one after the other.
let turn = Promise.resolve();
const inTurn = (name, run) => probe(name, () => (turn = turn.then(run, run)));
inTurn('a click on a fragment', async () => {
  const a = document.createElement('a');
  a.href = '#here';
  document.body.append(a);
  const log = [];
  const heard = (e) => log.push(`navigate ${e.hashChange} ${e.navigationType} ${e.userInitiated} ${e.canIntercept}`);
  navigation.addEventListener('navigate', heard);
  addEventListener('hashchange', () => log.push('hashchange'), { once: true });
  addEventListener('popstate', () => log.push('popstate'), { once: true });
  a.addEventListener('click', () => log.push(`click ${location.hash}`));
  a.click();
  log.push(`after ${location.hash}`);
  await wait(100);
  navigation.removeEventListener('navigate', heard);
  return log;
});
inTurn('the same fragment again', async () => {
  location.hash = '#twice';
  const log = [];
  const heard = (e) => log.push(`${e.navigationType} ${e.hashChange}`);
  navigation.addEventListener('navigate', heard);
  const before = history.length;
  location.hash = '#twice';
  const a = document.createElement('a');
  a.href = '#twice';
  a.click();
  location.href = '#twice';
  await wait(100);
  navigation.removeEventListener('navigate', heard);
  return [...log, history.length - before];
});
// A form that is sent into a frame.
function formInto(name, content) {
  const frame = document.createElement('iframe');
  frame.name = name;
  const form = document.createElement('form');
  form.action = '/page.html';
  form.target = name;
  form.innerHTML = content;
  document.body.append(frame, form);
  return [frame, form];
}
probe('a submission', async () => {
  const [frame, form] = formInto('sent', '<input name=a value=1><button name=b value=2>send</button>');
  const log = [];
  form.onsubmit = (e) => log.push(`submit ${e.submitter?.name ?? null} ${frame.contentWindow.location.pathname}`);
  form.onformdata = (e) => log.push(`formdata ${[...e.formData].join('&')}`);
  form.requestSubmit();
  log.push(`after ${frame.contentWindow.location.pathname}`);
  await new Promise((done) => { frame.onload = done; });
  log.push(frame.contentWindow.location.pathname + frame.contentWindow.location.search);
  form.requestSubmit(form.querySelector('button'));
  log.push('after the second');
  await new Promise((done) => { frame.onload = done; });
  log.push(frame.contentWindow.location.search);
  form.onsubmit = (e) => { log.push('prevented'); e.preventDefault(); };
  form.requestSubmit();
  form.onsubmit = () => log.push('never');
  form.submit();
  form.querySelector('input').value = '3';
  await new Promise((done) => { frame.onload = done; });
  log.push(frame.contentWindow.location.search);
  return log;
});
probe('two submissions in a row', async () => {
  const [frame, form] = formInto('sent2', '<input name=a value=1>');
  form.submit();
  form.querySelector('input').value = '2';
  form.submit();
  await new Promise((done) => { frame.onload = done; });
  await wait(200);
  return frame.contentWindow.location.search;
});
probe('the end of a document', () => inFrame(script("document.addEventListener('DOMContentLoaded', () => { setTimeout(() => log('A')); Promise.resolve().then(() => log('micro')); }); setTimeout(() => log('B')); addEventListener('load', () => setTimeout(() => log('C')))")));
probe('deferred, modules and inline ones', () => inFrame([
  script("log('inline 1')"), script('', 'defer src="data:text/javascript,log(%27deferred%27)"'), script("log('module 1')", 'type=module'),
  script('', 'defer src="data:text/javascript,log(%27deferred 2%27)"'), script("log('inline 2')"), script("log('module 2'); setTimeout(() => log('of module 2'))", 'type=module')].join('')));
probe('a module that waits', () => inFrame(script("log('m1'); await new Promise((r) => setTimeout(r, 100)); log('m2')", 'type=module') + script("log('next')", 'type=module') + script('', 'defer src="data:text/javascript,log(%27deferred%27)"')));
probe('a module that waits for load', () => inFrame(script("log('m1'); await new Promise((r) => addEventListener('load', r)); log('m2')", 'type=module'), null, 500));
probe('a module that waits for the document', () => inFrame(script("log(document.readyState); await new Promise((r) => document.addEventListener('DOMContentLoaded', r)); log('m2')", 'type=module'), null, 500));
probe('an async module', () => inFrame(script("log('async'); await 0; log('later')", 'type=module async') + '<p>text</p>' + script("log('inline')")));
probe('scripts that are written', () => inFrame(script("document.write('<script>log(1)</' + 'script><script src=\"data:text/javascript,log(2)\"></' + 'script><script>log(3); document.write(\"<script>log(4)</\" + \"script>\"); log(5)</' + 'script>'); log('after')") + script("log('next')")));
probe('scripts of pictures', () => inFrame('<svg><script>log("svg")</' + 'script><script href="data:text/javascript,log(%27linked%27)"></' + 'script></svg>' + script("log('html')")));
probe('scripts put into the page', () => inFrame(script("for (const [src, a] of [['log(1)', false], ['log(2)', true], ['log(3)', false]]) { const s = document.createElement('script'); s.src = 'data:text/javascript,' + src; s.async = a; document.head.append(s); } const t = document.createElement('script'); t.textContent = 'log(0)'; document.head.append(t); log('end')")));
probe('blank and old kinds of scripts', () => inFrame([
  script("log('blank')", 'type=" "'), script("log('empty')", 'type=""'), script("log('language')", 'language=vbscript'), script("log('for')", 'for=window event=onload'),
  script("log('for other')", 'for=x event=onload'), script("log('both')", 'for=" WINDOW " event="onload()"'), script("log('type of spaces')", 'type=" text/javascript "'),
  script("log('module with nomodule')", 'type=module nomodule'), script("log('nomodule')", 'nomodule')].join('')));
probe('old kinds by script', () => inFrame(script(`for (const [name, a] of Object.entries({ blank: { type: ' ' }, empty: { type: '' }, language: { language: 'vbscript' }, window: { for: 'window', event: 'onload' }, other: { for: 'x', event: 'onload' }, spaces: { type: ' text/javascript ' }, no: { nomodule: '' } })) {
  const s = document.createElement('script'); for (const [k, v] of Object.entries(a)) s.setAttribute(k, v); s.textContent = 'log("' + name + '")'; document.head.append(s); }`)));
probe('leaving a frame', () => inFrame(script("for (const type of ['beforeunload', 'pagehide', 'unload', 'visibilitychange']) addEventListener(type, () => log(type)); document.addEventListener('visibilitychange', () => log('visibility ' + document.visibilityState))"), async (frame) => {
  frame.contentWindow.location.href = '/page.html';
  await new Promise((done) => { frame.onload = done; });
}));
probe('a frame that is removed', () => inFrame(script("for (const type of ['beforeunload', 'pagehide', 'unload']) addEventListener(type, () => log(type))"), (frame) => frame.remove()));
probe('a fragment leaves nothing', () => inFrame(script("for (const type of ['beforeunload', 'pagehide', 'hashchange']) addEventListener(type, () => log(type))"), (frame, log) => { frame.contentWindow.location.hash = '#x'; log.push(frame.contentWindow.location.hash); }));
inTurn('history and frames', async () => {
  const frame = document.createElement('iframe');
  frame.src = '/page.html?1';
  document.body.append(frame);
  await new Promise((done) => { frame.onload = done; });
  await wait(100);
  const before = history.length;
  const out = [];
  frame.contentWindow.location.href = '/page.html?2';
  await new Promise((done) => { frame.onload = done; });
  out.push(history.length - before);
  const early = document.createElement('iframe');
  early.src = '/page.html?3';
  document.body.append(early);
  early.contentWindow.location.href = '/page.html?4';
  await new Promise((done) => { early.onload = done; });
  await wait(100);
  out.push(history.length - before, early.contentWindow.location.search);
  frame.contentWindow.location.hash = '#x';
  await wait(50);
  out.push(history.length - before);
  history.back();
  await wait(200);
  out.push(frame.contentWindow.location.search + frame.contentWindow.location.hash);
  history.back();
  await wait(300);
  out.push(frame.contentWindow.location.search);
  return out;
});
probe('maps of imports', () => inFrame(script('{"imports": {"a": "data:text/javascript,export default 1", "p/": "/deep/"}}', 'type=importmap') + script('{"imports": {"b": "data:text/javascript,export default 2", "a": "data:text/javascript,export default 3"}}', 'type=importmap') +
  script("const tell = async (n) => { try { return (await import(n)).default } catch (e) { return e.name } }; log(await tell('a')); log(await tell('b')); log(await tell('c')); log(import.meta.resolve('p/x.js').replace(/^.*:\\d+/, '')); log(import.meta.resolve('a')); try { import.meta.resolve('c') } catch (e) { log(e.name) }", 'type=module')));
probe('modules that fail', () => inFrame(script("const u = 'data:text/javascript,throw new RangeError(1)'; const errors = []; for (let i = 0; i < 2; i++) try { await import(u) } catch (e) { errors.push(e) } log(errors[0] === errors[1]); log(errors[0].name)", 'type=module') +
  script('', 'type=module src="data:text/javascript,throw 1" onerror="log(\'onerror\')" onload="log(\'onload\')"') + script("window.onerror = (m) => log('window ' + m)")));
inTurn('the transition of a navigation', async () => {
  const log = [navigation.transition];
  const heard = (e) => e.intercept({ handler: async () => { log.push(navigation.transition?.navigationType, navigation.transition?.from?.url === was); await wait(20); } });
  const was = navigation.currentEntry.url;
  navigation.addEventListener('navigate', heard);
  const { committed, finished } = navigation.navigate('#t1');
  await committed;
  log.push(location.hash, navigation.transition !== null);
  await finished;
  log.push(navigation.transition);
  await navigation.navigate('#t1').finished;
  navigation.removeEventListener('navigate', heard);
  return log;
});
