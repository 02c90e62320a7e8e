// HTML, 4.11 and 6.12: popovers, dialogs, details, and the buttons that open and close them.

import { fire, dispatch, trusted } from '../shared/event.js';
import { queueTask } from '../shared/timers.js';
import { reflectElement } from './elementreferences.js';
import { buttons } from './forms.js';
import { HTMLElement, classes, reflect, toggle } from './htmlelements.js';
import { mix } from './node.js';
import {
  asciiLower, contains, elementsOf, error, getAttr, hasAttr, isConnected, isHTML, onAttribute, onInserted, onRemoved,
  rootOf, setAttr,
} from './nodes.js';
import { states } from './selectors.js';
import { CommandEvent, ToggleEvent } from './uievents.js';

const toggling = (e, type, from, to, cancelable = false) => dispatch(e, trusted(new ToggleEvent(type, { oldState: from, newState: to, cancelable })));
// "queue a toggle event task": of what follows at once the last one tells of all.
function queueToggle(e, from, to) {
  const told = { from: e.$toggle?.from ?? from, to };
  e.$toggle = told;
  queueTask(() => {
    if (e.$toggle !== told) return;
    e.$toggle = null;
    toggling(e, 'toggle', told.from, told.to);
  });
}

// Popovers.
const kindOf = (e) => e.popover;
const showing = new Set(); // in the order in which they were shown
const isShowing = (e) => showing.has(e);
states.popover = isShowing;
function mayShow(e, shown) {
  if (kindOf(e) === null) throw error('NotSupportedError', 'this element is no popover');
  if (isShowing(e) !== shown) return false;
  if (!isConnected(e)) throw error('InvalidStateError', 'a popover is shown where it stands in a document');
  if (isHTML(e, 'dialog') && e.$modal && hasAttr(e, 'open')) throw error('InvalidStateError', 'this dialog is open');
  return true;
}
// "show popover"
function show(e) {
  if (!mayShow(e, false)) return;
  if (!toggling(e, 'beforetoggle', 'closed', 'open', true) || !mayShow(e, false)) return;
  if (kindOf(e) === 'auto') for (const other of [...showing].reverse()) if (kindOf(other) === 'auto' && !contains(other, e)) hide(other);
  showing.add(e);
  queueToggle(e, 'closed', 'open');
}
// "hide popover"
function hide(e, tells = true) {
  if (!isShowing(e)) return;
  for (const inner of [...showing].reverse()) if (inner !== e && contains(e, inner)) hide(inner, tells);
  if (tells) {
    toggling(e, 'beforetoggle', 'open', 'closed');
    if (!isShowing(e)) return;
    queueToggle(e, 'open', 'closed');
  }
  showing.delete(e);
}
mix(HTMLElement, {
  get popover() {
    const v = getAttr(this, 'popover');
    return v === null ? null : ['', 'auto'].includes(asciiLower(v)) ? 'auto' : asciiLower(v) === 'hint' ? 'hint' : 'manual';
  },
  set popover(v) {
    if (v === null) this.removeAttribute('popover');
    else setAttr(this, 'popover', `${v}`);
  },
  showPopover() {
    show(this);
  },
  hidePopover() {
    if (mayShow(this, true)) hide(this);
  },
  togglePopover(options = undefined) {
    const force = typeof options === 'object' && options !== null ? options.force : options;
    if (isShowing(this) && force !== true) {
      if (mayShow(this, true)) hide(this);
    } else if (force !== false) show(this);
    else mayShow(this, true);
    return isShowing(this);
  },
});
onAttribute.push((e, name, old, value) => {
  if (name === 'popover' && isShowing(e) && asciiLower(old ?? '') !== asciiLower(value ?? '')) hide(e);
});
onRemoved.push((node) => {
  if (showing.size) for (const e of [...showing]) if (contains(node, e)) hide(e, false);
});

