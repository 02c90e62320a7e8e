import { TypeError, resolved, scriptEval, then } from './primordials.js';
import { commands } from './commands.js';
import { expose, must } from './webidl.js';
import { report } from './event.js';

// HTML, 8.6: timers. Repeated ones are bounded by the host's own limit on time.
let nextTimer = 0;
let nesting = 0;
const timers = new Map();
function startTimer(callback, delay, args, repeat) {
  const id = ++nextTimer;
  // Timers that timers set wait for four milliseconds at least (HTML, 8.6).
  const ms = Math.max(Number(delay) || 0, repeat || nesting >= 5 ? 4 : 0);
  timers.set(id, { callback, args, repeat, ms, nesting: nesting + 1 });
  host('timer', id, ms, repeat || nesting >= CHAIN);
  return id;
}
// So many timers that set each other are something that repeats.
const CHAIN = 6;
function clearTimer(id) {
  if (timers.delete(Number(id))) host('clearTimer', Number(id));
}
commands.timer = (id) => {
  const timer = timers.get(id);
  if (!timer) return;
  if (timer.repeat) host('timer', id, timer.ms, true);
  else timers.delete(id);
  nesting = timer.nesting;
  try {
    if (typeof timer.callback === 'function') timer.callback(...timer.args);
    else scriptEval(`${timer.callback}`);
  } catch (error) {
    report(error);
  }
  nesting = 0;
};
export const setTimeout = (callback, delay = 0, ...args) => startTimer(callback, delay, args, false);
expose('setTimeout', { setTimeout(callback, delay = 0, ...args) { must(arguments, 1); return startTimer(callback, delay, args, false); } }.setTimeout);
expose('setInterval', { setInterval(callback, delay = 0, ...args) { return startTimer(callback, delay, args, true); } }.setInterval);
expose('clearTimeout', { clearTimeout(id) { clearTimer(id); } }.clearTimeout);
expose('clearInterval', { clearInterval(id) { clearTimer(id); } }.clearInterval);
export const settled = resolved();
expose('queueMicrotask', { queueMicrotask(callback) {
  if (typeof callback !== 'function') throw new TypeError('queueMicrotask takes a function');
  then(settled, () => {
    try {
      callback();
    } catch (error) {
      report(error);
    }
  });
} }.queueMicrotask);
expose('reportError', { reportError(error) {
  must(arguments, 1);
  report(error);
} }.reportError);

// Queues a task that no timer can clear and that does not nest.
export function queueTask(run) {
  const id = ++nextTimer;
  timers.set(id, { callback: run, args: [], repeat: false, ms: 0, nesting: 0 });
  host('timer', id, 0);
}
