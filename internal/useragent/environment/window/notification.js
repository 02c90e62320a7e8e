// Notifications, as a page meets them that nobody has allowed to show any.

import { resolved } from '../shared/primordials.js';
import { must, publishLoosely } from '../shared/webidl.js';
import { EventTarget, fire, handlers } from '../shared/event.js';
import { queueTask } from '../shared/timers.js';

const optionsOf = new WeakMap();
export class Notification extends EventTarget {
  constructor(title, options = {}) {
    must(arguments, 1);
    super();
    optionsOf.set(this, { title: `${title}`, ...options });
    queueTask(() => fire(this, 'error'));
  }
  static get permission() {
    return 'default';
  }
  static get maxActions() {
    return 2;
  }
  static requestPermission(callback = undefined) {
    if (typeof callback === 'function') queueTask(() => callback('default'));
    return resolved('default');
  }
  get title() {
    return optionsOf.get(this).title;
  }
  get body() {
    return `${optionsOf.get(this).body ?? ''}`;
  }
  get tag() {
    return `${optionsOf.get(this).tag ?? ''}`;
  }
  get icon() {
    return `${optionsOf.get(this).icon ?? ''}`;
  }
  get data() {
    return optionsOf.get(this).data ?? null;
  }
  close() {}
}
handlers(Notification.prototype, 'click', 'show', 'error', 'close');
publishLoosely(Notification);
