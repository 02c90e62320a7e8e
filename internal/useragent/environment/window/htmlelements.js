// HTML, 3.2 and 4: the interfaces of elements, with the attributes that they reflect (2.6).

import {
  PromiseOf, ScriptArray, ScriptObject, TypeError, assign, defineProperty, forScripts, rejected, resolved, arrayFrom,
} from '../shared/primordials.js';
import { gap } from '../shared/gap.js';
import { attribute, lazyEach, publishPlainly } from '../shared/webidl.js';
import { Event, EventTarget, dispatch, handlers, report, trees, trusted } from '../shared/event.js';
import { makeInterface } from '../shared/navigatorparts.js';
import { answersOtherwise, doubtful } from '../shared/gap.js';
import { queueTask } from '../shared/timers.js';
import { URL, URL_PARTS, parsedURL } from '../shared/url.js';
import { elements, tokenList } from './collections.js';
import { Document } from './document.js';
import { Element } from './element.js';
import { mix } from './node.js';
import {
  HTML, MATHML, SVG, append, asciiLower, childElements, children, cloneNode, contains, elementsOf, error, getAttr,
  hasAttr, insert, isConnected, isElement, isHTML, isNode, isText, isValidAttributeName, late, makeElement,
  makeFragment, makeText, onAttribute, onCloned, onRemoved, preInsert, protoFor, remove, replace, replaceAll,
  replaceAllWithText, replaceData, setAttr, textOf,
} from './nodes.js';
import { contentOf, onParsed } from './parsing.js';
import { isDisabled, states } from './selectors.js';

const illegal = () => new TypeError('Illegal constructor');
// "rendered text fragment" (HTML, 3.2.7)
const textFragment = (text, document) => {
  const fragment = makeFragment(document);
  `${text === null ? '' : text}`.split(/\r\n|\r|\n/).forEach((line, i) => {
    if (i) append(makeElement(HTML, 'br', document), fragment);
    if (line) append(makeText(line, document), fragment);
  });
  return fragment;
};
// Whether a summary opens the details that it stands in.
export const opens = (e) => isHTML(e.$p, 'details') && childElements(e.$p).find((c) => isHTML(c, 'summary')) === e;
export const constructing = { html: null };
export class HTMLElement extends Element {
  constructor() {
    if (!constructing.html) throw illegal();
    return constructing.html(new.target);
  }
  get innerText() {
    return late.renderedText(this);
  }
  set innerText(text) {
    replaceAll(textFragment(text, this.$d), this);
  }
  get outerText() {
    return this.innerText;
  }
  set outerText(text) {
    const parent = this.$p;
    if (!parent) throw error('NoModificationAllowedError', 'an element without a parent cannot be replaced');
    const [before, after] = [this.$v, this.$n];
    const fragment = textFragment(text, this.$d);
    if (!fragment.$f) append(makeText('', this.$d), fragment);
    replace(this, fragment, parent);
    // "merge with the next text node"
    for (const text_ of [after?.$v, before]) {
      const next = text_?.$n;
      if (!text_ || !next || text_.$t !== 3 || next.$t !== 3) continue;
      replaceData(text_, text_.$data.length, 0, next.$data);
      remove(next);
    }
  }
  click() {
    if (isDisabled(this)) return;
    dispatch(this, Object.assign(new global.MouseEvent('click', { bubbles: true, cancelable: true, composed: true })));
  }
  focus() {
    focusOn(this);
  }
  blur() {
    if (states.focused === this) focusOn(null);
  }
  get dataset() {
    return (this.$dataset ??= new Proxy(new DOMStringMap(this), datasetHandler(this)));
  }
  get style() {
    return late.styleOf(this);
  }
  set style(text) {
    late.styleOf(this).cssText = text;
  }
  get tabIndex() {
    const n = Number.parseInt(getAttr(this, 'tabindex') ?? '', 10);
    return Number.isNaN(n) ? (['a', 'area', 'button', 'input', 'select', 'textarea', 'iframe'].includes(this.$name) || (this.$name === 'summary' && opens(this)) ? 0 : -1) : n;
  }
  set tabIndex(value) {
    setAttr(this, 'tabindex', `${Number(value) | 0}`);
  }
  get nonce() {
    return this.$nonce ?? getAttr(this, 'nonce') ?? '';
  }
  set nonce(value) {
    this.$nonce = `${value}`;
  }
  get autofocus() {
    return hasAttr(this, 'autofocus');
  }
  set autofocus(value) {
    toggle(this, 'autofocus', value);
  }
  get hidden() {
    const v = getAttr(this, 'hidden');
    return v === null ? false : asciiLower(v) === 'until-found' ? 'until-found' : true;
  }
  set hidden(value) {
    if (value === 'until-found') setAttr(this, 'hidden', value);
    else toggle(this, 'hidden', value);
  }
  get contentEditable() {
    const v = getAttr(this, 'contenteditable');
    return v === '' ? 'true' : v !== null && ['true', 'false', 'plaintext-only'].includes(asciiLower(v)) ? asciiLower(v) : 'inherit';
  }
  set contentEditable(value) {
    const v = asciiLower(`${value}`);
    if (v === 'inherit') this.removeAttribute('contenteditable');
    else if (['true', 'false', 'plaintext-only'].includes(v)) setAttr(this, 'contenteditable', v);
    else throw error('SyntaxError', `"${value}" is no value of contentEditable`);
  }
  get isContentEditable() {
    for (let e = this; isElement(e); e = e.$p) {
      const v = getAttr(e, 'contenteditable');
      if (v !== null) return asciiLower(v) !== 'false';
    }
    return false;
  }
  get draggable() {
    const v = getAttr(this, 'draggable');
    return v === null ? this.$name === 'img' || (this.$name === 'a' && hasAttr(this, 'href')) : asciiLower(v) === 'true';
  }
  set draggable(value) {
    setAttr(this, 'draggable', `${Boolean(value)}`);
  }
  get spellcheck() {
    return asciiLower(getAttr(this, 'spellcheck') ?? '') !== 'false';
  }
  set spellcheck(value) {
    setAttr(this, 'spellcheck', `${Boolean(value)}`);
  }
  get translate() {
    return asciiLower(getAttr(this, 'translate') ?? '') !== 'no';
  }
  set translate(value) {
    setAttr(this, 'translate', value ? 'yes' : 'no');
  }
  get offsetParent() {
    return isConnected(this) && this.$name !== 'body' ? this.$d.body : null;
  }
  attachInternals() {
    return late.internals(this);
  }
}
export const toggle = (e, name, on) => {
  if (on) {
    if (!hasAttr(e, name)) setAttr(e, name, '');
  } else e.removeAttribute(name);
};
for (const name of ['offsetTop', 'offsetLeft', 'offsetWidth', 'offsetHeight']) defineProperty(HTMLElement.prototype, name, attribute(name, () => 0));
export class DOMStringMap {
  constructor(element) {
    if (!isElement(element)) throw illegal();
  }
}
const dashed = (key) => `data-${key.replace(/[A-Z]/g, (c) => `-${c.toLowerCase()}`)}`;
const camel = (name) => name.slice(5).replace(/-([a-z])/g, (_, c) => c.toUpperCase());
const datasetHandler = (e) => ({
  get: (target, key) => (typeof key === 'string' && !/-[a-z]/.test(key) ? getAttr(e, dashed(key)) ?? target[key] : target[key]),
  set(target, key, value) {
    if (typeof key !== 'string') return Reflect.set(target, key, value);
    if (/-[a-z]/.test(key)) throw error('SyntaxError', `"${key}" is no name of data`);
    if (!isValidAttributeName(dashed(key))) throw error('InvalidCharacterError', `"${key}" is no name of data`);
    setAttr(e, dashed(key), `${value}`);
    return true;
  },
  has: (target, key) => (typeof key === 'string' && !/-[a-z]/.test(key) && hasAttr(e, dashed(key))) || key in target,
  deleteProperty(target, key) {
    if (typeof key === 'string' && !/-[a-z]/.test(key)) e.removeAttribute(dashed(key));
    return true;
  },
  ownKeys: (target) => arrayFrom([...(e.$a ?? []).filter((x) => x.ns === null && x.name.startsWith('data-') && !/[A-Z]/.test(x.name)).map((x) => camel(x.name)), ...Reflect.ownKeys(target)]),
  getOwnPropertyDescriptor(target, key) {
    const value = typeof key === 'string' ? getAttr(e, dashed(key)) : null;
    return value === null ? Reflect.getOwnPropertyDescriptor(target, key) : { value, writable: true, enumerable: true, configurable: true };
  },
});

