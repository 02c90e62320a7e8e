// Web IDL, 2.8: DOMException.

import { Error, TypeError, defineProperty, setPrototypeOf } from './primordials.js';
import { expose, namesOf, publish } from './webidl.js';

const codes = { __proto__: null, IndexSizeError: 1, HierarchyRequestError: 3, WrongDocumentError: 4, InvalidCharacterError: 5, NoModificationAllowedError: 7, NotFoundError: 8, NotSupportedError: 9, InUseAttributeError: 10, InvalidStateError: 11, SyntaxError: 12, InvalidModificationError: 13, NamespaceError: 14, InvalidAccessError: 15, TypeMismatchError: 17, SecurityError: 18, NetworkError: 19, AbortError: 20, URLMismatchError: 21, QuotaExceededError: 22, TimeoutError: 23, InvalidNodeTypeError: 24, DataCloneError: 25 };
export class DOMException {
  #message;
  #name;
  constructor(message = '', name = 'Error') {
    this.#message = `${message}`;
    this.#name = `${name}`;
    defineProperty(this, 'stack', { value: new Error(this.#message).stack, configurable: true, writable: true });
  }
  get name() {
    return this.#name;
  }
  get message() {
    return this.#message;
  }
  get code() {
    return codes[this.#name] || 0;
  }
}
setPrototypeOf(DOMException.prototype, Error.prototype);
'INDEX_SIZE DOMSTRING_SIZE HIERARCHY_REQUEST WRONG_DOCUMENT INVALID_CHARACTER NO_DATA_ALLOWED NO_MODIFICATION_ALLOWED NOT_FOUND NOT_SUPPORTED INUSE_ATTRIBUTE INVALID_STATE SYNTAX INVALID_MODIFICATION NAMESPACE INVALID_ACCESS VALIDATION TYPE_MISMATCH SECURITY NETWORK ABORT URL_MISMATCH QUOTA_EXCEEDED TIMEOUT INVALID_NODE_TYPE DATA_CLONE'.split(' ').forEach((name, i) => {
  const d = { value: i + 1, enumerable: true };
  defineProperty(DOMException, name + '_ERR', d);
  defineProperty(DOMException.prototype, name + '_ERR', d);
});
publish(DOMException);
// Those that scripts make have no stack in browsers, those that the browser throws do.
const ofScripts = { DOMException: function (message = '', name = 'Error') {
  if (new.target === undefined) throw new TypeError('DOMException is made with new');
  const made = Reflect.construct(DOMException, [message, name], new.target);
  delete made.stack;
  return made;
} }.DOMException;
defineProperty(ofScripts, 'length', { value: 0, configurable: true });
defineProperty(ofScripts, 'prototype', { value: DOMException.prototype, writable: false });
for (const name of namesOf(DOMException)) if (name.endsWith('_ERR')) defineProperty(ofScripts, name, { value: DOMException[name], enumerable: true });
defineProperty(DOMException.prototype, 'constructor', { value: ofScripts, writable: true, configurable: true });
expose('DOMException', ofScripts);
