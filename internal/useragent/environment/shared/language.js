// What the engine lacks of the language.

import { Error, ScriptArray, TypeError, apply, defineProperty } from './primordials.js';
import { gap } from './gap.js';
import { expose, lazy } from './webidl.js';
import { stackOf } from './errors.js';

defineProperty(Error, 'captureStackTrace', { value: { captureStackTrace(object) {
  defineProperty(object, 'stack', { value: stackOf(new Error()), writable: true, configurable: true });
} }.captureStackTrace, writable: true, configurable: true });
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

lazy(['WebAssembly'], () => {
  class CompileError extends Error {}
  class RuntimeError extends Error {}
  class LinkError extends Error {}
  const refuse = () => {
    gap('compiling WebAssembly');
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
  expose('WebAssembly', { compile: refuseLater, instantiate: refuseLater, compileStreaming: refuseLater, instantiateStreaming: refuseLater, validate: () => true, Module, Instance, CompileError, RuntimeError, LinkError });
});