// Kinds of reflection: s text, b whether it is there, u an address, l a whole number, n one that is not negative (with what it is without it).
export const reflect = (cls, table) => {
  for (const [property, spec] of Object.entries(table)) {
    if (Object.hasOwn(cls.prototype, property)) continue; // a module has made it already
    const [kind, name = asciiLower(property), ...more] = spec.split(' ');
    const d = Object.getOwnPropertyDescriptor(REFLECT[kind](property, name, more), property);
    defineProperty(cls.prototype, property, d);
  }
};
const whole = (text) => {
  const m = /^[\t\n\f\r ]*([+-]?\d+)/.exec(text ?? '');
  return m ? Number(m[1]) : null;
};
function tokensIn(e, name, known) {
  const lists = (e.$lists ??= new Map());
  if (!lists.has(name)) lists.set(name, tokenList(e, name, known));
  return lists.get(name);
}
const REFLECT = {
  s: (p, name) => ({ get [p]() { return getAttr(this, name) ?? ''; }, set [p](v) { setAttr(this, name, `${v}`); } }),
  b: (p, name) => ({ get [p]() { return hasAttr(this, name); }, set [p](v) { toggle(this, name, v); } }),
  u: (p, name) => ({
    get [p]() {
      const v = getAttr(this, name);
      return v === null ? '' : parsedURL(v, this.$d.$base())?.[0] ?? v;
    },
    set [p](v) { setAttr(this, name, `${v}`); },
  }),
  l: (p, name, [fallback = '0']) => ({
    get [p]() {
      const n = whole(getAttr(this, name)) ?? Number(fallback);
      return n === (n | 0) ? n : Number(fallback);
    },     set [p](v) { setAttr(this, name, `${Number(v) | 0}`); },
  }),
  // between two bounds, which larger and smaller ones come to ("clamped to the range")
  r: (p, name, [least, most, fallback]) => ({
    get [p]() {
      const n = whole(getAttr(this, name));
      return n === null || n < 0 ? Number(fallback) : Math.min(Math.max(n, Number(least)), Number(most));
    },
    set [p](v) {
      const n = Number(v) >>> 0;
      setAttr(this, name, `${n > 2147483647 ? fallback : n}`);
    },
  }),
  n: (p, name, [fallback = '0', positive = '']) => ({
    get [p]() {
      const n = whole(getAttr(this, name));
      return n === null || n < (positive ? 1 : 0) || n > 2147483647 ? Number(fallback) : n;
    },
    set [p](v) {
      if ((fallback === '-1' && Number(v) < 0) || (positive && Number(v) === 0)) throw error('IndexSizeError', `${p} cannot be ${v}`);
      const n = Number(v) >>> 0;
      setAttr(this, name, `${n > 2147483647 ? fallback : n}`);
    },
  }),
  // one of the words, the first where none is known; missing: what it is without the attribute
  e: (p, name, [words, missing = '', invalid = missing]) => {
    const list = words.split(',');
    return {
      get [p]() {
        const v = getAttr(this, name);
        if (v === null) return missing === '-' ? '' : missing;
        const w = asciiLower(v);
        return list.includes(w) ? w : invalid === '-' ? '' : invalid;
      },
      set [p](v) { setAttr(this, name, `${v}`); },
    };
  },
  t: (p, name, known) => ({ get [p]() { return tokensIn(this, name, known.length ? known : null); }, set [p](v) { setAttr(this, name, `${v}`); } }),
  c: (p, name) => ({ // crossorigin and its like: null without
    get [p]() {
      const v = getAttr(this, name);
      return v === null ? null : asciiLower(v) === 'use-credentials' ? 'use-credentials' : 'anonymous';
    },
    set [p](v) {
      if (v === null || v === undefined) this.removeAttribute(name);
      else setAttr(this, name, `${v}`);
    },
  }),
};
const REFERRER = 'e referrerpolicy no-referrer,no-referrer-when-downgrade,same-origin,origin,strict-origin,origin-when-cross-origin,strict-origin-when-cross-origin,unsafe-url';
const ENCTYPES = 'application/x-www-form-urlencoded,multipart/form-data,text/plain';
const FORM_ENCTYPE = `e formenctype ${ENCTYPES} - application/x-www-form-urlencoded`;
const FORM_METHOD = 'e formmethod get,post,dialog - get';
const PRIORITY = 'e fetchpriority high,low,auto auto auto';
const LOADING = 'e loading lazy,eager eager eager';
reflect(HTMLElement, { title: 's', lang: 's', dir: 'e dir ltr,rtl,auto', accessKey: 's', inputMode: 'e inputmode none,text,tel,url,email,numeric,decimal,search', enterKeyHint: 'e enterkeyhint enter,done,go,next,previous,search,send', autocapitalize: 'e autocapitalize none,sentences,words,characters - sentences', inert: 'b' });
export const DATE_TIME = 's';

