// Web Locks API. The browser grants locks, to all realms of an origin together.

import { PromiseOf, TypeError, jsonForScripts, resolved, then } from './primordials.js';
import { commands } from './commands.js';
import { DOMException } from './domexception.js';
import { numberedCall } from './host.js';
import { isAborted, onAbort, reasonOf } from './abort.js';
import { navigatorPart } from './navigatorparts.js';

const stolen = new Map(); // by number what is done when a lock is taken away
commands.lockStolen = (id) => {
  stolen.get(id)?.();
  stolen.delete(id);
};
navigatorPart('locks', 'LockManager', () => ({
  request(name, options, callback) {
    const run = callback ?? options;
    const o = callback ? options ?? {} : {};
    const mode = o.mode ?? 'exclusive';
    name = `${name}`;
    return new PromiseOf((resolve, reject) => {
      if (typeof run !== 'function') return reject(new TypeError('a lock is asked for with a function'));
      if (mode !== 'exclusive' && mode !== 'shared') return reject(new TypeError(`"${mode}" is no mode of locks`));
      if (name.startsWith('-')) return reject(new DOMException('names of locks do not begin with a hyphen', 'NotSupportedError'));
      const refuse = (why) => reject(new DOMException(why, 'NotSupportedError'));
      if (o.steal && o.ifAvailable) return refuse('a lock is stolen or asked for if it is available, not both');
      if (o.steal && mode === 'shared') return refuse('a lock that is stolen is not shared');
      if (o.signal && (o.steal || o.ifAvailable)) return refuse('a request that does not wait has no signal');
      if (isAborted(o.signal)) return reject(reasonOf(o.signal));
      let granted = false;
      const { id, promise } = numberedCall('lock.request', name, mode, Boolean(o.ifAvailable), Boolean(o.steal));
      stolen.set(id, () => reject(new DOMException('the lock was stolen', 'AbortError')));
      if (o.signal) onAbort(o.signal, (reason) => {
        if (granted) return;
        host('lock.release', id);
        reject(reason);
      });
      then(promise, (had) => {
        granted = true;
        const done = () => {
          stolen.delete(id);
          if (had) host('lock.release', id);
        };
        then(new PromiseOf((ok) => ok(run(had ? { name, mode } : null))), (value) => { done(); resolve(value); }, (error) => { done(); reject(error); });
      });
    });
  },
  query() {
    return resolved(jsonForScripts(host('lock.query')));
  },
}));
