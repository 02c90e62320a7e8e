// Storage Standard: StorageManager.

import { forScripts } from './primordials.js';
import { gap } from './gap.js';
import { DOMException } from './domexception.js';
import { call } from './host.js';
import { navigatorPart } from './navigatorparts.js';

navigatorPart('storage', 'StorageManager', () => ({
  async estimate() {
    return forScripts({ quota: 1e10, usage: await call('storage.usage') });
  },
  async persisted() {
    return false;
  },
  async persist() {
    return false;
  },
  async getDirectory() {
    gap('the origin private file system');
    throw new DOMException('there is no file system in this user agent', 'SecurityError');
  },
}));
