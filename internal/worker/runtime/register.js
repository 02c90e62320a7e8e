import { SCRIPT, SCOPE } from './settings.js';

//! Made by tachyform: registers the worker, and tells the page when a new release waits.
const container = navigator.serviceWorker;
if (container) {
  let controlled = Boolean(container.controller);
  const tell = (name, detail) => document.dispatchEvent(new CustomEvent(`tachyform:${name}`, { detail }));
  const waits = (worker) => tell('release-waiting', { takeOver: () => worker.postMessage('tachyform:take-over') });
  const watch = (registration) => {
    if (registration.waiting && controlled) waits(registration.waiting);
    registration.addEventListener('updatefound', () => {
      const worker = registration.installing;
      worker.addEventListener('statechange', () => {
        if (worker.state !== 'installed') return;
        if (controlled) waits(worker);
        else tell('kept');
      });
    });
  };
  //? reload
  //! A page that ran under the old release is loaded again, so that it never mixes two.
  container.addEventListener('controllerchange', () => {
    if (controlled) location.reload();
    controlled = true;
  });
  //?
  container.register(SCRIPT, { scope: SCOPE }).then(watch, (error) => {
    console.error('The service worker could not be registered:', error);
    tell('failed', { error });
  });
}
