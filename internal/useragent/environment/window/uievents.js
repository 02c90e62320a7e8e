// UI Events, Pointer Events and the events of HTML that windows have.

import { ScriptArray, TypeError, defineProperty, arrayOf, isA } from '../shared/primordials.js';
import { attribute, must, publishLoosely } from '../shared/webidl.js';
import { Event, insideOf } from '../shared/event.js';
import { constant, mix } from './node.js';

const isWindow = (value) => value === global || [...(kin.windows?.values() ?? [])].some((side) => side.global === value);
// Makes an interface of events whose attributes come from its init, with what they are without it.
const inits = new Map(); // of an interface: gives an event other values
const eventClass = (name, Base, fields, check = null) => {
  const stateOf = new WeakMap();
  const cls = { [name]: class extends Base {
    constructor(type, init = {}) {
      if (arguments.length === 0) throw new TypeError('an event needs a type');
      super(type, init);
      check?.(init);
      const s = {};
      if ('view' in fields && init?.view !== undefined && init.view !== null && !isWindow(init.view)) throw new TypeError('view is no window');
      for (const [key, fallback] of Object.entries(fields)) {
        const v = init?.[key];
        s[key] = v === undefined ? fallback : typeof fallback === 'number' ? Number(v) || 0 : typeof fallback === 'boolean' ? Boolean(v) : typeof fallback === 'string' ? `${v}` : v;
      }
      stateOf.set(this, s);
      if (s.relatedTarget) insideOf(this).related = s.relatedTarget;
    }
  } }[name];
  for (const key of Object.keys(fields)) defineProperty(cls.prototype, key, attribute(key, (event) => stateOf.get(event)?.[key] ?? fields[key]));
  if ('relatedTarget' in fields) defineProperty(cls.prototype, 'relatedTarget', attribute('relatedTarget', (event) => {
    const { relatedNow } = insideOf(event);
    return relatedNow === undefined ? stateOf.get(event)?.relatedTarget ?? null : relatedNow;
  }));
  inits.set(cls, (event, values) => {
    inits.get(Base)?.(event, values);
    for (const key of Object.keys(fields)) if (key in values) stateOf.get(event)[key] = values[key];
  });
  cls.stateOf = undefined;
  delete cls.stateOf;
  return cls;
};
export const UIEvent = eventClass('UIEvent', Event, { view: null, detail: 0 });
// The old way to give an event its values, which does nothing while it is on its way.
const oldInit = (cls, name, keys) => mix(cls, { [name](type, bubbles = false, cancelable = false, ...values) {
  must(arguments, 1);
  if (insideOf(this).dispatching) return;
  this.initEvent(type, bubbles, cancelable);
  const state = {};
  keys.forEach(([key, fallback], i) => {
    const v = values[i] === undefined ? fallback : values[i];
    state[key] = typeof fallback === 'number' ? Number(v) || 0 : typeof fallback === 'boolean' ? Boolean(v) : typeof fallback === 'string' ? `${v}` : v;
  });
  inits.get(cls)(this, state);
  if (state.relatedTarget) insideOf(this).related = state.relatedTarget;
} });
const constantsOf = (cls, names) => names.forEach((name, i) => constant(cls, name, i));
const VIEW = [['view', null]];
oldInit(UIEvent, 'initUIEvent', [...VIEW, ['detail', 0]]);
const modifiers = { ctrlKey: false, shiftKey: false, altKey: false, metaKey: false };
export const FocusEvent = eventClass('FocusEvent', UIEvent, { relatedTarget: null });
export const MouseEvent = eventClass('MouseEvent', UIEvent, { screenX: 0, screenY: 0, clientX: 0, clientY: 0, pageX: 0, pageY: 0, x: 0, y: 0, layerX: 0, layerY: 0, offsetX: 0, offsetY: 0, movementX: 0, movementY: 0, button: 0, buttons: 0, relatedTarget: null, ...modifiers });
// Of an event of keys it is the code of the key, of one of the mouse the button.
mix(UIEvent, { get which() { return isA(this, KeyboardEvent) ? this.keyCode : isA(this, MouseEvent) ? this.button + 1 : 0; } });
mix(MouseEvent, {
  getModifierState(key) {
    must(arguments, 1);
    return Boolean({ Control: this.ctrlKey, Shift: this.shiftKey, Alt: this.altKey, Meta: this.metaKey }[key]);
  },
});
oldInit(MouseEvent, 'initMouseEvent', [...VIEW, ['detail', 0], ['screenX', 0], ['screenY', 0], ['clientX', 0], ['clientY', 0], ['ctrlKey', false], ['altKey', false], ['shiftKey', false], ['metaKey', false], ['button', 0], ['relatedTarget', null]]);
export const PointerEvent = eventClass('PointerEvent', MouseEvent, { pointerId: 0, width: 1, height: 1, pressure: 0, tangentialPressure: 0, tiltX: 0, tiltY: 0, twist: 0, pointerType: '', isPrimary: false });
mix(PointerEvent, {
  getCoalescedEvents: () => arrayOf(),
  getPredictedEvents: () => arrayOf(),
});
export const WheelEvent = eventClass('WheelEvent', MouseEvent, { deltaX: 0, deltaY: 0, deltaZ: 0, deltaMode: 0 });
constantsOf(WheelEvent, ['DOM_DELTA_PIXEL', 'DOM_DELTA_LINE', 'DOM_DELTA_PAGE']);
export const DragEvent = eventClass('DragEvent', MouseEvent, { dataTransfer: null });
export const KeyboardEvent = eventClass('KeyboardEvent', UIEvent, { key: '', code: '', location: 0, repeat: false, isComposing: false, charCode: 0, keyCode: 0, ...modifiers });
mix(KeyboardEvent, {
  getModifierState: MouseEvent.prototype.getModifierState,
});
oldInit(KeyboardEvent, 'initKeyboardEvent', [...VIEW, ['keyIdentifier', ''], ['location', 0], ['ctrlKey', false], ['altKey', false], ['shiftKey', false], ['metaKey', false]]);
constantsOf(KeyboardEvent, ['DOM_KEY_LOCATION_STANDARD', 'DOM_KEY_LOCATION_LEFT', 'DOM_KEY_LOCATION_RIGHT', 'DOM_KEY_LOCATION_NUMPAD']);
export const InputEvent = eventClass('InputEvent', UIEvent, { data: null, isComposing: false, inputType: '', dataTransfer: null });
mix(InputEvent, { getTargetRanges: () => arrayOf() });
export const CompositionEvent = eventClass('CompositionEvent', UIEvent, { data: '' });
oldInit(CompositionEvent, 'initCompositionEvent', [...VIEW, ['data', '']]);
export const TextEvent = eventClass('TextEvent', UIEvent, { data: '' });
oldInit(TextEvent, 'initTextEvent', [...VIEW, ['data', '']]);
export const TouchEvent = eventClass('TouchEvent', UIEvent, { touches: null, targetTouches: null, changedTouches: null, ...modifiers });
export const HashChangeEvent = eventClass('HashChangeEvent', Event, { oldURL: '', newURL: '' });
export const PopStateEvent = eventClass('PopStateEvent', Event, { state: null, hasUAVisualTransition: false });
export const PageTransitionEvent = eventClass('PageTransitionEvent', Event, { persisted: false });
export const BeforeUnloadEvent = eventClass('BeforeUnloadEvent', Event, {});
const returned = new WeakMap();
mix(BeforeUnloadEvent, {
  get returnValue() {
    return returned.get(this) ?? '';
  },
  set returnValue(v) {
    returned.set(this, `${v}`);
  },
});
export const DeviceMotionEvent = eventClass('DeviceMotionEvent', Event, { acceleration: null, accelerationIncludingGravity: null, rotationRate: null, interval: 0 });
export const DeviceOrientationEvent = eventClass('DeviceOrientationEvent', Event, { alpha: null, beta: null, gamma: null, absolute: false });
export const StorageEvent = eventClass('StorageEvent', Event, { key: null, oldValue: null, newValue: null, url: '', storageArea: null });
oldInit(StorageEvent, 'initStorageEvent', [['key', null], ['oldValue', null], ['newValue', null], ['url', ''], ['storageArea', null]]);
export const SubmitEvent = eventClass('SubmitEvent', Event, { submitter: null });
export const FormDataEvent = eventClass('FormDataEvent', Event, { formData: null }, (init) => {
  if (init?.formData === undefined) throw new TypeError('the event is one of form data');
});
export const ToggleEvent = eventClass('ToggleEvent', Event, { oldState: '', newState: '' });
export const CommandEvent = eventClass('CommandEvent', Event, { command: '', source: null });
export const AnimationEvent = eventClass('AnimationEvent', Event, { animationName: '', elapsedTime: 0, pseudoElement: '' });
export const TransitionEvent = eventClass('TransitionEvent', Event, { propertyName: '', elapsedTime: 0, pseudoElement: '' });
export const ClipboardEvent = eventClass('ClipboardEvent', Event, { clipboardData: null });
export const MediaQueryListEvent = eventClass('MediaQueryListEvent', Event, { media: '', matches: false });
export const SecurityPolicyViolationEvent = eventClass('SecurityPolicyViolationEvent', Event, { documentURI: '', referrer: '', blockedURI: '', violatedDirective: '', effectiveDirective: '', originalPolicy: '', disposition: 'enforce', statusCode: 0 });
publishLoosely(UIEvent, FocusEvent, MouseEvent, PointerEvent, WheelEvent, DragEvent, KeyboardEvent, InputEvent, CompositionEvent, TextEvent, TouchEvent, HashChangeEvent, PopStateEvent, PageTransitionEvent, BeforeUnloadEvent, DeviceMotionEvent, DeviceOrientationEvent, StorageEvent, SubmitEvent, FormDataEvent, ToggleEvent, CommandEvent, AnimationEvent, TransitionEvent, ClipboardEvent, MediaQueryListEvent, SecurityPolicyViolationEvent);
