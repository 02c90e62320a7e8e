// Prioritized Task Scheduling: tasks run in the order in which they were posted.

import { PromiseOf } from './primordials.js';
import { expose, lazy } from './webidl.js';
import { setTimeout } from './timers.js';
import { AbortController, AbortSignal, isAborted, reasonOf } from './abort.js';

// Tasks that are due wait for one turn, in which those that matter most go first.
const ORDER = ['user-blocking', 'user-visible', 'background'];
const due = [];
function later(priority, run) {
  due.push({ rank: ORDER.indexOf(priority), run });
  if (due.length > 1) return;
  setTimeout(() => {
    const list = due.splice(0).sort((a, b) => a.rank - b.rank);
    for (const task of list) task.run();
  });
}
lazy(['scheduler', 'TaskController', 'TaskSignal'], () => {
  expose('scheduler', {
    postTask: (callback, { delay = 0, signal, priority = 'user-visible' } = {}) => new PromiseOf((resolve, reject) => {
      if (isAborted(signal)) return reject(reasonOf(signal));
      signal?.addEventListener('abort', () => reject(signal.reason));
      const run = () => {
        try {
          resolve(callback());
        } catch (error) {
          reject(error);
        }
      };
      setTimeout(() => later(priority, run), delay);
    }),
    yield: () => new PromiseOf((resolve) => setTimeout(resolve, 0)),
  });
  expose('TaskController', AbortController);
  expose('TaskSignal', AbortSignal);
});
