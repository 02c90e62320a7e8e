// Smaller interfaces that workers look for: storage, locks, permissions, cookies, scheduling; and the names of what is not simulated.

defineProperty(ScriptArray, 'fromAsync', {
  value: async function fromAsync(items, map = undefined, self = undefined) {
    if (map !== undefined && typeof map !== 'function') throw new TypeError('the mapping is no function');
    const out = typeof this === 'function' && this !== ScriptArray ? new this() : new ScriptArray();
    let i = 0;
    if (items[Symbol.asyncIterator] || items[Symbol.iterator]) for await (const item of items) out[i] = map ? await apply(map, self, [item, i++]) : (i++, item);
    else for (; i < items.length; i++) out[i] = map ? await apply(map, self, [await items[i], i]) : await items[i];
    out.length = i;
    return out;
  },
  writable: true, configurable: true,
});

// A plain object of an interface that scripts cannot make themselves.
const parts = { __proto__: null };
function navigatorPart(name, make) {
  defineProperty(WorkerNavigator.prototype, name, { ...attribute(name, () => (parts[name] ??= make())), enumerable: true });
}
const interfaceOf = (name, members) => {
  const proto = Object.create(EventTarget.prototype, Object.getOwnPropertyDescriptors(members));
  defineProperty(proto, Symbol.toStringTag, { value: name, configurable: true });
  return Object.create(proto);
};
navigatorPart('storage', () => interfaceOf('StorageManager', {
  async estimate() {
    return { quota: 1e10, usage: await call('storage.usage') };
  },
  async persisted() {
    return false;
  },
  async persist() {
    return false;
  },
  async getDirectory() {
    host('gap', 'the origin private file system');
    throw new DOMException('there is no file system in this user agent', 'SecurityError');
  },
}));
navigatorPart('permissions', () => interfaceOf('Permissions', {
  async query(descriptor) {
    if (typeof descriptor?.name !== 'string') throw new TypeError('a permission has a name');
    return interfaceOf('PermissionStatus', { name: descriptor.name, state: 'granted', onchange: null });
  },
}));
navigatorPart('connection', () => interfaceOf('NetworkInformation', { effectiveType: '4g', downlink: 10, rtt: 50, saveData: false, type: 'wifi', onchange: null }));
for (const name of ['setAppBadge', 'clearAppBadge'])
  defineProperty(WorkerNavigator.prototype, name, { value: { async [name]() {} }[name], writable: true, configurable: true, enumerable: true });

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

lazy(['cookieStore', 'CookieStore'], () => {
  class CookieStore extends EventTarget {
    constructor(key = undefined) {
      onlyHere(key);
      super();
    }
    async get(name) {
      const wanted_ = typeof name === 'object' && name !== null ? name.name : name;
      return (await this.getAll(wanted_))[0] ?? null;
    }
    getAll(name) {
      const wanted_ = typeof name === 'object' && name !== null ? name.name : name;
      return callFor((list) => list.filter((c) => wanted_ === undefined || c.name === `${wanted_}`).map((c) => ({ ...c, domain: null, path: '/', expires: null, secure: true, sameSite: 'strict', partitioned: false })), 'cookies.all');
    }
    async set(name, value) {
      const c = typeof name === 'object' && name !== null ? name : { name, value };
      await call('cookies.set', `${c.name}`, `${c.value}`);
    }
    async delete(name) {
      await call('cookies.set', `${typeof name === 'object' && name !== null ? name.name : name}`, '');
    }
  }
  handlers(CookieStore.prototype, 'change');
  publishLoosely(CookieStore);
  expose('cookieStore', new CookieStore(MAKE));
});
lazy(['scheduler', 'TaskController', 'TaskSignal'], () => {
  expose('scheduler', {
    postTask: (callback, { delay = 0, signal } = {}) => new PromiseOf((resolve, reject) => {
      if (signal?.aborted) return reject(signal.reason);
      signal?.addEventListener('abort', () => reject(signal.reason));
      setTimeout(() => {
        try {
          resolve(callback());
        } catch (error) {
          reject(error);
        }
      }, delay);
    }),
    yield: () => new PromiseOf((resolve) => setTimeout(resolve, 0)),
  });
  expose('TaskController', AbortController);
  expose('TaskSignal', AbortSignal);
});
lazy(['PerformanceObserver', 'ReportingObserver'], () => {
  class PerformanceObserver {
    static supportedEntryTypes = freeze([]);
    observe() {}
    disconnect() {}
    takeRecords() {
      return [];
    }
  }
  class ReportingObserver extends PerformanceObserver {}
  publishLoosely(PerformanceObserver, ReportingObserver);
});
lazy(['trustedTypes'], () => {
  const policy = (name, rules = {}) => ({ name, createHTML: (s, ...a) => `${rules.createHTML ? rules.createHTML(s, ...a) : s}`, createScript: (s, ...a) => `${rules.createScript ? rules.createScript(s, ...a) : s}`, createScriptURL: (s, ...a) => `${rules.createScriptURL ? rules.createScriptURL(s, ...a) : s}` });
  expose('trustedTypes', { createPolicy: policy, isHTML: () => false, isScript: () => false, isScriptURL: () => false, emptyHTML: '', emptyScript: '', defaultPolicy: null });
});
// Drawing, and the network beyond fetch: there, so that a worker can look for them, but refusing; the result names the gap.
for (const name of ['OffscreenCanvas', 'ImageData', 'ImageBitmap', 'Path2D', 'DOMMatrix', 'DOMRect', 'WebTransport'])
  lazy([name], () => {
    const Refusing = { [name]: class {
      constructor() {
        host('gap', name);
        throw new DOMException(`${name} is not there in this user agent`, 'NotSupportedError');
      }
    } }[name];
    publishLoosely(Refusing);
  });
lazy(['createImageBitmap'], () => {
  expose('createImageBitmap', async function createImageBitmap() {
    host('gap', 'createImageBitmap');
    throw new DOMException('pictures are not decoded in this user agent', 'NotSupportedError');
  });
});

lazy(['DOMStringList'], () => {
  // HTML, 2.6.5: databases alone still give such lists.
  class DOMStringList {
    constructor(key = undefined) {
      onlyHere(key);
    }
    get length() {
      return 0;
    }
    item(index) {
      return null;
    }
    contains(string) {
      return false;
    }
  }
  publish(DOMStringList);
});
