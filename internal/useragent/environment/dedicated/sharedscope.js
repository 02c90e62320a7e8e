// HTML, 10.2.1.3: SharedWorkerGlobalScope.

import { fromJSON } from '../shared/primordials.js';
import { MessageEvent, dispatch, trusted } from '../shared/event.js';
import { deserialize } from '../shared/structuredclone.js';
import { received } from '../shared/messaging.js';
import { become } from './globalscope.js';
import { WorkerGlobalScope } from '../shared/workerglobalscope.js';

export function becomeShared() {
  become(class SharedWorkerGlobalScope extends WorkerGlobalScope {}, ['connect'], {});
  delete global.Worker; // browsers let them start none
}
// The standard has an empty text as its data; browsers have none.
export function connect(json) {
  const [port] = deserialize(received(fromJSON(json))).transferred;
  dispatch(global, trusted(new MessageEvent('connect', { ports: [port], source: port })));
}