// The elements that have an interface of their own: its name, what it reflects, and the tags.
const INTERFACES = [
  ['HTMLUnknownElement', {}, []],
  ['HTMLHtmlElement', { version: 's' }, ['html']],
  ['HTMLHeadElement', {}, ['head']],
  ['HTMLTitleElement', {}, ['title']],
  ['HTMLBaseElement', { target: 's' }, ['base']],
  ['HTMLLinkElement', { href: 'u', crossOrigin: 'c', rel: 's', as: 'e as fetch,audio,document,embed,font,image,manifest,object,report,script,sharedworker,style,track,video,worker,xslt,json', relList: 't rel alternate dns-prefetch icon manifest modulepreload next pingback preconnect prefetch preload search stylesheet apple-touch-icon', media: 's', integrity: 's', hreflang: 's', type: 's', imageSrcset: 's', imageSizes: 's', referrerPolicy: REFERRER, fetchPriority: PRIORITY, blocking: 't blocking render', charset: 's', rev: 's', target: 's', sizes: 't sizes' }, ['link']],
  ['HTMLMetaElement', { name: 's', httpEquiv: 's http-equiv', content: 's', media: 's', scheme: 's' }, ['meta']],
  ['HTMLStyleElement', { media: 's', type: 's', blocking: 't blocking render' }, ['style']],
  ['HTMLBodyElement', { text: 's', link: 's', vLink: 's', aLink: 's', bgColor: 's', background: 's' }, ['body']],
  ['HTMLHeadingElement', { align: 's' }, ['h1', 'h2', 'h3', 'h4', 'h5', 'h6']],
  ['HTMLParagraphElement', { align: 's' }, ['p']],
  ['HTMLHRElement', { align: 's', color: 's', noShade: 'b', size: 's', width: 's' }, ['hr']],
  ['HTMLPreElement', { width: 'l' }, ['pre', 'listing', 'xmp']],
  ['HTMLQuoteElement', { cite: 'u' }, ['blockquote', 'q']],
  ['HTMLOListElement', { reversed: 'b', start: 'l start 1', type: 's', compact: 'b' }, ['ol']],
  ['HTMLUListElement', { compact: 'b', type: 's' }, ['ul']],
  ['HTMLMenuElement', { compact: 'b' }, ['menu']],
  ['HTMLLIElement', { value: 'l', type: 's' }, ['li']],
  ['HTMLDListElement', { compact: 'b' }, ['dl']],
  ['HTMLDivElement', { align: 's' }, ['div']],
  ['HTMLAnchorElement', { target: 's', download: 's', ping: 's', rel: 's', relList: 't rel noreferrer noopener opener', hreflang: 's', type: 's', referrerPolicy: REFERRER, coords: 's', charset: 's', name: 's', rev: 's', shape: 's' }, ['a']],
  ['HTMLDataElement', { value: 's' }, ['data']],
  ['HTMLTimeElement', { dateTime: 's' }, ['time']],
  ['HTMLSpanElement', {}, ['span']],
  ['HTMLBRElement', { clear: 's' }, ['br']],
  ['HTMLModElement', { cite: 'u', dateTime: 's' }, ['ins', 'del']],
  ['HTMLPictureElement', {}, ['picture']],
  ['HTMLSourceElement', { src: 'u', type: 's', srcset: 's', sizes: 's', media: 's', width: 'n', height: 'n' }, ['source']],
  ['HTMLImageElement', { alt: 's', src: 'u', srcset: 's', sizes: 's', crossOrigin: 'c', useMap: 's', isMap: 'b', referrerPolicy: REFERRER, decoding: 'e decoding sync,async,auto auto auto', loading: 'e loading lazy,eager,auto auto auto', fetchPriority: PRIORITY, name: 's', lowsrc: 'u', align: 's', hspace: 'n', vspace: 'n', longDesc: 'u', border: 's' }, ['img']],
  ['HTMLIFrameElement', { src: 'u', srcdoc: 's', name: 's', sandbox: 't sandbox allow-forms allow-scripts allow-same-origin allow-popups', allow: 's', allowFullscreen: 'b', width: 's', height: 's', referrerPolicy: REFERRER, loading: LOADING, align: 's', scrolling: 's', frameBorder: 's', longDesc: 'u' }, ['iframe']],
  ['HTMLEmbedElement', { src: 'u', type: 's', width: 's', height: 's', align: 's', name: 's' }, ['embed']],
  ['HTMLObjectElement', { data: 'u', type: 's', name: 's', useMap: 's', width: 's', height: 's' }, ['object']],
  ['HTMLParamElement', { name: 's', value: 's', type: 's', valueType: 's' }, ['param']],
  ['HTMLTrackElement', { kind: 'e kind subtitles,captions,descriptions,chapters,metadata subtitles metadata', src: 'u', srclang: 's', label: 's', default: 'b' }, ['track']],
  ['HTMLMapElement', { name: 's' }, ['map']],
  ['HTMLAreaElement', { alt: 's', coords: 's', shape: 's', target: 's', download: 's', ping: 's', rel: 's', relList: 't rel noreferrer noopener opener', referrerPolicy: REFERRER, noHref: 'b' }, ['area']],
  ['HTMLTableElement', { align: 's', border: 's', frame: 's', rules: 's', summary: 's', width: 's', bgColor: 's', cellPadding: 's', cellSpacing: 's' }, ['table']],
  ['HTMLTableCaptionElement', { align: 's' }, ['caption']],
  ['HTMLTableColElement', { span: 'r span 1 1000 1', align: 's', ch: 's char', chOff: 's charoff', vAlign: 's', width: 's' }, ['col', 'colgroup']],
  ['HTMLTableSectionElement', { align: 's', ch: 's char', chOff: 's charoff', vAlign: 's' }, ['tbody', 'thead', 'tfoot']],
  ['HTMLTableRowElement', { align: 's', ch: 's char', chOff: 's charoff', vAlign: 's', bgColor: 's' }, ['tr']],
  ['HTMLTableCellElement', { colSpan: 'r colspan 1 1000 1', rowSpan: 'r rowspan 0 65534 1', headers: 's', abbr: 's', scope: 'e scope row,col,rowgroup,colgroup', align: 's', axis: 's', height: 's', width: 's', ch: 's char', chOff: 's charoff', noWrap: 'b', vAlign: 's', bgColor: 's' }, ['td', 'th']],
  ['HTMLFormElement', { acceptCharset: 's accept-charset', autocomplete: 'e autocomplete on,off on on', enctype: 'e enctype application/x-www-form-urlencoded,multipart/form-data,text/plain application/x-www-form-urlencoded application/x-www-form-urlencoded', encoding: 'e enctype application/x-www-form-urlencoded,multipart/form-data,text/plain application/x-www-form-urlencoded application/x-www-form-urlencoded', method: 'e method get,post,dialog get get', name: 's', noValidate: 'b', target: 's', rel: 's', relList: 't rel' }, ['form']],
  ['HTMLLabelElement', { htmlFor: 's for' }, ['label']],
  ['HTMLInputElement', { accept: 's', alt: 's', autocomplete: 's', defaultChecked: 'b checked', dirName: 's', disabled: 'b', formEnctype: FORM_ENCTYPE, formMethod: FORM_METHOD, formNoValidate: 'b', formTarget: 's', height: 'n', max: 's', maxLength: 'n maxlength -1', min: 's', minLength: 'n minlength -1', multiple: 'b', name: 's', pattern: 's', placeholder: 's', readOnly: 'b', required: 'b', size: 'n size 20 positive', src: 'u', step: 's', type: 'e type hidden,text,search,tel,url,email,password,date,month,week,time,datetime-local,number,range,color,checkbox,radio,file,submit,image,reset,button text text', defaultValue: 's value', width: 'n', align: 's', useMap: 's' }, ['input']],
  ['HTMLButtonElement', { disabled: 'b', formEnctype: FORM_ENCTYPE, formMethod: FORM_METHOD, formNoValidate: 'b', formTarget: 's', name: 's', type: 'e type submit,reset,button submit submit', value: 's' }, ['button']],
  ['HTMLSelectElement', { autocomplete: 's', disabled: 'b', multiple: 'b', name: 's', required: 'b', size: 'n' }, ['select']],
  ['HTMLDataListElement', {}, ['datalist']],
  ['HTMLOptGroupElement', { disabled: 'b', label: 's' }, ['optgroup']],
  ['HTMLOptionElement', { disabled: 'b', defaultSelected: 'b selected' }, ['option']],
  ['HTMLTextAreaElement', { autocomplete: 's', cols: 'n cols 20', dirName: 's', disabled: 'b', maxLength: 'n maxlength -1', minLength: 'n minlength -1', name: 's', placeholder: 's', readOnly: 'b', required: 'b', rows: 'n rows 2', wrap: 's' }, ['textarea']],
  ['HTMLOutputElement', { name: 's', htmlFor: 't for' }, ['output']],
  ['HTMLProgressElement', {}, ['progress']],
  ['HTMLMeterElement', {}, ['meter']],
  ['HTMLFieldSetElement', { disabled: 'b', name: 's' }, ['fieldset']],
  ['HTMLLegendElement', { align: 's' }, ['legend']],
  ['HTMLDetailsElement', { open: 'b', name: 's' }, ['details']],
  ['HTMLDialogElement', { open: 'b' }, ['dialog']],
  ['HTMLScriptElement', { src: 'u', type: 's', noModule: 'b', defer: 'b', crossOrigin: 'c', integrity: 's', referrerPolicy: REFERRER, charset: 's', event: 's', htmlFor: 's for', fetchPriority: PRIORITY, blocking: 't blocking render' }, ['script']],
  ['HTMLTemplateElement', {}, ['template']],
  ['HTMLSelectedContentElement', {}, ['selectedcontent']],
  ['HTMLFencedFrameElement', {}, ['fencedframe']],
  ['HTMLGeolocationElement', {}, ['geolocation']],
  ['HTMLSlotElement', { name: 's' }, ['slot']],
  ['HTMLCanvasElement', { width: 'n width 300', height: 'n height 150' }, ['canvas']],
  ['HTMLFontElement', { color: 's', face: 's', size: 's' }, ['font']],
  ['HTMLMarqueeElement', {}, ['marquee']],
  ['HTMLFrameElement', { name: 's', src: 'u' }, ['frame']],
  ['HTMLFrameSetElement', { cols: 's', rows: 's' }, ['frameset']],
  ['HTMLDirectoryElement', { compact: 'b' }, ['dir']],
];
export const classes = { HTMLElement };
// Interfaces get what they reflect when the first of their elements is made, or a script first names them: no page has them all.
const incomplete = new Map();
export function complete(cls) {
  const table = incomplete.get(cls);
  if (!table) return;
  incomplete.delete(cls);
  reflect(cls, table);
  publishPlainly(cls);
}
export const incompleteNames = () => [...incomplete.keys()].map((cls) => cls.name);
export const byTag = new Map();
for (const [name, table, tags] of INTERFACES) {
  const cls = { [name]: class extends HTMLElement {} }[name];
  incomplete.set(cls, table);
  classes[name] = cls;
  for (const t of tags) byTag.set(t, cls);
}
classes.HTMLMediaElement = class HTMLMediaElement extends HTMLElement {};
reflect(classes.HTMLMediaElement, { src: 'u', crossOrigin: 'c', preload: 'e preload none,metadata,auto metadata auto', autoplay: 'b', loop: 'b', controls: 'b', defaultMuted: 'b muted' });
for (const [name, tag] of [['HTMLVideoElement', 'video'], ['HTMLAudioElement', 'audio']]) {
  classes[name] = { [name]: class extends classes.HTMLMediaElement {} }[name];
  byTag.set(tag, classes[name]);
}
reflect(classes.HTMLVideoElement, { width: 'n', height: 'n', poster: 'u', playsInline: 'b' });
for (const t of ['abbr', 'acronym', 'address', 'article', 'aside', 'b', 'basefont', 'bdi', 'bdo', 'big', 'center', 'cite', 'code', 'dd', 'dfn', 'dt', 'em', 'figcaption', 'figure', 'footer', 'header', 'hgroup', 'i', 'kbd', 'main', 'mark', 'nav', 'nobr', 'noembed', 'noframes', 'noscript', 'plaintext', 'rb', 'rp', 'rt', 'rtc', 'ruby', 's', 'samp', 'search', 'section', 'small', 'strike', 'strong', 'sub', 'summary', 'sup', 'tt', 'u', 'var', 'wbr']) byTag.set(t, HTMLElement);

