// Every property that scripts of this realm can see: of the global object, of interfaces and their prototypes, and of some instances.
// As { interface or instance: 'names, apart by spaces' }.
function seenMembers(instances) {
  const nameOf = (key) => (typeof key === 'symbol' ? `@@${String(key.description).replace('Symbol.', '')}` : key).replaceAll(' ', '_');
  const keysOf = (object) => Reflect.ownKeys(object).map(nameOf).filter((name) => !/^\d+$/.test(name)).sort();
  const seen = {};
  const functions = ['length', 'name', 'prototype', 'arguments', 'caller'];
  const note = (name, keys) => { if (keys.length) seen[name] = keys.join(' '); };
  const known = new Map();
  const globals = [];
  for (let at = globalThis, depth = 0; at && at !== Object.prototype; at = Object.getPrototypeOf(at), depth++) {
    for (const key of Reflect.ownKeys(at)) {
      if (typeof key === 'string' && (/^\d+$/.test(key) || key === 'seenMembers' || key === 'told')) continue;
      globals.push(nameOf(key));
      const d = Object.getOwnPropertyDescriptor(at, key);
      let value;
      try { value = d.get && depth === 0 ? globalThis[key] : d.value; } catch { continue; }
      if (value === null || typeof value !== 'function' && typeof value !== 'object') continue;
      if (typeof value === 'function' && value.prototype && typeof value.prototype === 'object') {
        note(nameOf(key), keysOf(value).filter((name) => !functions.includes(name)));
        note(`${nameOf(key)}#`, keysOf(value.prototype));
        known.set(value.prototype, true);
      } else if (typeof value === 'object' && /^[A-Z]/.test(key)) note(nameOf(key), keysOf(value));
    }
  }
  seen['(global)'] = [...new Set(globals)].sort().join(' ');
  for (const text of instances) {
    let object;
    try { object = (0, eval)(`(${text})`); } catch { continue; }
    if (object === null || typeof object !== 'object' && typeof object !== 'function') continue;
    note(`(${text})`, keysOf(object).filter((name) => typeof object !== 'function' || !functions.includes(name)));
    let depth = 0;
    for (let at = Object.getPrototypeOf(object); at && !known.has(at) && at !== Object.prototype; at = Object.getPrototypeOf(at)) note(`(${text}) prototype ${++depth}`, keysOf(at));
  }
  return seen;
}