// Dialogs.
function open(dialog, modal) {
  if (!toggling(dialog, 'beforetoggle', 'closed', 'open', true) || hasAttr(dialog, 'open')) return;
  queueToggle(dialog, 'closed', 'open');
  toggle(dialog, 'open', true);
  dialog.$modal = modal;
}
// "close the dialog"
function close(dialog, value) {
  if (!hasAttr(dialog, 'open')) return;
  toggling(dialog, 'beforetoggle', 'open', 'closed');
  if (!hasAttr(dialog, 'open')) return;
  toggle(dialog, 'open', false);
  dialog.$modal = false;
  if (value !== undefined) dialog.$return = `${value}`;
  queueTask(() => fire(dialog, 'close'));
  queueToggle(dialog, 'open', 'closed');
}
states.modal = (e) => isHTML(e, 'dialog') && e.$modal === true;
mix(classes.HTMLDialogElement, {
  show() {
    if (hasAttr(this, 'open')) {
      if (!this.$modal) return;
      throw error('InvalidStateError', 'the dialog is open and modal');
    }
    open(this, false);
  },
  showModal() {
    if (hasAttr(this, 'open')) {
      if (this.$modal) return;
      throw error('InvalidStateError', 'the dialog is open');
    }
    if (!isConnected(this)) throw error('InvalidStateError', 'the dialog stands in no document');
    if (isShowing(this)) throw error('InvalidStateError', 'the dialog is shown as a popover');
    open(this, true);
  },
  close(value = undefined) {
    close(this, value);
  },
  requestClose(value = undefined) {
    if (hasAttr(this, 'open') && fire(this, 'cancel', { cancelable: true })) close(this, value);
  },
  get returnValue() {
    return this.$return ?? '';
  },
  set returnValue(v) {
    this.$return = `${v}`;
  },
  get closedBy() {
    const v = asciiLower(getAttr(this, 'closedby') ?? '');
    return ['any', 'closerequest', 'none'].includes(v) ? v : states.modal(this) ? 'closerequest' : 'none';
  },
  set closedBy(v) {
    setAttr(this, 'closedby', `${v}`);
  },
});

// Details: of those with the same name one is open.
const others = (e) => {
  const name = getAttr(e, 'name');
  return name ? elementsOf(rootOf(e)).filter((n) => n !== e && isHTML(n, 'details') && hasAttr(n, 'open') && getAttr(n, 'name') === name) : [];
};
onAttribute.push((e, name, old, value) => {
  if (!isHTML(e, 'details')) return;
  if (name === 'name' && hasAttr(e, 'open') && others(e).length) toggle(e, 'open', false);
  if (name !== 'open' || (old === null) === (value === null)) return;
  queueToggle(e, old === null ? 'closed' : 'open', value === null ? 'closed' : 'open');
  if (value !== null) for (const other of others(e)) toggle(other, 'open', false);
});
onInserted.push((node) => {
  for (const e of [node, ...elementsOf(node)]) if (isHTML(e, 'details') && hasAttr(e, 'open') && others(e).length) toggle(e, 'open', false);
});

// Buttons that have others open and close ("popover target attribute activation behavior", 4.10.6: commands).
const COMMANDS = {
  __proto__: null,
  'show-modal': (e) => isHTML(e, 'dialog') && !hasAttr(e, 'open') && e.showModal(),
  close: (e, value) => isHTML(e, 'dialog') && close(e, value),
  'request-close': (e, value) => isHTML(e, 'dialog') && e.requestClose(value),
  'toggle-popover': (e) => kindOf(e) !== null && e.togglePopover(),
  'show-popover': (e) => kindOf(e) !== null && show(e),
  'hide-popover': (e) => kindOf(e) !== null && hide(e),
};
const commandOf = (e) => {
  const v = getAttr(e, 'command') ?? '';
  return v.startsWith('--') ? v : Object.hasOwn(COMMANDS, asciiLower(v)) ? asciiLower(v) : '';
};
for (const cls of [classes.HTMLButtonElement, classes.HTMLInputElement]) {
  reflectElement(cls.prototype, 'popoverTargetElement', 'popovertarget');
  reflect(cls, { popoverTargetAction: 'e popovertargetaction toggle,show,hide toggle toggle' });
}
reflectElement(classes.HTMLButtonElement.prototype, 'commandForElement', 'commandfor');
mix(classes.HTMLButtonElement, {
  get command() {
    return commandOf(this);
  },
  set command(v) {
    setAttr(this, 'command', `${v}`);
  },
});
// What a click on a button does where it has no form to do something with.
buttons.activate = (button) => {
  const told = isHTML(button, 'button') && hasAttr(button, 'commandfor') ? button.commandForElement : null;
  if (told) {
    const command = commandOf(button);
    if (command && dispatch(told, trusted(new CommandEvent('command', { command, source: button, cancelable: true })))) COMMANDS[command]?.(told, getAttr(button, 'value') ?? undefined);
    return;
  }
  const target = hasAttr(button, 'popovertarget') ? button.popoverTargetElement : null;
  if (!target || kindOf(target) === null) return;
  const action = button.popoverTargetAction;
  if (isShowing(target)) {
    if (action !== 'show') hide(target);
  } else if (action !== 'hide') show(target);
};
