// The environment settings object of this realm (HTML, 8.1.3): its address, origin and what this kind of browser lacks.

export let own = { script: 'about:blank', scope: 'about:blank', origin: 'null', type: 'classic', state: 'parsed', via: 'imports' };
export function setOwn(start) {
  own = start;
}
// Where addresses of this realm start from; a document has a base of its own.
export const base = { of: () => own.script };
export const baseURL = () => base.of();
export const ownOrigin = () => own.origin;
