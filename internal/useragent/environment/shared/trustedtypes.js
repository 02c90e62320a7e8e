// Trusted Types: policies work, nothing is enforced.

import { TypeError, isA } from './primordials.js';
import { MAKE, expose, lazy, onlyHere, publishLoosely } from './webidl.js';
import { makeInterface } from './navigatorparts.js';

const KINDS = { HTML: 'TrustedHTML', Script: 'TrustedScript', ScriptURL: 'TrustedScriptURL' };
lazy(['trustedTypes', 'TrustedTypePolicyFactory', 'TrustedTypePolicy', ...Object.values(KINDS)], () => {
  const classes = {};
  for (const [kind, name] of Object.entries(KINDS)) {
    classes[kind] = { [name]: class {
      #text;
      constructor(key = undefined, text = '') {
        onlyHere(key);
        this.#text = text;
      }
      toString() {
        return this.#text;
      }
      toJSON() {
        return this.#text;
      }
    } }[name];
    publishLoosely(classes[kind]);
  }
  class TrustedTypePolicy {
    #name;
    #rules;
    constructor(key = undefined, name = '', rules = {}) {
      onlyHere(key);
      this.#name = name;
      this.#rules = rules;
    }
    get name() {
      return this.#name;
    }
    createHTML(input, ...rest) {
      return this.$make('HTML', input, rest);
    }
    createScript(input, ...rest) {
      return this.$make('Script', input, rest);
    }
    createScriptURL(input, ...rest) {
      return this.$make('ScriptURL', input, rest);
    }
    // "create a trusted type" (3.1).
    $make(kind, input, rest) {
      const rule = this.#rules[`create${kind}`];
      if (typeof rule !== 'function') throw new TypeError(`the policy "${this.#name}" has no create${kind}`);
      const given = rule(`${input}`, ...rest);
      const text = given === null || given === undefined ? '' : `${given}`;
      return kind === 'Script' ? text : new classes[kind](MAKE, text); // the engine's eval takes texts alone
    }
  }
  publishLoosely(TrustedTypePolicy);
  let byDefault = null;
  const is = (kind) => (value) => isA(value, classes[kind]);
  const factory = makeInterface('TrustedTypePolicyFactory', {
    createPolicy(name, rules = {}) {
      const policy = new TrustedTypePolicy(MAKE, `${name}`, rules);
      if (`${name}` === 'default') byDefault = policy;
      return policy;
    },
    isHTML: is('HTML'), isScript: is('Script'), isScriptURL: is('ScriptURL'),
    emptyHTML: new classes.HTML(MAKE, ''), emptyScript: new classes.Script(MAKE, ''),
    get defaultPolicy() {
      return byDefault;
    },
  });
  expose('trustedTypes', factory());
});
