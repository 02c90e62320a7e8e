// Prioritized Task Scheduling: tasks run in the order in which they were posted.

import { PromiseOf } from './primordials.js';
import { expose, lazy } from './webidl.js';
import { setTimeout } from './timers.js';
import { AbortController, AbortSignal } from './abort.js';

lazy(['scheduler', 'TaskController', 'TaskSignal'], () => {
  expose('scheduler', {
    postTask: (callback, { delay = 0, signal } = {}) => new PromiseOf((resolve, reject) => {
      if (signal?.aborted) return reject(signal.reason);
      signal?.addEventListener('abort', () => reject(signal.reason));
      setTimeout(() => {
        try {
          resolve(callback());
        } catch (error) {
          reject(error);
        }
      }, delay);
    }),
    yield: () => new PromiseOf((resolve) => setTimeout(resolve, 0)),
  });
  expose('TaskController', AbortController);
  expose('TaskSignal', AbortSignal);
});
