// HTML, 10.2.6.4: SharedWorker.

import { toJSON } from '../shared/primordials.js';
import { commands } from '../shared/commands.js';
import { MAKE, must, publish, usv } from '../shared/webidl.js';
import { baseURL } from '../shared/settings.js';
import { Event, EventTarget, dispatch, handlers, trusted } from '../shared/event.js';
import { parsedURL } from '../shared/url.js';
import { serialize } from '../shared/structuredclone.js';
import { makePorts, sendable } from '../shared/messaging.js';
import { workerOptions } from '../shared/dedicatedworker.js';
import { error } from './nodes.js';

const connected = new Map();
class SharedWorker extends EventTarget {
  #port;
  constructor(url, options = {}) {
    must(arguments, 1);
    super(MAKE);
    const at = parsedURL(usv(url), baseURL());
    if (!at) throw error('SyntaxError', `${url} is no address`);
    const given = workerOptions(at, typeof options === 'object' || options === undefined ? options : { name: options });
    const [outside, inside] = makePorts();
    this.#port = outside;
    const id = connected.size + 1;
    connected.set(id, this);
    host('shared.connect', id, at[0], toJSON({ ...given, shared: true }), toJSON(sendable(serialize('', [inside]))));
  }
  get port() {
    return this.#port;
  }
}
handlers(SharedWorker.prototype, 'error');
publish(SharedWorker);
// Its script can't be had, or there is one of that name that was made otherwise.
commands.sharedFailed = (id) => dispatch(connected.get(id), trusted(new Event('error', { cancelable: true })));
