// import() and import.meta, which the browser rewrites: it has to fetch what a module needs before the module runs (HTML, 8.1.6.7).

import { PromiseOf, ScriptObject, assign, defineProperty, rejected, then } from './primordials.js';
import { commands } from './dispatch.js';
import { call, calls } from './host.js';
import { baseURL } from './settings.js';
import { parsedURL } from './url.js';

commands.importModule = (id, url) => {
  then(host('module', url), (namespace) => calls.get(id)?.resolve(namespace), (e) => calls.get(id)?.reject(e));
};
// import() of a script: the browser fetches what it needs first.
defineProperty(global, '__tachyform_import', {
  value: (referrer, specifier) => {
    let text;
    try {
      text = `${specifier}`;
    } catch (e) {
      return rejected(e);
    }
    return then(call('import.fetch', text, referrer), (url) => new PromiseOf((resolve, reject) => then(host('module', url), resolve, reject)));
  },
  enumerable: false, configurable: false, writable: false,
});
defineProperty(global, '__tachyform_meta', {
  value: (url) => {
    const base = url.includes('#module-') ? baseURL() : url;
    return assign(new ScriptObject(), { url: base, resolve: (name) => parsedURL(`${name}`, base)?.[0] });
  },
  enumerable: false, configurable: false, writable: false,
});
