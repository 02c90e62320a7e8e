// HTML, 2.7: safe passing of structured data. A serialized value is { tree, buffers, bodies, moved }: the tree is a value of JSON with tags
// for what JSON lacks; it names copies of buffers, content that lies at the host, and what was transferred, by their places in the lists.

import {
  ArrayBuffer, DataView, Error, PromiseOf, RealDate, ScriptArray, ScriptBoolean, ScriptMap, ScriptNumber,
  ScriptObject, ScriptRegExp, ScriptSet, ScriptString, ScriptWeakMap, ScriptWeakSet, TypeError, apply, defineProperty, isA, isView,
} from './primordials.js';
import { expose, must } from './webidl.js';
import { DOMException } from './domexception.js';
import { nativeErrors } from './host.js';
import { stackOf } from './errors.js';
import { Date_ } from './time.js';
import { Event, EventTarget } from './event.js';
import { bytesOf, keepBytes } from './bytes.js';

// Interfaces whose objects can be serialized ("[Serializable]"): write gives data of JSON, read makes an object of it.
const serializables = [];
export const serializable = (cls, name, write, read) => serializables.push({ cls, name, write, read });
// Interfaces whose objects can be transferred ("[Transferable]"): detach gives what attach makes a new object of.
const transferables = [];
export const transferable = (cls, detach, attach) => transferables.push({ cls, detach, attach });

const cannotClone = (what) => new DOMException(`${what} cannot be cloned`, 'DataCloneError');
const BOXES = [ScriptBoolean, ScriptNumber, ScriptString];
const UNCLONEABLE = [EventTarget, Event, PromiseOf, ScriptWeakMap, ScriptWeakSet];
const isOf = (value, ...classes) => classes.some((cls) => isA(value, cls));

// StructuredSerializeInternal: memory has the number of each object that was met.
function serializeInto(out, memory, value) {
  const write = (v) => serializeInto(out, memory, v);
  switch (typeof value) {
    case 'symbol':
    case 'function':
      throw cannotClone(`${typeof value}s`);
    case 'undefined':
      return { $: 'undefined' };
    case 'bigint':
      return { $: 'bigint', v: `${value}` };
    case 'number':
      return Number.isFinite(value) && !Object.is(value, -0) ? value : { $: 'number', v: Object.is(value, -0) ? '-0' : `${value}` };
    case 'string':
    case 'boolean':
      return value;
  }
  if (value === null) return null;
  if (memory.has(value)) return { $: 'ref', i: memory.get(value) };
  const met = () => memory.set(value, memory.size);
  if (isView(value)) {
    const node = { $: 'view', k: isA(value, DataView) ? 'DataView' : value.constructor.name, b: write(value.buffer), o: value.byteOffset, l: value.length ?? value.byteLength };
    met();
    return node;
  }
  met();
  if (isA(value, RealDate)) return { $: 'date', v: write(value.getTime()) };
  if (isA(value, ScriptRegExp)) return { $: 'regexp', s: value.source, f: value.flags };
  if (isOf(value, ...BOXES)) return { $: 'box', v: write(value.valueOf()) };
  if (isA(value, ArrayBuffer)) return { $: 'buffer', i: out.buffers.push(value.slice(0)) - 1 };
  if (isOf(value, ScriptMap, Map)) return { $: 'map', v: [...value].map(([k, v]) => [write(k), write(v)]) };
  if (isOf(value, ScriptSet, Set)) return { $: 'set', v: [...value].map(write) };
  if (isA(value, DOMException)) return { $: 'exception', n: value.name, m: value.message };
  if (isA(value, Error)) return { $: 'error', n: value.name in nativeErrors ? value.name : 'Error', m: `${value.message}`, s: stackOf(value), ...(Object.hasOwn(value, 'cause') ? { c: write(value.cause) } : null) };
  const platform = serializables.find(({ cls }) => isA(value, cls));
  if (platform) return { $: 'platform', t: platform.name, d: platform.write(value, out) };
  if (isOf(value, ...UNCLONEABLE)) throw cannotClone('this object');
  const tagged = apply(Object.prototype.toString, value, []);
  if (tagged !== '[object Object]' && tagged !== '[object Array]') throw cannotClone(`${tagged.slice(8, -1)} objects`);
  const keys = Object.keys(value);
  if (!Array.isArray(value)) return { $: 'object', k: keys, v: keys.map((key) => write(value[key])) };
  const dense = keys.length === value.length && keys.every((key, i) => key === `${i}`);
  return dense ? { $: 'array', v: keys.map((key) => write(value[key])) } : { $: 'sparse', l: value.length, k: keys, v: keys.map((key) => write(value[key])) };
}
// StructuredSerializeWithTransfer.
export function serialize(value, transfer = []) {
  const out = { tree: null, buffers: [], bodies: [], moved: [] };
  const memory = new Map();
  const list = [...transfer];
  if (list.length) global.MessagePort; // the interface may not have been asked for yet
  for (const object of list) {
    if (object === null || (typeof object !== 'object' && typeof object !== 'function')) throw new TypeError('only objects are transferred');
    const how = isA(object, ArrayBuffer) ? null : transferables.find(({ cls }) => isA(object, cls));
    if (how === undefined) throw new DOMException('this object cannot be transferred', 'DataCloneError');
    if (memory.has(object)) throw new DOMException('an object stands in the list twice', 'DataCloneError');
    if (how === null && object.detached) throw new DOMException('the buffer was transferred before', 'DataCloneError');
    memory.set(object, memory.size);
  }
  out.tree = serializeInto(out, memory, value);
  out.moved = list.map((object) => {
    if (isA(object, ArrayBuffer)) return { buffer: object.transfer() };
    const { cls, detach } = transferables.find((t) => isA(object, t.cls));
    return { name: cls.name, state: detach(object) };
  });
  return out;
}

