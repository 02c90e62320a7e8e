import { lazy, onlyHere, publish } from './webidl.js';

lazy(['DOMStringList'], () => {
  // HTML, 2.6.5: databases alone still give such lists.
  class DOMStringList {
    constructor(key = undefined) {
      onlyHere(key);
    }
    get length() {
      return 0;
    }
    item(index) {
      return null;
    }
    contains(string) {
      return false;
    }
  }
  publish(DOMStringList);
});
