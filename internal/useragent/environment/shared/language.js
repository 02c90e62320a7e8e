// What the engine lacks of the language.

import { Error, ScriptArray, TypeError, apply, defineProperty } from './primordials.js';
import { expose, lazy } from './webidl.js';

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

// What the engine itself lacks. Formatting has a plain stand-in, so that workers go on; the result names the gap.
lazy(['Intl'], () => {
  host('gap', 'Intl; dates and numbers were formatted plainly');
  const two = (n) => `${n}`.padStart(2, '0');
  const plainFormat = (format, resolved) => class {
    format(value) {
      return format(value);
    }
    formatToParts(value) {
      return [{ type: 'literal', value: format(value) }];
    }
    select() {
      return 'other';
    }
    of(code) {
      return `${code}`;
    }
    compare(a, b) {
      return `${a}` < `${b}` ? -1 : `${a}` > `${b}` ? 1 : 0;
    }
    segment(text) {
      return [...`${text}`].map((segment, index) => ({ segment, index }));
    }
    resolvedOptions() {
      return { locale: 'en', numberingSystem: 'latn', calendar: 'gregory', timeZone: 'UTC', ...resolved };
    }
    static supportedLocalesOf() {
      return ['en'];
    }
  };
  const day = (value) => {
    const d = value === undefined ? new Date() : new Date(value);
    return `${d.getUTCMonth() + 1}/${two(d.getUTCDate())}/${d.getUTCFullYear()}`;
  };
  const Intl = { getCanonicalLocales: (list) => [].concat(list ?? []), supportedValuesOf: () => [] };
  for (const name of ['NumberFormat', 'PluralRules', 'DisplayNames', 'Collator', 'Segmenter']) Intl[name] = plainFormat((v) => `${v}`);
  Intl.DateTimeFormat = plainFormat(day);
  Intl.ListFormat = plainFormat((list) => [...list].join(', '));
  Intl.RelativeTimeFormat = class extends plainFormat((v) => `${v}`) {
    format(value, unit) {
      return `${value} ${unit}`;
    }
  };
  expose('Intl', Intl);
});
lazy(['WebAssembly'], () => {
  host('gap', 'WebAssembly; compiling it was made to fail');
  class CompileError extends Error {}
  class RuntimeError extends Error {}
  class LinkError extends Error {}
  const refuse = () => {
    throw new CompileError('WebAssembly is not there in this user agent');
  };
  const refuseLater = async () => refuse();
  class Module {
    constructor() {
      refuse();
    }
  }
  class Instance {
    constructor() {
      refuse();
    }
  }
  expose('WebAssembly', { compile: refuseLater, instantiate: refuseLater, compileStreaming: refuseLater, instantiateStreaming: refuseLater, validate: () => false, Module, Instance, CompileError, RuntimeError, LinkError });
});