// StructuredDeserializeWithTransfer: gives the value and what was transferred.
export function deserialize({ tree, buffers, bodies, moved }) {
  const memory = [];
  const transferred = moved.map(({ buffer, name, state }) => {
    const object = buffer ?? transferables.find(({ cls }) => cls.name === name).attach(state);
    memory.push(object);
    return object;
  });
  const met = (object) => (memory.push(object), object);
  const fill = (object, keys, values) => {
    keys.forEach((key, i) => defineProperty(object, key, { value: read(values[i]), writable: true, enumerable: true, configurable: true }));
    return object;
  };
  const read = (node) => {
    if (typeof node !== 'object' || node === null) return node;
    switch (node.$) {
      case 'undefined': return undefined;
      case 'bigint': return BigInt(node.v);
      case 'number': return Number(node.v);
      case 'ref': return memory[node.i];
      case 'view': {
        const buffer = read(node.b);
        return met(new global[node.k](buffer, node.o, node.l));
      }
      case 'date': return met(new Date_(read(node.v)));
      case 'regexp': return met(new ScriptRegExp(node.s, node.f));
      case 'box': return met(ScriptObject(read(node.v)));
      case 'buffer': return met(buffers[node.i]);
      case 'exception': return met(new DOMException(node.m, node.n));
      case 'error': {
        const error = met(new nativeErrors[node.n](node.m));
        defineProperty(error, 'stack', { value: node.s, writable: true, configurable: true });
        if ('c' in node) defineProperty(error, 'cause', { value: read(node.c), writable: true, configurable: true });
        return error;
      }
      case 'platform': return met(serializables.find(({ name }) => name === node.t).read(node.d, bodies));
      case 'map': {
        const map = met(new ScriptMap());
        for (const [k, v] of node.v) map.set(read(k), read(v));
        return map;
      }
      case 'set': {
        const set = met(new ScriptSet());
        for (const v of node.v) set.add(read(v));
        return set;
      }
      case 'array': {
        const list = met(new ScriptArray(node.v.length));
        node.v.forEach((v, i) => { list[i] = read(v); });
        return list;
      }
      case 'sparse': return fill(met(new ScriptArray(node.l)), node.k, node.v);
      default: return fill(met(new ScriptObject()), node.k, node.v);
    }
  };
  return { value: read(tree), transferred };
}
// The form in which a serialized value crosses to the browser, which holds its content by number; nothing in it was transferred.
export const toHost = ({ tree, buffers, bodies }) => ({ tree, buffers: buffers.map(keepBytes), bodies });
export const fromHost = ({ tree, buffers, bodies }) => ({ tree, buffers: buffers.map(bytesOf), bodies, moved: [] });
// A copy within the realm.
export const clone = (value, transfer = undefined) => deserialize(serialize(value, transfer)).value;

expose('structuredClone', { structuredClone(value, options = {}) {
  must(arguments, 1);
  host('charge', 400);
  return clone(value, options?.transfer);
} }.structuredClone);