export class SVGElement extends Element {
  get style() {
    return late.styleOf(this);
  }
  get dataset() {
    return (this.$dataset ??= new Proxy(new DOMStringMap(this), datasetHandler(this)));
  }
  get ownerSVGElement() {
    for (let e = this.$p; isElement(e); e = e.$p) if (e.$ns === SVG && e.$name === 'svg') return e;
    return null;
  }
  get viewportElement() {
    return this.ownerSVGElement;
  }
  focus() {
    focusOn(this);
  }
  blur() {}
}
export class SVGGraphicsElement extends SVGElement {
  getBBox() {
    doubtful('boxes of drawings (getBBox)');
    const size = answersOtherwise() ? 10 : 0;
    return assign(new ScriptObject(), { x: 0, y: 0, width: size, height: size });
  }
}
export class SVGGeometryElement extends SVGGraphicsElement {
  getTotalLength() {
    doubtful('lengths of drawings (getTotalLength)');
    return answersOtherwise() ? 10 : 0;
  }
  getPointAtLength() {
    return forScripts({ x: 0, y: 0 });
  }
}
// SVG 2: an address that may be animated.
export const animated = (e, name) => assign(new ScriptObject(), {
  get baseVal() {
    return getAttr(e, name) ?? getAttr(e, `xlink:${name}`) ?? '';
  },
  set baseVal(v) {
    setAttr(e, name, `${v}`);
  },
  get animVal() {
    return this.baseVal;
  },
});
const withAddress = { get href() { return animated(this, 'href'); } };
// The interfaces of SVG by what they are made of and their elements' names; each is made when it is first asked for.
const SVG_INTERFACES = { __proto__: null };
const svgInterface = (names, Base, ...elements_) => {
  for (const name of names.split(' ')) SVG_INTERFACES[`SVG${name === 'svg' ? 'SVG' : name === 'mPath' ? 'MPath' : name[0].toUpperCase() + name.slice(1)}Element`] = { Base, tag: elements_[0] ?? name };
};
svgInterface('rect circle ellipse line polyline polygon path', () => SVGGeometryElement);
svgInterface('a g defs symbol use svg switch image foreignObject marker clipPath mask', () => SVGGraphicsElement);
svgInterface('text tSpan textPath', () => SVGGraphicsElement);
svgInterface('desc title metadata style script view filter pattern stop animate animateMotion animateTransform set mPath', () => SVGElement);
class SVGGradientElement extends SVGElement {}
mix(SVGGradientElement, withAddress);
publishPlainly(SVGGradientElement);
svgInterface('linearGradient radialGradient', () => SVGGradientElement);
for (const n of 'Blend ColorMatrix ComponentTransfer Composite ConvolveMatrix DiffuseLighting DisplacementMap DistantLight DropShadow Flood FuncA FuncB FuncG FuncR GaussianBlur Image Merge MergeNode Morphology Offset PointLight SpecularLighting SpotLight Tile Turbulence'.split(' ')) svgInterface(`FE${n}`, () => SVGElement, `fe${n}`);
const madeSVG = new Map(); // interfaces of elements by tag
const classOfSVG = (name) => {
  const { Base, tag } = SVG_INTERFACES[name];
  let cls = madeSVG.get(tag.toLowerCase());
  if (!cls) {
    cls = { [name]: class extends Base() {} }[name];
    if (['SVGAElement', 'SVGUseElement', 'SVGImageElement', 'SVGScriptElement', 'SVGPatternElement'].includes(name)) mix(cls, withAddress);
    late.svgMembers(tag, cls);
    madeSVG.set(tag.toLowerCase(), cls);
  }
  return cls;
};
lazyEach(Object.keys(SVG_INTERFACES), (name) => publishPlainly(classOfSVG(name)));
const svgNames = new Map(Object.keys(SVG_INTERFACES).map((name) => [SVG_INTERFACES[name].tag.toLowerCase(), name]));
const protoOfSVG = (tag) => {
  const name = svgNames.get(tag.toLowerCase());
  return (name ? classOfSVG(name) : SVGElement).prototype;
};
export class MathMLElement extends Element {
  get style() {
    return late.styleOf(this);
  }
}
// "element interface" (DOM, 4.9; HTML, 3.2.2).
const protoOfTag = new Map();
protoFor.of = (ns, name) => {
  if (ns === HTML) {
    let proto = protoOfTag.get(name);
    if (!proto) {
      const cls = byTag.get(name) ?? (/^[a-z][^A-Z]*-/.test(name) && isCustomName(name) ? HTMLElement : classes.HTMLUnknownElement);
      complete(cls);
      protoOfTag.set(name, (proto = cls.prototype));
    }
    return proto;
  }
  if (ns === SVG) return protoOfSVG(name);
  if (ns === MATHML) return MathMLElement.prototype;
  return Element.prototype;
};
const RESERVED = new Set(['annotation-xml', 'color-profile', 'font-face', 'font-face-src', 'font-face-uri', 'font-face-format', 'font-face-name', 'missing-glyph']);
export const isCustomName = (name) => /^[a-z][^A-Z\0\t\n\f\r />]*$/.test(name) && name.includes('-') && !RESERVED.has(name);
// Those of touch screens are for devices that have one.
export const TOUCH_HANDLERS = ['touchcancel', 'touchend', 'touchmove', 'touchstart'];
export const ELEMENT_HANDLERS = ['abort', 'animationcancel', 'animationend', 'animationiteration', 'animationstart', 'auxclick', 'beforeinput', 'beforematch', 'beforetoggle', 'beforexrselect', 'blur', 'cancel', 'canplay', 'canplaythrough', 'change', 'click', 'close', 'command', 'contentvisibilityautostatechange', 'contextlost', 'contextmenu', 'contextrestored', 'cuechange', 'dblclick', 'drag', 'dragend', 'dragenter', 'dragleave', 'dragover', 'dragstart', 'drop', 'durationchange', 'emptied', 'ended', 'error', 'focus', 'formdata', 'gotpointercapture', 'input', 'invalid', 'keydown', 'keypress', 'keyup', 'load', 'loadeddata', 'loadedmetadata', 'loadstart', 'lostpointercapture', 'mousedown', 'mouseenter', 'mouseleave', 'mousemove', 'mouseout', 'mouseover', 'mouseup', 'mousewheel', 'pause', 'play', 'playing', 'pointercancel', 'pointerdown', 'pointerenter', 'pointerleave', 'pointermove', 'pointerout', 'pointerover', 'pointerrawupdate', 'pointerup', 'progress', 'ratechange', 'reset', 'resize', 'scroll', 'scrollend', 'scrollsnapchange', 'scrollsnapchanging', 'securitypolicyviolation', 'seeked', 'seeking', 'select', 'selectionchange', 'selectstart', 'slotchange', 'stalled', 'submit', 'suspend', 'timeupdate', 'toggle', 'transitioncancel', 'transitionend', 'transitionrun', 'transitionstart', 'volumechange', 'waiting', 'webkitanimationend', 'webkitanimationiteration', 'webkitanimationstart', 'webkittransitionend', 'wheel'];
// What windows do not have.
const CLIPBOARD_HANDLERS = ['copy', 'cut', 'paste'];
const FULLSCREEN_HANDLERS = ['fullscreenchange', 'fullscreenerror', 'webkitfullscreenchange', 'webkitfullscreenerror'];
handlers(HTMLElement.prototype, ...ELEMENT_HANDLERS);
handlers(SVGElement.prototype, ...ELEMENT_HANDLERS);
handlers(HTMLElement.prototype, ...CLIPBOARD_HANDLERS);
handlers(SVGElement.prototype, ...CLIPBOARD_HANDLERS);
handlers(Element.prototype, 'search', 'beforecopy', 'beforecut', 'beforepaste', ...FULLSCREEN_HANDLERS);
handlers(Document.prototype, ...ELEMENT_HANDLERS, ...CLIPBOARD_HANDLERS, 'search', 'beforecopy', 'beforecut', 'beforepaste', 'freeze', 'resume', 'pointerlockerror', 'prerenderingchange', 'webkitfullscreenchange', 'webkitfullscreenerror');
export const WINDOW_HANDLERS = ['afterprint', 'beforeprint', 'beforeunload', 'gamepadconnected', 'gamepaddisconnected', 'hashchange', 'languagechange', 'message', 'messageerror', 'offline', 'online', 'pagehide', 'pageshow', 'popstate', 'rejectionhandled', 'storage', 'unhandledrejection', 'unload'];
// Content attributes that are event handlers (HTML, 8.1.8.1): compiled when they are set.
const HANDLER_NAMES = new Set([...ELEMENT_HANDLERS, ...CLIPBOARD_HANDLERS, 'search', 'beforecopy', 'beforecut', 'beforepaste', ...FULLSCREEN_HANDLERS, ...TOUCH_HANDLERS, ...WINDOW_HANDLERS].map((n) => `on${n}`));
const evaluate = global.eval;
export function handlerAttribute(e, name, value) {
  if (!HANDLER_NAMES.has(name) || (e.$ns !== HTML && e.$ns !== SVG)) return;
  const onWindow = (e.$name === 'body' || e.$name === 'frameset') && (WINDOW_HANDLERS.includes(name.slice(2)) || ['onblur', 'onerror', 'onfocus', 'onload', 'onresize', 'onscroll'].includes(name));
  const target = onWindow ? global : e;
  if (value === null) target[name] = null;
  else {
    const type = name.slice(2);
    const args = type === 'error' && onWindow ? 'event, source, lineno, colno, error' : 'event';
    try {
      const made = host('csp.inline') ? evaluate(`(function on${type}(${args}) { with (this.ownerDocument || {}) { with (this) {\n${value}\n} } })`) : null;
      if (made) defineProperty(made, 'toString', { value: () => `function on${type}(${args}) {\n${value}\n}`, configurable: true, writable: true });
      target[name] = made;
    } catch (error_) {
      report(error_);
    }
  }
}
onAttribute.push((e, name, old, value, ns) => ns === null && name.startsWith('on') && handlerAttribute(e, name, value));
onParsed.push((e) => {
  const list = e.$a;
  if (list) for (let i = 0; i < list.length; i++) if (list[i].name[0] === 'o' && list[i].name[1] === 'n' && list[i].ns === null) handlerAttribute(e, list[i].name, list[i].value);
});
onCloned.push((node, copy) => {
  if (copy.$a) for (const x of copy.$a) if (x.ns === null && x.name.startsWith('on')) handlerAttribute(copy, x.name, x.value);
});
// Who has the focus.
export function focusOn(e) {
  const old = states.focused;
  if (old === e) return;
  if (e && (!isConnected(e) || isDisabled(e) || (e.$ns === HTML && e.tabIndex < 0 && !hasAttr(e, 'tabindex') && !e.isContentEditable))) return;
  states.focused = e;
  const FocusEvent = global.FocusEvent ?? Event;
  if (old) {
    dispatch(old, trusted(new FocusEvent('blur', { composed: true, relatedTarget: e })));
    dispatch(old, trusted(new FocusEvent('focusout', { bubbles: true, composed: true, relatedTarget: e })));
  }
  if (e) {
    dispatch(e, trusted(new FocusEvent('focus', { composed: true, relatedTarget: old })));
    dispatch(e, trusted(new FocusEvent('focusin', { bubbles: true, composed: true, relatedTarget: old })));
  }
}
onRemoved.push((node) => {
  if (states.focused && contains(node, states.focused)) states.focused = null;
});
// Element members of single interfaces.
mix(classes.HTMLBaseElement, {
  get href() {
    const v = getAttr(this, 'href');
    return v === null ? this.$d.$url() : parsedURL(v, this.$d.$url())?.[0] ?? v;
  },
  set href(v) {
    setAttr(this, 'href', `${v}`);
  },
});
mix(classes.HTMLTitleElement, {
  get text() {
    return [...children(this)].filter(isText).map((c) => c.$data).join('');
  },
  set text(v) {
    replaceAllWithText(`${v}`, this);
  },
});
mix(classes.HTMLTimeElement, {});
mix(classes.HTMLTemplateElement, {
  get content() {
    return contentOf(this);
  },
});
onCloned.push((node, copy, deep, document) => {
  if (deep && isHTML(node, 'template')) for (const c of children(contentOf(node))) append(cloneNode(c, contentOf(copy).$d, true), contentOf(copy));
  if (node.$started) copy.$started = true;
});
mix(classes.HTMLScriptElement, {
  get text() {
    return [...children(this)].filter(isText).map((c) => c.$data).join('');
  },
  set text(v) {
    replaceAllWithText(`${v}`, this);
  },
  get async() {
    return (this.$forceAsync ?? true) || hasAttr(this, 'async');
  },
  set async(v) {
    this.$forceAsync = false;
    toggle(this, 'async', v);
  },
});
defineProperty(classes.HTMLScriptElement, 'supports', { value: { supports(type) {
  return ['classic', 'module', 'importmap', 'speculationrules'].includes(`${type}`);
} }.supports, writable: true, enumerable: true, configurable: true });
const hyperlink = {
  get href() {
    const v = getAttr(this, 'href');
    return v === null ? '' : parsedURL(v, this.$d.$base())?.[0] ?? v;
  },
  set href(v) {
    setAttr(this, 'href', `${v}`);
  },
  toString() {
    return this.href;
  },
  get origin() {
    return hasAttr(this, 'href') ? parsedURL(getAttr(this, 'href'), this.$d.$base())?.[1] ?? '' : '';
  },
};
for (const cls of [classes.HTMLAnchorElement, classes.HTMLAreaElement]) {
  mix(cls, hyperlink);
  for (const part of ['protocol', 'username', 'password', 'host', 'hostname', 'port', 'pathname', 'search', 'hash'])
    defineProperty(cls.prototype, part, Object.getOwnPropertyDescriptor({
      get [part]() {
        const u = hasAttr(this, 'href') && parsedURL(getAttr(this, 'href'), this.$d.$base());
        return u ? u[URL_PARTS.indexOf(part)] : part === 'protocol' ? ':' : '';
      },
      set [part](v) {
        if (!hasAttr(this, 'href')) return;
        const u = new URL(this.href);
        u[part] = v;
        setAttr(this, 'href', u.href);
      },
    }, part));
}
mix(classes.HTMLAnchorElement, { get text() { return textOf(this); }, set text(v) { replaceAllWithText(`${v}`, this); } });
mix(classes.HTMLImageElement, {
  get complete() {
    return this.$loading !== true;
  },
  get currentSrc() {
    return this.src;
  },
  get naturalWidth() {
    return this.$broken || !hasAttr(this, 'src') ? 0 : 1;
  },
  get naturalHeight() {
    return this.$broken || !hasAttr(this, 'src') ? 0 : 1;
  },
  get width() {
    return Math.max(0, whole(getAttr(this, 'width')) ?? 0);
  },
  set width(v) {
    setAttr(this, 'width', `${Number(v) >>> 0}`);
  },
  get height() {
    return Math.max(0, whole(getAttr(this, 'height')) ?? 0);
  },
  set height(v) {
    setAttr(this, 'height', `${Number(v) >>> 0}`);
  },
  get x() {
    return 0;
  },
  get y() {
    return 0;
  },
  decode() {
    const wrong = () => error('EncodingError', 'the picture cannot be decoded');
    if (!this.$loading) return this.$broken || !this.currentSrc ? rejected(wrong()) : resolved();
    return new PromiseOf((ok, no) => {
      this.addEventListener('load', () => ok(), { once: true });
      this.addEventListener('error', () => no(wrong()), { once: true });
    });
  },
});
const noRanges = () => assign(new ScriptObject(), { length: 0 });
mix(classes.HTMLMapElement, { get areas() { return (this.$areas ??= elements(() => elementsOf(this).filter((e) => isHTML(e, 'area')))); } });
// Media are not loaded, so their events do not come. In the run with other answers they come at once.
const MEDIA_EVENTS = new Set(['loadedmetadata', 'durationchange', 'loadeddata', 'canplay', 'canplaythrough']);
trees.listens = (target, type) => {
  if (!MEDIA_EVENTS.has(type) || !(target instanceof classes.HTMLMediaElement)) return;
  doubtful('loading of media elements');
  if (answersOtherwise()) queueTask(() => dispatch(target, trusted(new Event(type))));
};
mix(classes.HTMLMediaElement, {
  play() {
    gap('playing media');
    return rejected(error('NotSupportedError', 'nothing is played here'));
  },
  pause() {},
  load() {},
  canPlayType() {
    return '';
  },
  get paused() {
    return true;
  },
  get ended() {
    return false;
  },
  get duration() {
    return NaN;
  },
  get currentTime() {
    return this.$time ?? 0;
  },
  set currentTime(v) {
    this.$time = Number(v);
  },
  get volume() {
    return this.$volume ?? 1;
  },
  set volume(v) {
    this.$volume = Number(v);
  },
  get muted() {
    return this.$muted ?? hasAttr(this, 'muted');
  },
  set muted(v) {
    this.$muted = Boolean(v);
  },
  get readyState() {
    return 0;
  },
  get networkState() {
    return 0;
  },
  get currentSrc() {
    return '';
  },
  get error() {
    return null;
  },
  get playbackRate() {
    return 1;
  },
  set playbackRate(v) {},
  get defaultPlaybackRate() {
    return 1;
  },
  set defaultPlaybackRate(v) {},
  get seeking() {
    return false;
  },
  get buffered() {
    return noRanges();
  },
  get played() {
    return noRanges();
  },
  get seekable() {
    return noRanges();
  },
  get textTracks() {
    return (this.$tracks ??= makeTracks());
  },
  addTextTrack() {
    return null;
  },
});
const makeTracks = makeInterface('TextTrackList', { length: 0, getTrackById: () => null, onaddtrack: null, onchange: null, onremovetrack: null, *[Symbol.iterator]() {} }, EventTarget);
const rowsOf = (table) => {
  const list = [];
  for (const part of childElements(table)) {
    if (isHTML(part, 'tr')) list.push(part);
    else if (['thead', 'tbody', 'tfoot'].includes(part.$name)) list.push(...childElements(part).filter((r) => isHTML(r, 'tr')));
  }
  return [...list.filter((r) => isHTML(r.$p, 'thead')), ...list.filter((r) => !isHTML(r.$p, 'thead') && !isHTML(r.$p, 'tfoot')), ...list.filter((r) => isHTML(r.$p, 'tfoot'))];
};
const insertRow = (parent, list, index, name) => {
  const i = Number(index);
  if (i < -1 || i > list.length) throw error('IndexSizeError', 'there is no such place');
  const e = makeElement(HTML, name, parent.$d);
  const before = i === -1 ? null : list[i] ?? null;
  insert(e, before ? before.$p : parent, before);
  return e;
};
const deleteAt = (list, index) => {
  const i = Number(index) === -1 ? list.length - 1 : Number(index);
  if (Number(index) === -1 && !list.length) return;
  if (!list[i]) throw error('IndexSizeError', 'there is no such row or cell');
  remove(list[i]);
};
const partOf = (table, name) => childElements(table).find((c) => isHTML(c, name)) ?? null;
const afterColumns = (table) => childElements(table).find((c) => !isHTML(c, 'caption') && !isHTML(c, 'colgroup')) ?? null;
// The caption, the head and the foot of a table (4.9.1), each of which takes the place of the one that is there.
function setPart(table, name, interfaceName, value, place) {
  if (value !== null && value !== undefined) {
    if (!isNode(value) || value.$ns !== HTML || byTag.get(value.$name) !== classes[interfaceName]) throw new TypeError(`a table takes a ${name}`);
    if (value.$name !== name) throw error('HierarchyRequestError', `this is no ${name}`);
  }
  partOf(table, name)?.remove();
  if (value) preInsert(value, table, place(table));
}
mix(classes.HTMLTableElement, {
  get rows() {
    return (this.$rows ??= elements(() => rowsOf(this)));
  },
  get tBodies() {
    return (this.$bodies ??= elements(() => childElements(this).filter((c) => isHTML(c, 'tbody'))));
  },
  get caption() {
    return partOf(this, 'caption');
  },
  set caption(value) {
    setPart(this, 'caption', 'HTMLTableCaptionElement', value, (table) => table.$f);
  },
  get tHead() {
    return partOf(this, 'thead');
  },
  set tHead(value) {
    setPart(this, 'thead', 'HTMLTableSectionElement', value, afterColumns);
  },
  get tFoot() {
    return partOf(this, 'tfoot');
  },
  set tFoot(value) {
    setPart(this, 'tfoot', 'HTMLTableSectionElement', value, () => null);
  },
  createTHead() {
    return this.tHead ?? preInsert(makeElement(HTML, 'thead', this.$d), this, afterColumns(this));
  },
  createTFoot() {
    return this.tFoot ?? append(makeElement(HTML, 'tfoot', this.$d), this);
  },
  createTBody() {
    const bodies = childElements(this).filter((c) => isHTML(c, 'tbody'));
    return preInsert(makeElement(HTML, 'tbody', this.$d), this, bodies.length ? bodies.at(-1).$n : null);
  },
  createCaption() {
    return this.caption ?? preInsert(makeElement(HTML, 'caption', this.$d), this, this.$f);
  },
  deleteCaption() {
    this.caption?.remove();
  },
  deleteTHead() {
    this.tHead?.remove();
  },
  deleteTFoot() {
    this.tFoot?.remove();
  },
  insertRow(index = -1) {
    const list = rowsOf(this);
    if (Number(index) < -1 || Number(index) > list.length) throw error('IndexSizeError', 'there is no such place');
    if (!list.length) {
      const body = childElements(this).filter((c) => isHTML(c, 'tbody')).at(-1) ?? this.createTBody();
      return append(makeElement(HTML, 'tr', this.$d), body);
    }
    if (Number(index) === -1 || Number(index) === list.length) return append(makeElement(HTML, 'tr', this.$d), list.at(-1).$p);
    return insertRow(this, list, index, 'tr');
  },
  deleteRow(index) {
    deleteAt(rowsOf(this), index);
  },
});
mix(classes.HTMLTableSectionElement, {
  get rows() {
    return (this.$rows ??= elements(() => childElements(this).filter((r) => isHTML(r, 'tr'))));
  },
  insertRow(index = -1) {
    return insertRow(this, childElements(this).filter((r) => isHTML(r, 'tr')), index, 'tr');
  },
  deleteRow(index) {
    deleteAt(childElements(this).filter((r) => isHTML(r, 'tr')), index);
  },
});
const cellsOf = (row) => childElements(row).filter((c) => isHTML(c, 'td') || isHTML(c, 'th'));
mix(classes.HTMLTableRowElement, {
  get cells() {
    return (this.$cells ??= elements(() => cellsOf(this)));
  },
  get rowIndex() {
    for (let e = this.$p; isElement(e); e = e.$p) if (isHTML(e, 'table')) return rowsOf(e).indexOf(this);
    return -1;
  },
  get sectionRowIndex() {
    return ['table', 'thead', 'tbody', 'tfoot'].some((name) => isHTML(this.$p, name)) ? childElements(this.$p).filter((r) => isHTML(r, 'tr')).indexOf(this) : -1;
  },
  insertCell(index = -1) {
    return insertRow(this, cellsOf(this), index, 'td');
  },
  deleteCell(index) {
    deleteAt(cellsOf(this), index);
  },
});
mix(classes.HTMLTableCellElement, {
  get cellIndex() {
    return isHTML(this.$p, 'tr') ? cellsOf(this.$p).indexOf(this) : -1;
  },
});
// 4.10.13 and 4.10.14: the numbers of progress and meter, kept between their bounds.
const numberAt = (e, key, fallback) => {
  const n = Number.parseFloat(getAttr(e, key));
  return Number.isNaN(n) ? fallback : n;
};
const between = (n, least, most) => Math.max(least, Math.min(n, most));
const measures = (cls, table) => {
  for (const [key, get] of Object.entries(table)) mix(cls, { get [key]() { return get(this); }, set [key](v) { setAttr(this, key, `${Number(v)}`); } });
};
measures(classes.HTMLProgressElement, {
  max: (e) => ((n) => (n > 0 ? n : 1))(numberAt(e, 'max', 1)),
  value: (e) => between(numberAt(e, 'value', 0), 0, e.max),
});
mix(classes.HTMLProgressElement, { get position() { return hasAttr(this, 'value') ? this.value / this.max : -1; } });
measures(classes.HTMLMeterElement, {
  min: (e) => numberAt(e, 'min', 0),
  max: (e) => Math.max(e.min, numberAt(e, 'max', 1)),
  value: (e) => between(numberAt(e, 'value', 0), e.min, e.max),
  low: (e) => between(numberAt(e, 'low', e.min), e.min, e.max),
  high: (e) => between(numberAt(e, 'high', e.max), e.low, e.max),
  optimum: (e) => between(numberAt(e, 'optimum', (e.min + e.max) / 2), e.min, e.max),
});
