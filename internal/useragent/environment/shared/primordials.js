// The environment runs in a realm of its own: its arrays, maps, texts and plain objects have built-ins that no script reaches. What goes to
// scripts and comes from them is of their realm, whose built-ins are taken here before any script has run.
export const {
  Promise, Error, TypeError, RangeError, SyntaxError, EvalError, ArrayBuffer, DataView, Int8Array, Uint8Array, Uint8ClampedArray, Int16Array, Uint16Array, Int32Array, Uint32Array, Float32Array, Float64Array,
  Date: RealDate, Object: ScriptObject, Array: ScriptArray, Map: ScriptMap, Set: ScriptSet, WeakMap: ScriptWeakMap, WeakSet: ScriptWeakSet, RegExp: ScriptRegExp, Boolean: ScriptBoolean, Number: ScriptNumber, String: ScriptString, Math: ScriptMath, eval: scriptEval,
} = global;
export const { parse: fromJSON, stringify: toJSON } = JSON;
export const { apply } = Reflect;
export const { parse: jsonForScripts } = global.JSON;
export const PromiseOf = Promise;
export const { defineProperty, setPrototypeOf, getPrototypeOf, freeze, assign, entries: entriesOf } = Object;
// The functions of the environment are the scripts' as well, so their call, apply and bind are used before any script has run.
const { bind, call } = Function.prototype;
export const uncurried = (method) => apply(bind, call, [method]);
export const then = uncurried(Promise.prototype.then);
export const arrayFrom = apply(bind, ScriptArray.from, [ScriptArray]);
export const arrayOf = apply(bind, ScriptArray.of, [ScriptArray]);
export const { isView } = ArrayBuffer;
export const sliceBuffer = uncurried(ArrayBuffer.prototype.slice);
// The members of an interface as they are before any script has run, as functions of the object: what the environment calls.
export function saved(cls, ...names) {
  const out = { __proto__: null };
  for (const name of names) {
    const { get, value } = Object.getOwnPropertyDescriptor(cls.prototype, name);
    out[name] = uncurried(get ?? value);
  }
  return out;
}
export const resolved = apply(bind, Promise.resolve, [Promise]);
export const rejected = apply(bind, Promise.reject, [Promise]);
export const quietly = (promise) => then(promise, undefined, () => {});
export const firstOf = (list) => new PromiseOf((resolve, reject) => list.forEach((p) => then(p, resolve, reject)));
export const allOf = (list) =>
  new PromiseOf((resolve, reject) => {
    const out = [];
    let left = list.length;
    if (!left) resolve(out);
    list.forEach((p, i) => then(resolved(p), (value) => {
      out[i] = value;
      if (--left === 0) resolve(out);
    }, reject));
  });

// What the engine has and browsers have not.
for (const name of ['fileName', 'lineNumber', 'columnNumber']) delete global.Function.prototype[name];
delete global.InternalError;
delete global.Set.groupBy;

// What the environment makes and scripts get to see still is what it looks like: instanceof, and what scripts add to prototypes, hold.
for (const name of ['Array', 'Map', 'Set', 'RegExp']) {
  setPrototypeOf(globalThis[name].prototype, global[name].prototype);
  defineProperty(globalThis[name].prototype, 'constructor', { value: global[name] });
}
defineProperty(Array.prototype, 'toJSON', { value: undefined }); // a script's own would be inherited
export const ScriptIterator = getPrototypeOf(getPrototypeOf(new ScriptArray()[Symbol.iterator]()));
setPrototypeOf(getPrototypeOf(getPrototypeOf([][Symbol.iterator]())), ScriptIterator);

// What the environment gives to scripts is of their realm: lists, plain objects and what these hold. A list is copied, since
// the environment may go on with its own.
const ownArray = Array.prototype;
const ownObject = Object.prototype;
const { slice } = ownArray;
export function forScripts(value) {
  if (typeof value === 'function') {
    const { prototype } = value;
    if (prototype && getPrototypeOf(prototype) === ownObject) setPrototypeOf(prototype, ScriptObject.prototype);
    return value;
  }
  if (typeof value !== 'object' || value === null) return value;
  const proto = getPrototypeOf(value);
  if (proto === ownArray) {
    const list = apply(slice, value, []);
    for (let i = 0; i < list.length; i++) list[i] = forScripts(list[i]);
    setPrototypeOf(list, ScriptArray.prototype);
    return Object.isFrozen(value) ? freeze(list) : list;
  }
  if (proto === ownObject) {
    setPrototypeOf(value, ScriptObject.prototype);
    for (const key of Object.keys(value)) {
      const d = Object.getOwnPropertyDescriptor(value, key);
      if (d.writable && (typeof d.value === 'object' || typeof d.value === 'function')) value[key] = forScripts(d.value);
    }
  }
  return value;
}
export const iterationResult = (value, done) => ({ __proto__: ScriptObject.prototype, value: forScripts(value), done });

// Objects of other realms of the engine are of a kind, too, where an interface takes them.
const kinds = (kin.kinds ??= { __proto__: null });
export const addKind = (cls) => (kinds[cls.name] ??= []).push(cls);
for (const cls of [PromiseOf, Error, TypeError, ArrayBuffer, DataView, Int8Array, Uint8Array, RealDate, ScriptMap, ScriptSet, ScriptWeakMap, ScriptWeakSet, ScriptRegExp, ScriptBoolean, ScriptNumber, ScriptString, ScriptArray, Map, Set, Array]) addKind(cls);
export const isA = (value, cls) => value instanceof cls || Boolean(kinds[cls.name]?.some((c) => c !== cls && value instanceof c));
// What is kept of objects that may go from realm to realm, by a name for the interface.
export const sharedState = (name) => ((kin.states ??= { __proto__: null })[name] ??= new WeakMap());
