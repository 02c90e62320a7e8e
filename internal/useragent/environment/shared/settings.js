// The environment settings object of this realm (HTML, 8.1.3): its address, origin and what this kind of browser lacks.

export let own = { script: 'about:blank', scope: 'about:blank', origin: 'null', type: 'classic', state: 'parsed', via: 'imports' };
// What this kind of browser lacks is removed, by its path from the global object. @@name is a well-known symbol.
export function setOwn(start) {
  own = start;
  for (const path of own.lacks ?? []) {
    const names = path.split('.');
    let holder = global;
    for (const name of names.slice(0, -1)) holder = holder?.[name];
    const last = names.at(-1);
    if (holder) delete holder[last.startsWith('@@') ? Symbol[last.slice(2)] : last];
  }
}
// Where addresses of this realm start from; a document has a base of its own.
export const base = { of: () => own.script };
export const baseURL = () => base.of();
export const ownOrigin = () => own.origin;
