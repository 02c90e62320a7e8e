import { PromiseOf, TypeError, resolved, then } from './primordials.js';
import { settled } from './timers.js';
import { onAbort } from './abort.js';
import { interfaceOf, navigatorPart } from './navigatorparts.js';

// Web Locks: requests for a name are granted one after the other, shared ones together.
navigatorPart('locks', () => {
  const held = new Map(); // name → { mode, count }
  const queue = [];
  const next = () => {
    for (let i = 0; i < queue.length; i++) {
      const { name, mode, grant, busy } = queue[i];
      const now_ = held.get(name);
      const ahead = queue.slice(0, i).some((q) => q.name === name);
      if (ahead || (now_ && !(mode === 'shared' && now_.mode === 'shared'))) {
        if (busy) {
          queue.splice(i--, 1);
          busy();
        }
        continue;
      }
      queue.splice(i--, 1);
      held.set(name, { mode, count: (now_?.count ?? 0) + 1 });
      grant();
    }
  };
  return interfaceOf('LockManager', {
    request(name, options, callback) {
      const run = callback ?? options;
      const o = callback ? options ?? {} : {};
      const mode = o.mode ?? 'exclusive';
      name = `${name}`;
      return new PromiseOf((resolve, reject) => {
        if (typeof run !== 'function') return reject(new TypeError('a lock is asked for with a function'));
        const busy = o.ifAvailable ? () => resolve(then(resolved(null), run)) : null;
        const asked = { name, mode, busy, grant: () => {
          const done = () => {
            const s = held.get(name);
            if (--s.count === 0) held.delete(name);
            next();
          };
          then(new PromiseOf((ok) => ok(run({ name, mode }))), (value) => { done(); resolve(value); }, (error) => { done(); reject(error); });
        } };
        if (o.signal?.aborted) return reject(o.signal.reason);
        queue.push(asked);
        if (o.signal) onAbort(o.signal, () => {
          const i = queue.indexOf(asked);
          if (i < 0) return; // it has been granted
          queue.splice(i, 1);
          reject(o.signal.reason);
          next();
        });
        then(settled, next);
      });
    },
    async query() {
      return { held: [...held].map(([name, { mode }]) => ({ name, mode })), pending: queue.map(({ name, mode }) => ({ name, mode })) };
    },
  });
});
