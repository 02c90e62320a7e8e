// Network Information API.

import { interfaceOf, navigatorPart } from './navigatorparts.js';

navigatorPart('connection', () => interfaceOf('NetworkInformation', { effectiveType: '4g', downlink: 10, rtt: 50, saveData: false, type: 'wifi', onchange: null }));
