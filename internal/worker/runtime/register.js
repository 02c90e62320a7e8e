import { SCRIPT, SCOPE, CHECK } from './settings.js';
//? hosts
import { HOSTS, OFF } from './settings.js';
import { unregister } from './unregister.js';
//?

//! Made by tachyform: registers the worker, and tells the page what becomes of it (events on document).
const container = navigator.serviceWorker;
const tell = (name, detail) => document.dispatchEvent(new CustomEvent(`tachyform:${name}`, { detail, cancelable: true }));
let registration;

//! For the page's own scripts.
window.tachyform = {
  //! Lets a release that waits take over.
  takeOver() {
    if (registration && registration.waiting) registration.waiting.postMessage('tachyform:take-over');
  },
  //! Looks for a new release.
  check: () => (registration ? registration.update().catch(() => {}) : Promise.resolve()),
  //! Empties what was kept for the person who leaves, as at signing out; the pack stays.
  async forget() {
    for (const name of await caches.keys()) if (name.startsWith(`tachyform ${SCOPE} kept `)) await caches.delete(name);
  },
};

//? stand-in
//! On the page stand-in: the page that was wanted is loaded as soon as the network is back.
const tag = document.currentScript;
const bare = (path) => path.replace(/\.html$/, '').replace(/\/(index)?$/, '');
if (tag && 'standIn' in tag.dataset && bare(location.pathname) !== bare(tag.dataset.standIn)) {
  let pause = 5000;
  let timer;
  const look = () =>
    fetch(location.href, { method: 'HEAD', cache: 'no-store' }).then(
      (response) => (response.status < 500 ? location.reload() : later()),
      () => later(),
    );
  const later = () => {
    clearTimeout(timer);
    timer = setTimeout(look, pause);
    pause = Math.min(pause * 2, 60000);
  };
  addEventListener('online', look);
  later();
}
//?

//? hosts
const named = (pattern) => pattern.test(location.hostname);
const allowed = (!HOSTS.length || HOSTS.some(named)) && !OFF.some(named);
//?

//? reload
//! The release of a worker; none for a worker of somebody else's.
const releaseOf = (worker) =>
  new Promise((resolve) => {
    const { port1, port2 } = new MessageChannel();
    port1.onmessage = ({ data }) => resolve(data);
    worker.postMessage('tachyform:release', [port2]);
    setTimeout(resolve, 3000);
  });
//! A tab is loaded again once for a release, whatever else changes workers here.
const isNews = (release) => {
  if (!release) return false;
  try {
    const key = `tachyform ${SCOPE} release`;
    if (sessionStorage.getItem(key) === release) return false;
    sessionStorage.setItem(key, release);
  } catch {
    //! Without storage a page may be loaded again more than once.
  }
  return true;
};
//?

async function start() {
  //? reload
  let controlled = Boolean(container.controller);
  //! A page that ran under the old release is loaded again, so that it never mixes two. One with unsaved input may put that off:
  //! it cancels the event and calls reload itself later.
  container.addEventListener('controllerchange', () => {
    const { controller } = container;
    const mine = controlled;
    controlled = true;
    if (!mine || !controller) return;
    const reload = () => location.reload();
    const taken = async () => {
      if (controller.state !== 'activated') return;
      controller.removeEventListener('statechange', taken);
      if (isNews(await releaseOf(controller)) && tell('taken-over', { reload })) reload();
    };
    //! Not before the new worker is ready: until then some browsers load past it.
    controller.addEventListener('statechange', taken);
    taken();
  });
  //?
  container.addEventListener('message', ({ data }) => {
    if (data && data.tachyform) tell(data.tachyform, { url: data.url });
  });
  registration = await container.register(SCRIPT, { scope: SCOPE });
  const waits = () => tell('release-waiting', { takeOver: window.tachyform.takeOver });
  if (registration.waiting && registration.active) waits();
  registration.addEventListener('updatefound', () => {
    const worker = registration.installing;
    const update = registration.active;
    let installed = false;
    worker.addEventListener('statechange', () => {
      if (worker.state === 'installed') {
        installed = true;
        if (update) waits();
      }
      if (worker.state === 'activated' && !update) tell('kept');
      if (worker.state === 'redundant' && !installed) tell('failed', { error: new Error('The worker could not be installed.') });
    });
  });
  //! A page may stay open for days, and an app may come back to the front after as long.
  let last = Date.now();
  const check = () => {
    if (Date.now() - last < 60000) return;
    last = Date.now();
    window.tachyform.check();
  };
  setInterval(check, CHECK);
  document.addEventListener('visibilitychange', () => {
    if (!document.hidden) check();
  });
}

if (container) {
  //? hosts
  (allowed ? start() : unregister()).catch((error) => {
  //?
  //? !hosts
  start().catch((error) => {
  //?
    console.error('The service worker could not be registered:', error);
    tell('failed', { error });
  });
}
