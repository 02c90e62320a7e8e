// Trusted Types: policies work, nothing is enforced.

import { expose, lazy } from './webidl.js';

lazy(['trustedTypes'], () => {
  const policy = (name, rules = {}) => ({ name, createHTML: (s, ...a) => `${rules.createHTML ? rules.createHTML(s, ...a) : s}`, createScript: (s, ...a) => `${rules.createScript ? rules.createScript(s, ...a) : s}`, createScriptURL: (s, ...a) => `${rules.createScriptURL ? rules.createScriptURL(s, ...a) : s}` });
  expose('trustedTypes', { createPolicy: policy, isHTML: () => false, isScript: () => false, isScriptURL: () => false, emptyHTML: '', emptyScript: '', defaultPolicy: null });
});
