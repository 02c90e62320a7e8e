// Cookie Store API.

import { MAKE, expose, lazy, onlyHere, publishLoosely } from './webidl.js';
import { call, callFor } from './host.js';
import { EventTarget, handlers } from './event.js';

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
