// Badging API: badges are taken and not shown.

import { navigatorParts } from './navigatorparts.js';

for (const name of ['setAppBadge', 'clearAppBadge'])
  navigatorParts[name] = { value: { async [name]() {} }[name], writable: true, configurable: true, enumerable: true };
