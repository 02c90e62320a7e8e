// HTML, 10.3.2: WorkerNavigator.

import { freeze } from './primordials.js';
import { MAKE, onlyHere, publish } from './webidl.js';
import { addNavigatorParts } from './navigatorparts.js';

class WorkerNavigator {
  constructor(key = undefined) {
    onlyHere(key);
  }
  get userAgent() {
    return 'Mozilla/5.0 (tachyform)';
  }
  get onLine() {
    return true;
  }
  get language() {
    return 'en';
  }
  get languages() {
    return freeze(['en']);
  }
  get hardwareConcurrency() {
    return 2;
  }
  get platform() {
    return '';
  }
  get appName() {
    return 'Netscape';
  }
  get appCodeName() {
    return 'Mozilla';
  }
  get appVersion() {
    return '5.0 (tachyform)';
  }
  get product() {
    return 'Gecko';
  }
}
publish(WorkerNavigator);
addNavigatorParts(WorkerNavigator.prototype);
export const ownNavigator = new WorkerNavigator(MAKE);
