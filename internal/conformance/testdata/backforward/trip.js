// What the pages of a trip have in common: one is left for another, and come back to.
'use strict';
const seen = [];
const note = (what) => { seen.push(what); };
const container = navigator.serviceWorker;
// What a page tells another one of the trip, which must not be a copy that a kept document has of it.
const trip = location.pathname.replace('/outside/', '/').split('/')[1];
const remembered = (name) => decodeURIComponent(document.cookie.split('; ').find((c) => c.startsWith(`${trip}-${name}=`))?.split('=')[1] ?? '');
const remember = (name, value) => { document.cookie = `${trip}-${name}=${encodeURIComponent(value)}; path=/`; };
const pause = (time) => new Promise((done) => { setTimeout(done, time); });
const wait = async (registration) => {
  while (registration.active?.state !== 'activated') await pause(20);
  return registration;
};
const told = (message) => new Promise((done) => {
  container.onmessage = (event) => done(event.data);
  setTimeout(done, 1000, 'nothing');
  container.controller.postMessage(message);
});
const update = async (version) => {
  const registration = await container.register(`w.js?${version}`);
  await pause(700);
  return [registration.installing, registration.waiting, registration.active].map((w) => w && new URL(w.scriptURL).search);
};

async function start() {
  await wait(await container.register('w.js'));
  location.replace('a');
}

function leave(feature, to) {
  for (const type of ['pageshow', 'pagehide']) addEventListener(type, (event) => note(`${type} ${event.persisted} ${document.visibilityState}`));
  for (const type of ['visibilitychange', 'freeze', 'resume']) document.addEventListener(type, () => note(`${type} ${document.visibilityState}`));
  addEventListener('popstate', () => note('popstate'));
  container.addEventListener('controllerchange', () => note('controllerchange'));
  container.addEventListener('message', (event) => note(`message ${event.data}`));
  addEventListener('pageshow', async (event) => {
    if (!event.persisted) {
      await pause(200);
      remember('left', 'yes');
      location.href = to;
      return;
    }
    await pause(700);
    finish();
  });
  feature();
}

function finish() {
  const worker = container.controller && new URL(container.controller.scriptURL).search;
  document.title = `back ${JSON.stringify({ trip, seen: seen.join(', '), worker, away: remembered('away') })}`;
  remember('left', '');
  remember('away', '');
}

async function away(something) {
  remember('away', `${await something()}`);
  await pause(200);
  history.back();
}
