// Network Information API.

import { EventTarget } from './event.js';
import { navigatorPart } from './navigatorparts.js';

navigatorPart('connection', 'NetworkInformation', () => ({ effectiveType: '4g', downlink: 10, rtt: 50, saveData: false, onchange: null }), EventTarget);
