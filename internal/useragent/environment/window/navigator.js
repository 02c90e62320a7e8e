// HTML, 8.10: Navigator.

import {
  ScriptArray, ScriptObject, TypeError, assign, defineProperty, freeze, quietly, rejected, resolved, arrayOf,
} from '../shared/primordials.js';
import { MAKE, attribute, onlyHere, publishLoosely, usv } from '../shared/webidl.js';
import { own } from '../shared/settings.js';
import { EventTarget } from '../shared/event.js';
import { queueTask } from '../shared/timers.js';
import { parsedURL } from '../shared/url.js';
import { performFetch } from '../shared/fetch.js';
import { addNavigatorParts, navigatorPart } from '../shared/navigatorparts.js';
import { current, mix } from './node.js';
import { error } from './nodes.js';
import { container } from './serviceworkercontainer.js';

export class Navigator {
  constructor(key = undefined) {
    onlyHere(key);
  }
  get serviceWorker() {
    if (own.opaque) throw error('SecurityError', 'a document without an origin has no service worker');
    return container;
  }
}
const constants = {
  userAgent: 'Mozilla/5.0 (X11; Linux x86_64) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/140.0.0.0 Safari/537.36', appName: 'Netscape', appCodeName: 'Mozilla', appVersion: '5.0 (X11; Linux x86_64)', product: 'Gecko', productSub: '20030107',
  vendor: 'Google Inc.', vendorSub: '', platform: 'Linux x86_64', language: 'en-US', cookieEnabled: true, hardwareConcurrency: 2, deviceMemory: 8, maxTouchPoints: 0, webdriver: false, doNotTrack: null, pdfViewerEnabled: true,
};
for (const [name, value] of Object.entries(constants)) defineProperty(Navigator.prototype, name, attribute(name, () => value));
mix(Navigator, {
  get languages() {
    return freeze(arrayOf('en-US', 'en'));
  },
  get onLine() {
    return Boolean(host('online'));
  },
  get plugins() {
    return assign(arrayOf(), { item: () => null, namedItem: () => null, refresh() {} });
  },
  get mimeTypes() {
    return assign(arrayOf(), { item: () => null, namedItem: () => null });
  },
  javaEnabled() {
    return false;
  },
  sendBeacon(url, data = null) {
    const at = parsedURL(usv(url), current.document.$base());
    if (!at) throw new TypeError(`${url} is no address`);
    quietly(performFetch(at[0], { method: 'POST', body: data ?? undefined, keepalive: true, credentials: 'include' }, 2));
    return true;
  },
  vibrate() {
    return true;
  },
  registerProtocolHandler() {},
  unregisterProtocolHandler() {},
  share() {
    return rejected(error('NotAllowedError', 'nobody asked for sharing'));
  },
  canShare() {
    return false;
  },
  getBattery() {
    return resolved(assign(new ScriptObject(), { charging: true, chargingTime: 0, dischargingTime: Infinity, level: 1, addEventListener() {}, removeEventListener() {} }));
  },
  requestMIDIAccess() {
    return rejected(error('NotSupportedError', 'there is no such device'));
  },
  getGamepads() {
    return arrayOf();
  },
});
navigatorPart('clipboard', 'Clipboard', () => ({ readText: async () => '', writeText: async () => {}, read: async () => arrayOf(), write: async () => {} }), EventTarget);
navigatorPart('geolocation', 'Geolocation', () => ({
  getCurrentPosition(done, failed) { queueTask(() => typeof failed === 'function' && failed({ code: 1, message: 'nobody allowed it', PERMISSION_DENIED: 1 })); },
  watchPosition() { return 0; },
  clearWatch() {},
}));
navigatorPart('mediaDevices', 'MediaDevices', () => ({ getUserMedia: () => rejected(error('NotAllowedError', 'nobody allowed it')), enumerateDevices: () => resolved(arrayOf()) }), EventTarget);
navigatorPart('credentials', 'CredentialsContainer', () => ({ get: () => resolved(null), create: () => resolved(null), store: () => resolved(), preventSilentAccess: () => resolved() }));
navigatorPart('userActivation', 'UserActivation', () => ({ hasBeenActive: false, isActive: false }));
navigatorPart('userAgentData', 'NavigatorUAData', () => ({ brands: arrayOf(), mobile: false, platform: 'Linux', getHighEntropyValues: () => resolved(new ScriptObject()) }));
navigatorPart('mediaSession', 'MediaSession', () => ({ get metadata() { return session.metadata; }, set metadata(v) { session.metadata = v; }, get playbackState() { return session.state; }, set playbackState(v) { session.state = `${v}`; }, setActionHandler() {}, setPositionState() {} }));
navigatorPart('wakeLock', 'WakeLock', () => ({ request: () => rejected(error('NotAllowedError', 'the screen stays as it is')) }));
const session = { metadata: null, state: 'none' };
addNavigatorParts(Navigator.prototype);
publishLoosely(Navigator);
export const navigator = new Navigator(MAKE);
