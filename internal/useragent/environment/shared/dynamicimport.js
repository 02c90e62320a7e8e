// import() and import.meta, which the browser rewrites: it has to fetch what a module needs before the module runs (HTML, 8.1.6.7).

import { PromiseOf, ScriptObject, TypeError, assign, rejected, then } from './primordials.js';
import { commands } from './commands.js';
import { call, calls } from './host.js';
import { baseURL } from './settings.js';

commands.importModule = (id, url) => {
  then(host('module', url), (namespace) => calls.get(id)?.resolve(namespace), (e) => calls.get(id)?.reject(e));
};
// import() of a script: the browser fetches what it needs first.
const importFor = (referrer, specifier) => {
  let text;
  try {
    text = `${specifier}`;
  } catch (e) {
    return rejected(e);
  }
  return then(call('import.fetch', text, referrer), (url) => new PromiseOf((resolve, reject) => then(host('module', url), resolve, reject)));
};
const metaFor = (url) => {
  const base = url.includes('#module-') ? baseURL() : url;
  const resolve = (name) => {
    const found = host('import.resolve', `${name}`, base);
    if (found === null) throw new TypeError(`Failed to resolve module specifier '${name}'`);
    return found;
  };
  return assign(new ScriptObject(), { url: base, resolve });
};
// The names that the browser writes for import and import.meta are no properties of the global object.
let named = false;
export function nameImports() {
  if (named) return;
  named = true;
  global.__tachyform = [importFor, metaFor];
  host('eval', 'const [__tachyform_import, __tachyform_meta] = __tachyform;', 'about:imports');
  delete global.__tachyform;
}
