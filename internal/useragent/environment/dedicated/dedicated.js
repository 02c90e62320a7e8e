// The global object of a dedicated or shared worker, and the commands by which the browser runs it.

import '../shared/interfaces.js';
import '../shared/objecturls.js';
import '../shared/xhr.js';
import '../shared/dedicatedworker.js';
import { nameImports } from '../shared/dynamicimport.js';
import { fromJSON, then } from '../shared/primordials.js';
import { commands } from '../shared/commands.js';
import { own, setOwn } from '../shared/settings.js';
import { describe, stackOf } from '../shared/errors.js';
import { ErrorEvent, dispatch, owner, trusted } from '../shared/event.js';
import { becomeDedicated } from './globalscope.js';
import { becomeShared, connect } from './sharedscope.js';
import { deliverMessage } from '../shared/dedicatedworker.js';
import { addObjectURLs } from '../shared/objecturls.js';
import { setLocation } from '../shared/workerlocation.js';

// What is not there in these workers ("Exposed").
for (const name of ['cookieStore', 'CookieStore', 'PerformanceNavigationTiming']) delete global[name];
delete global.StorageManager.prototype.persist;
delete global.XMLHttpRequest.prototype.responseXML;

addObjectURLs();
commands.start = (json) => {
  setOwn(fromJSON(json));
  if (own.shared) becomeShared();
  else becomeDedicated();
  nameImports();
  setLocation(own.script);
};
// What the worker does not handle is told to those who started it.
function failed(error) {
  const [, filename = own.script, line = '0'] = /([^\s(]+):(\d+)(?::\d+)?\)?\s*$/m.exec(stackOf(error)) ?? [];
  const message = `Uncaught ${describe(error)}`;
  if (dispatch(global, trusted(new ErrorEvent('error', { message, filename, lineno: Number(line), error, cancelable: true })))) host('dedicated.failed', message, filename, Number(line));
}
owner.told = ({ message, filename, lineno }) => host('dedicated.failed', message, filename, lineno);
commands.script = (text, url) => {
  try {
    host('eval', text, url);
  } catch (error) {
    failed(error);
  }
};
commands.module = (url) => {
  // Messages wait until the module has come to its end.
  then(host('module', url), () => host('dedicated.ready'), (error) => {
    failed(error);
    host('dedicated.ready');
  });
};
commands.toWorker = (json) => (own.shared ? connect(json) : deliverMessage(global, json));

export { runCommand } from '../shared/commands.js';
