// The environment settings object of this realm (HTML, 8.1.3): its address, origin and what this kind of browser lacks.

export let own = { script: 'about:blank', scope: 'about:blank', origin: 'null', type: 'classic', state: 'parsed', via: 'imports' };
export function setOwn(start) {
  own = start;
}
export const baseURL = () => own.script;
export const ownOrigin = () => own.origin;
