// Prioritized Task Scheduling: tasks run in the order in which they were posted.

import { PromiseOf, TypeError, isA, saved, setPrototypeOf } from './primordials.js';
import { expose, lazy, must, publishLoosely } from './webidl.js';
import { Event, dispatch, handlers, trusted } from './event.js';
import { makeInterface } from './navigatorparts.js';
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
const { signal: signalOf } = saved(AbortController, 'signal');
lazy(['scheduler', 'Scheduler', 'TaskController', 'TaskSignal', 'TaskPriorityChangeEvent'], () => {
  const scheduler = makeInterface('Scheduler', {
    postTask: (callback, { delay = 0, signal, priority = signal?.priority ?? 'user-visible' } = {}) => new PromiseOf((resolve, reject) => {
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
  expose('scheduler', scheduler());
  const priorityOf = new WeakMap();
  class TaskSignal extends AbortSignal {
    get priority() {
      return priorityOf.get(this);
    }
    static any(signals, { priority = 'user-visible' } = {}) {
      return taskSignal(AbortSignal.any(signals), isA(priority, TaskSignal) ? priority.priority : priority);
    }
  }
  handlers(TaskSignal.prototype, 'prioritychange');
  const taskSignal = (signal, priority) => {
    setPrototypeOf(signal, TaskSignal.prototype);
    priorityOf.set(signal, `${priority}`);
    return signal;
  };
  class TaskController extends AbortController {
    constructor({ priority = 'user-visible' } = {}) {
      super();
      if (!ORDER.includes(`${priority}`)) throw new TypeError(`"${priority}" is no priority of tasks`);
      taskSignal(signalOf(this), priority);
    }
    setPriority(priority) {
      if (!ORDER.includes(`${priority}`)) throw new TypeError(`"${priority}" is no priority of tasks`);
      const signal = signalOf(this);
      const previousPriority = priorityOf.get(signal);
      priorityOf.set(signal, `${priority}`);
      if (previousPriority !== priorityOf.get(signal)) dispatch(signal, trusted(new TaskPriorityChangeEvent('prioritychange', { previousPriority })));
    }
  }
  class TaskPriorityChangeEvent extends Event {
    #previous;
    constructor(type, init) {
      super(type, init);
      must(arguments, 2);
      this.#previous = `${init.previousPriority}`;
    }
    get previousPriority() {
      return this.#previous;
    }
  }
  publishLoosely(TaskSignal, TaskController, TaskPriorityChangeEvent);
});
