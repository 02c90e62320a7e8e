// HTML, 7.4: the history that a page and its frames share. All in one chain, since each entry changes what comes after.
const until = async (holds) => {
  for (let i = 0; i < 150; i++) {
    if (holds()) return;
    await soon(20);
  }
  throw new Error('it never came');
};
const loaded = (frame) => new Promise((done) => frame.addEventListener('load', done, { once: true }));
const framed = async (src) => {
  const frame = document.createElement('iframe');
  frame.src = src;
  document.body.append(frame);
  await loaded(frame);
  return frame;
};
let chain = new Promise((done) => addEventListener('load', () => setTimeout(done, 10)));
const inTurn = (name, run) => probe(name, () => (chain = chain.catch(() => {}).then(() => Promise.race([run(), soon(800).then(() => 'stuck')]))));
const at = (frame) => frame.contentWindow.location.pathname + frame.contentWindow.location.hash;
let f;
let start;
inTurn('a frame adds nothing', async () => {
  start = history.length;
  f = await framed('/page.html');
  return [history.length - start, f.contentWindow.history.length - start, f.contentWindow.history.state];
});
inTurn('places within a document', async () => {
  const w = f.contentWindow;
  w.history.replaceState({ n: 0, when: new Date(5) }, '');
  w.history.pushState({ n: 1 }, '', '#one');
  w.history.pushState({ n: 2 }, '', '#two');
  return [history.length - start, at(f), w.history.state.n];
});
inTurn('back within it', async () => {
  const w = f.contentWindow;
  const events = [];
  w.addEventListener('popstate', (e) => events.push(`popstate ${e.state?.n} ${e.state === w.history.state}`));
  w.addEventListener('hashchange', (e) => events.push(`hashchange ${new URL(e.oldURL).hash} ${new URL(e.newURL).hash}`));
  w.history.back();
  const before = at(f);
  await until(() => events.length === 2);
  return [before, at(f), events.join()];
});
inTurn('back once more', async () => {
  f.contentWindow.history.go(-1);
  await until(() => at(f) === '/page.html');
  const { state } = f.contentWindow.history;
  return [state.n, state.when.getTime(), history.length - start];
});
inTurn('another document', async () => {
  f.contentWindow.location.href = '/page.html?b';
  await loaded(f);
  return [history.length - start, f.contentWindow.history.state, f.contentWindow.performance.getEntriesByType('navigation')[0].type];
});
inTurn('back to the document before', async () => {
  f.contentWindow.history.back();
  await loaded(f);
  const { state } = f.contentWindow.history;
  return [f.contentWindow.location.search, state.n, f.contentWindow.performance.getEntriesByType('navigation')[0].type, history.length - start];
});
inTurn('forward by the page itself', async () => {
  history.forward();
  await loaded(f);
  return [f.contentWindow.location.search, history.length - start];
});
inTurn('forward beyond the end', async () => {
  history.go(5);
  await soon(60);
  return f.contentWindow.location.search;
});
inTurn('a reload keeps the state', async () => {
  f.contentWindow.history.replaceState('kept', '', '?c');
  f.contentWindow.location.reload();
  await loaded(f);
  return [f.contentWindow.history.state, f.contentWindow.location.search, f.contentWindow.performance.getEntriesByType('navigation')[0].type];
});
inTurn('replace', async () => {
  const length = history.length;
  f.contentWindow.location.replace('/page.html?d');
  await loaded(f);
  return [history.length - length, f.contentWindow.history.state];
});
inTurn('the same address', async () => {
  const length = history.length;
  f.contentWindow.location.assign(f.contentWindow.location.href);
  await loaded(f);
  return history.length - length;
});
inTurn('a fragment of the page', async () => {
  const length = history.length;
  location.hash = 'x';
  const after = history.length;
  location.hash = 'x';
  return [after - length, history.length - after, history.state];
});
inTurn('back from the fragment', async () => {
  const heard = new Promise((done) => addEventListener('popstate', done, { once: true }));
  history.back();
  const e = await heard;
  return [location.hash, e.state, f.contentWindow.location.search];
});
inTurn('what lies ahead is gone', async () => {
  history.pushState('new', '');
  const length = history.length;
  history.forward();
  await soon(60);
  return [history.length === length, location.hash, history.state];
});
inTurn('places in two frames', async () => {
  const g = await framed('/page.html?g');
  const length = history.length;
  f.contentWindow.history.pushState('f', '', '#f');
  g.contentWindow.history.pushState('g', '', '#g');
  const list = [history.length - length];
  history.back();
  await until(() => at(g) === '/page.html');
  list.push(at(f));
  history.back();
  await until(() => at(f) === '/page.html');
  history.go(2);
  await until(() => at(g) === '/page.html#g' && at(f) === '/page.html#f');
  list.push(f.contentWindow.history.state, g.contentWindow.history.state);
  return list;
});
inTurn('places of a document that was loaded anew', async () => {
  const w = () => f.contentWindow;
  w().history.pushState('p', '', '#p');
  w().location.href = '/page.html?away';
  await loaded(f);
  history.back();
  await loaded(f);
  const list = [at(f), w().history.state];
  history.back();
  await until(() => at(f) === '/page.html#f');
  return [...list, w().history.state];
});
inTurn('a state that cannot be kept', () => history.pushState(() => {}, ''));
inTurn('an address of another origin', () => history.pushState(1, '', 'https://a.example/'));
