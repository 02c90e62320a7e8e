// A service worker's global object, and the commands by which the browser runs it.

import '../shared/interfaces.js';
import './push.js';
import './installevent.js';
import { PromiseOf, TypeError, fromJSON, then } from '../shared/primordials.js';
import { commands } from '../shared/commands.js';
import { calls } from '../shared/host.js';
import { own, setOwn } from '../shared/settings.js';
import { describe, stackOf } from '../shared/errors.js';
import { dispatch, listFor, trusted } from '../shared/event.js';
import { deserialize } from '../shared/structuredclone.js';
import { portState, received } from '../shared/messaging.js';
import { requestFrom } from '../shared/request.js';
import { responseFrom } from '../shared/response.js';
import { registrationFor, workerFor } from '../shared/serviceworkers.js';
import { setLocation } from '../shared/workerlocation.js';
import { clientFrom } from './client.js';
import { ExtendableEvent, eventState, finish } from './extendableevent.js';
import { FetchEvent, handle } from './fetchevent.js';
import { self } from './globalscope.js';
import { InstallEvent } from './installevent.js';
import { extendableMessageWith } from './messageevent.js';
import { pushedEvent } from './push.js';

// What is not there in service workers ("Exposed").
for (const name of ['ProgressEvent', 'PerformanceNavigationTiming']) delete global[name];
delete global.StorageManager.prototype.persist;
delete global.CookieStore.prototype.onchange;

// What the host calls.
commands.start = (json) => {
  setOwn(fromJSON(json));
  setLocation(own.script);
  self.worker = workerFor(own.worker);
  self.registration = registrationFor(own.registration);
};
commands.script = (text, url) => {
  try {
    host('eval', text, url);
  } catch (error) {
    const where = /([^\s(]+:\d+)(?::\d+)?\)?\s*$/m.exec(stackOf(error))?.[1];
    return describe(error) + (where ? ` (${where.slice(where.lastIndexOf('/') + 1)})` : '');
  }
  return '';
};
let moduleFailure = 'the module did not finish';
commands.module = (url) => {
  then(host('module', url), () => { moduleFailure = ''; }, (error) => { moduleFailure = describe(error); });
};
commands.moduleResult = () => moduleFailure;
commands.listens = () => listFor(global).map((e) => e.type).join(' ');

commands.event = (id, name, json) => {
  const detail = fromJSON(json);
  const init = { cancelable: name === 'fetch' };
  let event;
  if (name === 'fetch') {
    if (detail.request.redirect === undefined) detail.request.redirect = 'follow';
    let preloadResponse;
    if (detail.preload) {
      preloadResponse = new PromiseOf((resolve, reject) => calls.set(detail.preload, { resolve: (data) => resolve(responseFrom(data)), reject }));
      then(preloadResponse, undefined, () => {});
    }
    event = new FetchEvent('fetch', { ...init, ...detail, preloadResponse, request: requestFrom(detail.request) });
  } else if (name === 'install') event = new InstallEvent('install', init);
  else if (name === 'message') {
    const { value: data, transferred: ports } = detail.sent ? deserialize(received(detail.sent)) : { value: detail.data, transferred: [] };
    event = extendableMessageWith({ ...init, data, ports: ports.filter((p) => portState.has(p)), origin: own.origin, source: detail.worker ? workerFor(detail.worker) : detail.source ? clientFrom(detail.source) : null });
  }
  else if (['push', 'sync', 'periodicsync', 'notificationclick', 'notificationclose'].includes(name)) event = pushedEvent(name, detail, init);
  else event = new ExtendableEvent(name, init);
  trusted(event);
  const s = { id, pending: 0, dispatching: true, failed: false, responding: false, done: false };
  eventState.set(event, s);
  dispatched.set(id, event);
  dispatch(global, event);
};
const dispatched = new Map(); // events whose dispatch is not over, by number
commands.eventOver = (id) => {
  const event = dispatched.get(id);
  dispatched.delete(id);
  const s = eventState.get(event);
  if (event.type === 'fetch' && !s.responding) {
    const prevented = event.defaultPrevented;
    host('respond', id, prevented ? 'error' : 'none', '');
    handle(s, prevented ? new TypeError('the event was canceled, and nothing answered') : null);
  }
  s.dispatching = false;
  finish(s);
};

export { runCommand } from '../shared/commands.js';
