// Names of databases and caches, which are DOMStrings.

// Names cross to the browser as text, which has no lone surrogates: one with some crosses as the numbers of its units.
const MARK = '\u0001';
export const nameToHost = (name) => (name.isWellFormed() && !name.startsWith(MARK) ? name : MARK + Array.from({ length: name.length }, (_, i) => name.charCodeAt(i)).join());
export const nameFromHost = (name) => (name.startsWith(MARK) ? name.slice(1).split(',').filter(Boolean).map((n) => String.fromCharCode(n)).join('') : name);
