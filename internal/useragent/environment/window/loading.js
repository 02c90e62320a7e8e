// How a document comes about: the browser parses, the nodes are made here, scripts run where they stand (HTML, 13.2 and 4.12.1).

import { EvalError, assign, defineProperty, fromJSON, then, toJSON } from '../shared/primordials.js';
import { commands, side } from '../shared/commands.js';
import { base, own, setOwn } from '../shared/settings.js';
import { startTime } from '../shared/time.js';
import { fire, handlers, listFor, mutedScripts, report } from '../shared/event.js';
import { nameImports } from '../shared/dynamicimport.js';
import { queueTask } from '../shared/timers.js';
import { parsedURL } from '../shared/url.js';
import { addObjectURLs, textOfObject } from '../shared/objecturls.js';
import { documents } from '../shared/xhr.js';
import { attachShadow, isPlain, parserAtWork } from './customelements.js';
import { Document, makeDocument, writing } from './document.js';
import { insertFrame } from './frames.js';
import { HTMLElement, SVGElement, TOUCH_HANDLERS } from './htmlelements.js';
import { documentURL, location, startHistory } from './navigation.js';
import { current } from './node.js';
import {
  ELEMENT, FRAGMENT, HTML, TEXT, changes, children, descendants, getAttr, hasAttr, insert, isConnected, isElement,
  isHTML, isNode, isText, late, link, namesGiven, noteId, onAdopted, onAttribute, onChildren, onCloned, onInserted,
  onNamed, protoFor, protos, record, remove, rootOf, textOf,
} from './nodes.js';
import {
  DOMParser, contentOf, itemEnd, nodeFrom, onParsed, serializeChildren, serializeNode, serializeTree, serializeXML,
} from './parsing.js';
import { addedRules } from './styles.js';
import { PageTransitionEvent } from './uievents.js';

addObjectURLs();
base.of = () => (current.document ? current.document.$base() : own.script);
assign(documents, {
  isNode,
  serialize: serializeXML,
  parse(text, type, url = '') {
    const d = new DOMParser().parseFromString(text, type);
    if (url && d) d.$url = () => url;
    return d;
  },
});
const numbers = new Map(); // elements that the browser waits for, by number
let nextNumber = 0;
const numberOf = (e) => {
  e.$number ??= ++nextNumber;
  numbers.set(e.$number, e);
  return e.$number;
};
// Content Security Policy 3, 4.4: texts that a policy lets not become scripts.
function forbidEval() {
  const refuse = () => {
    throw new EvalError('the policy of this page does not allow a text to be run as a script');
  };
  defineProperty(global, 'eval', { value: { eval(x) { return typeof x === 'string' ? refuse() : x; } }.eval, writable: true, configurable: true });
  const Refusing = new Proxy(global.Function, { apply: refuse, construct: refuse });
  defineProperty(global, 'Function', { value: Refusing, writable: true, configurable: true });
  defineProperty(Refusing.prototype, 'constructor', { value: Refusing, writable: true, configurable: true });
}
commands.start = (json) => {
  leaveDocument();
  setOwn(fromJSON(json));
  if (!own.lacks?.includes('touch')) for (const target of [global, HTMLElement.prototype, SVGElement.prototype, Document.prototype]) handlers(target, ...TOUCH_HANDLERS);
  nameImports();
  startTime();
  side.id = own.window;
  kin.windows.set(own.window, side);
  made.length = inDocument.length = 0;
  if (own.noEval) forbidEval();
  startHistory(own.script, own.state);
  const d = makeDocument('html', own.type);
  d.$html = own.html;
  d.$quirks = own.quirks;
  d.$ready = own.complete ? 'complete' : 'loading';
  d.$window = global;
  d.$side = side;
  d.$url = () => documentURL();
  if (own.charset) d.$charset = own.charset;
  current.document = d;
  defineProperty(global, 'hidden', { value: undefined, configurable: true });
  delete global.hidden;
};

// The parser hands over nodes in tree order; the numbers of their parents go on from one part to the next.
const made = [];
const inDocument = []; // of each whether it stands in the document
let parsedChanges = 0; // that are no script's
commands.parse = (json) => {
  const d = current.document;
  const before = changes.n;
  const scripts = [];
  if (!made.length) {
    made.push(d);
    inDocument.push(true);
  }
  parsing = true;
  parserAtWork.n++;
  const list = fromJSON(json);
  // Nothing looks at nodes that come, mostly: then they are given their places and no more.
  let quick = !record.queue && isPlain();
  for (let at = 0; at < list.length; at = itemEnd(list, at)) {
    if (quick) at = placeOrdinary(list, at, d);
    if (at === list.length) break;
    const parent = made[list[at + 1]];
    if (list[at] === FRAGMENT) { // the content of a template, or its shadow root
      const root = parent.$declares && isElement(parent.$p) && !parent.$p.$root ? attachShadow(parent.$p, parent.$declares) : null;
      if (root) {
        parent.$p.$declarative = true;
        remove(parent);
      }
      made.push(root ?? contentOf(parent));
      inDocument.push(false);
      quick &&= isPlain();
      continue;
    }
    const node = nodeFrom(list, at, d, parent);
    made.push(node);
    const connected = inDocument[list[at + 1]];
    if (parent.$registry !== undefined) node.$registry = parent.$registry;
    inDocument.push(connected);
    if (node.$name === 'script' && node.$ns === HTML) {
      node.$parser = true;
      node.$forceAsync = false;
      scripts.push(node);
    }
    if (!quick) {
      insert(node, parent, null);
      continue;
    }
    link(node, parent, null);
    if (!connected || node.$t !== ELEMENT) continue;
    if (COMING.has(node.$name)) inserted(node);
    const given = node.$a;
    if (given) for (let k = 0; k < given.length; k++) if (given[k].name === 'id' || given[k].name === 'name') onNamed.define(node, given[k].name, given[k].value);
    quick = isPlain();
  }
  parsing = false;
  parserAtWork.n--;
  for (const e of framesParsed.splice(0)) insertFrame(e);
  // One that holds nothing is prepared once something is put into it.
  for (const e of scripts) if (!hasAttr(e, 'src') && textOf(e) === '') e.$parser = false;
  parsedChanges += changes.n - before;
};
// What the browser loads for an element that a script made or changed. Its outcome comes back by address.
const LOADS = new Set(['img', 'link', 'video', 'audio', 'source', 'object', 'embed', 'track', 'input']);
// Of what the parser places, the elements that more happens for than that.
const COMING = new Set([...LOADS, 'style', 'iframe', 'frame']);
// All that the parser has to do something for, once they come or before.
const SPECIAL = new Set([...COMING, 'script', 'template', 'image']);
const ordinary = new Map(); // the prototypes of the others, by name; null for these
// Places texts and ordinary elements from an item on, up to the first that is neither, whose place in the list it gives. It does what
// nodeFrom and link do, in one go: most of a document is such nodes, and calls cost as much as the nodes themselves.
function placeOrdinary(list, at, d) {
  const before = at;
  const { text } = protos;
  let count = 0;
  while (at < list.length) {
    const kind = list[at];
    const up = list[at + 1];
    const parent = made[up];
    let node;
    if (kind === TEXT) {
      node = { __proto__: text, $t: TEXT, $p: parent, $f: null, $l: null, $n: null, $v: parent.$l, $d: d, $data: list[at + 2] };
      at += 3;
    } else if (kind === ELEMENT) {
      const name = list[at + 2];
      let proto = ordinary.get(name);
      if (proto === undefined) ordinary.set(name, (proto = SPECIAL.has(name) ? null : protoFor.of(HTML, name)));
      if (proto === null || (parent.$d !== d && parent.$t === FRAGMENT)) break;
      node = {
        __proto__: proto, $t: ELEMENT, $p: parent, $f: null, $l: null, $n: null, $v: parent.$l, $d: d,
        $ns: HTML, $name: name, $prefix: null, $a: null, $class: undefined,
      };
      const n = list[at + 3];
      at += 4;
      if (n) {
        const given = (node.$a = []);
        let more = false;
        for (let i = 0; i < n; i++, at += 2) {
          const key = list[at];
          const value = list[at + 1];
          if (key === 'class') node.$class = value;
          else if (key === 'id' || key === 'name') {
            namesGiven.add(value);
            if (key === 'id') noteId(node, value);
            if (inDocument[up]) onNamed.define(node, key, value);
          } else if (key === 'is') node.$is = value;
          else if (key[0] === 'o' && key[1] === 'n') more = true;
          given[i] = { name: key, value, ns: null, prefix: null, local: key, node: null };
        }
        if (more) for (let i = 0; i < onParsed.length; i++) onParsed[i](node);
      }
    } else break;
    if (parent.$l) parent.$l.$n = node;
    else parent.$f = node;
    parent.$l = node;
    made.push(node);
    inDocument.push(inDocument[up]);
    count++;
  }
  if (at > before) {
    changes.n += count;
    changes.trees += count;
  }
  return at;
}
const markUp = (e) => {
  let out = `<${e.$name}`;
  for (const x of e.$a ?? []) out += ` ${x.name}="${x.value.replaceAll('&', '&amp;').replaceAll('"', '&quot;')}"`;
  return `${out}>`;
};
let parsing = false;
const framesParsed = [];
// Elements that a load may be for: those with one address by it, once they were looked at, and the others.
const waiting = new Set();
const waitingAt = new Map();
const ATTRIBUTES = { __proto__: null, link: 'href', object: 'data' };
const MANY_ADDRESSES = { __proto__: null, input: true, object: true, video: true, audio: true };
const hasChoice = (e) => e.$name === 'img' && (hasAttr(e, 'srcset') || isHTML(e.$p, 'picture'));
function waitingFor(url) {
  for (const e of [...waiting]) {
    const at = getAttr(e, ATTRIBUTES[e.$name] ?? 'src');
    if (at === null || MANY_ADDRESSES[e.$name] || hasChoice(e)) continue;
    waiting.delete(e);
    const address = addressOf(e, at);
    const list = waitingAt.get(address);
    if (list) list.push(e);
    else waitingAt.set(address, [e]);
  }
  return [...waitingAt.get(url) ?? [], ...waiting];
}
const ask = (e) => {
  if (e.$d !== current.document) return;
  const local = getAttr(e, ATTRIBUTES[e.$name] ?? 'src');
  if (local !== null && /^(blob|data):/.test(local)) {
    const text = local.startsWith('blob:') ? textOfObject(local) : '';
    const there = text !== undefined;
    queueTask(() => {
      e.$loading = false;
      e.$broken = !there;
      if (isHTML(e, 'link') && there) {
        e.$sheetText = local.startsWith('blob:') ? text : decodeURIComponent(local.slice(local.indexOf(',') + 1));
        changes.n++;
      }
      fire(e, there ? 'load' : 'error');
    });
    return;
  }
  e.$loading = true;
  if (parsing) return; // the browser knows of it
  const picture = isHTML(e.$p, 'picture') ? e.$p : null;
  waiting.add(e);
  host('element', numberOf(e), picture ? serializeNode(picture) : markUp(e) + (e.$name === 'video' || e.$name === 'audio' || e.$name === 'object' ? `${serializeChildren(e)}</${e.$name}>` : ''));
};
onInserted.push((node, connected) => {
  if (!connected) return;
  if (!node.$f) inserted(node);
  else for (const e of [node, ...descendants(node)]) inserted(e);
});
function inserted(e) {
  if (e.$t !== ELEMENT || e.$ns !== HTML) return;
  if (LOADS.has(e.$name)) waiting.add(e);
  if (e.$name === 'style') styleLoaded(e);
  else if (e.$name === 'iframe' || e.$name === 'frame') {
    if (parsing) framesParsed.push(e);
  }
  else if (parsing) {
    if (LOADS.has(e.$name) && hasAttr(e, e.$name === 'link' ? 'href' : 'src')) ask(e);
  }
  else if (e.$name === 'script') prepare(e);
  else if (e.$name === 'meta' && e.$a) host('meta', markUp(e));
  else if (e.$name !== 'img' && LOADS.has(e.$name) && e.$d === current.document) ask(e);
}
onParsed.push((e) => {
  if (e.$name === 'img' && e.$ns === HTML && !parsing && e.$d === current.document && hasAttr(e, 'src')) ask(e);
});
const askForPictures = (node) => {
  for (const e of [node, ...(node.$f ? descendants(node) : [])]) if (isHTML(e, 'img') && hasAttr(e, 'src') && !e.$loading && e.$loaded === undefined) ask(e);
};
onAdopted.push((node, old, document) => {
  if (document === current.document) askForPictures(node);
});
onCloned.push((node, copy, deep, document) => {
  if (document === current.document && isHTML(copy, 'img') && hasAttr(copy, 'src')) ask(copy);
});
onAttribute.push((e, name, old, value) => {
  if (e.$ns !== HTML || value === null || parsing) return;
  switch (e.$name) {
    case 'img': if (name === 'src' || name === 'srcset') ask(e); break;
    case 'link': if ((name === 'href' || name === 'rel') && isConnected(e)) ask(e); break;
    case 'video': case 'audio': case 'source': case 'embed': case 'track': if (name === 'src' && isConnected(e)) ask(e); break;
    case 'script': if (name === 'src' && isConnected(e)) prepare(e); break;
    case 'base': host('base', current.document.$base()); break;
  }
});
onChildren.push((parent) => {
  if (isHTML(parent, 'style') && !parsing && isConnected(parent)) styleLoaded(parent);
  if (isHTML(parent, 'script') && !parsing && !parent.$parser && isConnected(parent)) prepare(parent);
});

// "update a style block" (4.2.6): its sheet is made anew, and it loads once what it imports has come.
function styleLoaded(e) {
  e.$sheetMade = (e.$sheetMade ?? 0) + 1;
  if (e.$styling) return;
  e.$styling = true;
  queueTask(() => {
    e.$styling = false;
    if (!isConnected(e)) return;
    const type = getAttr(e, 'type');
    if (type && type.toLowerCase() !== 'text/css') return;
    fire(e, 'load');
  });
}

// "prepare the script element" (4.12.1.1) for scripts that no parser made; the parser's are prepared by the browser.
function prepare(e) {
  if (e.$started || e.$parser || !isConnected(e) || e.$d !== current.document) return;
  const text = [...children(e)].filter(isText).map((c) => c.$data).join('');
  if (!hasAttr(e, 'src') && text === '') return;
  const kind = host('script.kind', ...KIND_ATTRIBUTES.map((name) => getAttr(e, name)));
  if (!kind) return;
  e.$started = true;
  if (getAttr(e, 'src') === '') {
    queueTask(() => fire(e, 'error'));
    return;
  }
  if (kind === 'classic' && !hasAttr(e, 'src')) {
    if (!host('csp.script', text, getAttr(e, 'nonce') ?? e.$nonce ?? '')) return;
    runClassic(e, text, current.document.$url());
    return;
  }
  const forced = e.$forceAsync !== false && !hasAttr(e, 'async') ? e.$forceAsync ?? true : false;
  host('script', numberOf(e), toJSON({ kind, src: getAttr(e, 'src'), text, async: hasAttr(e, 'async') || forced, markup: markUp(e) }));
}
const KIND_ATTRIBUTES = ['type', 'language', 'nomodule', 'event', 'for'];
function runClassic(e, text, url) {
  const d = current.document;
  const old = d.$script;
  d.$script = e && !rootOf(e).$shadow ? e : null;
  try {
    host('eval', text, url);
  } catch (error_) {
    report(error_);
  } finally {
    d.$script = old;
  }
}
// The number of the parser's node, or of an element that waits; the text; its address. It gives whether the script threw nothing.
// Runs a script. It gives what the script has written that is not parsed yet, and the number of the script behind which that stands.
function runParsed(parsed, number, text, url) {
  const e = parsed >= 0 ? made[parsed] : numbers.get(number);
  if (parsed >= 0) e.$started = true;
  const outer = writing.parser;
  const rest = { after: parsed, text: '' };
  if (parsed >= 0) writing.parser = (more) => {
    rest.text += more;
    parseWritten(rest);
  };
  runClassic(e, text, url);
  writing.parser = outer;
  return rest;
}
// The parser goes on with what is written, as far as it can: inline scripts run where they end (13.2.6.4.8).
function parseWritten(rest) {
  while (rest.text !== '') {
    const answer = host('document.written', rest.after, rest.text);
    if (!answer) return;
    const { nodes, script } = fromJSON(answer);
    if (nodes) commands.parse(nodes);
    if (!script) return;
    const behind = rest.text.slice(script.taken);
    const inner = script.run ? runParsed(script.number, -1, script.text, script.url) : { after: script.number, text: '' };
    rest.after = inner.after;
    rest.text = inner.text + behind;
  }
}
commands.runScript = (parsed, number, text, url, muted) => {
  if (muted) mutedScripts.add(url);
  const rest = runParsed(parsed, number, text, url);
  return rest.text === '' ? '' : `${rest.after} ${rest.text}`;
};
commands.runModule = (parsed, number, url) => {
  const e = parsed >= 0 ? made[parsed] : numbers.get(number);
  then(host('module', url), () => {}, reportRejection);
  if (e) e.$started = true;
  // It has run as far as it goes by itself: nothing waits for what it waits for.
  host('module.done', parsed, number, Boolean(e) && (hasAttr(e, 'src') || hasAttr(e, 'href')));
};
writing.prepare = prepare;
const reportRejection = (e) => report(e);
commands.elementEvent = (parsed, number, type) => {
  const e = parsed >= 0 ? made[parsed] : numbers.get(number);
  if (e) fire(e, type);
  const resume = e?.$resume;
  if (!resume) return;
  e.$resume = null;
  resume();
};
// The address of what an element loads, without a fragment; bases seldom change.
const addressOf = (e, at) => {
  if (e.$at !== at) {
    e.$at = at;
    e.$address = parsedURL(at, current.document.$base())?.[0].split('#')[0];
  }
  return e.$address;
};
// What came of a load, by address and destination: every element that waits for it hears of it.
commands.loaded = (url, destination, ok, text, cors) => {
  const tags = { image: ['img', 'input', 'link'], style: ['link'], font: ['link'], script: ['link'], '': ['link'], manifest: [], video: ['video'], audio: ['audio'], object: ['object'], embed: ['embed'], track: ['track'] }[destination] ?? [];
  for (const e of waitingFor(url)) {
    if (!tags.includes(e.$name) || e.$loaded === url) continue;
    const at = getAttr(e, ATTRIBUTES[e.$name] ?? 'src');
    if (!hasChoice(e) && (at === null || addressOf(e, at) !== url)) continue;
    if (destination === 'image' && e.$name === 'img' && hasAttr(e, 'crossorigin') !== cors) continue;
    if (destination === 'style' && !/\bstylesheet\b/i.test(getAttr(e, 'rel') ?? '') && !/\bpreload\b/i.test(getAttr(e, 'rel') ?? '')) continue;
    e.$loaded = url;
    e.$loading = false;
    e.$broken = !ok;
    if (destination === 'style' && ok && /\bstylesheet\b/i.test(getAttr(e, 'rel') ?? '')) {
      e.$sheetText = text;
      changes.n++;
      parsedChanges++;
    }
    fire(e, ok ? 'load' : 'error');
  }
};
commands.readyState = (state) => {
  current.document.$ready = state;
  fire(current.document, 'readystatechange');
};
commands.fireAt = (target, type, bubbles) => {
  fire(target === 'window' ? global : current.document, type, { bubbles, cancelable: type === 'beforeunload' });
};
commands.transition = (type, persisted) => {
  fire(global, type, { persisted }, PageTransitionEvent);
  if (type === 'pageshow') own.loaded = true; // "completely finish loading" (7.4.6)
};
// "unload a document" (HTML, 7.4.6.2): what scripts hear of when the tab goes elsewhere or is closed. A document that is kept
// for going back stays as it is (Page Lifecycle, 4: freezing).
commands.leave = (kept, freezes) => {
  commands.transition('pagehide', kept);
  own.left = true;
  commands.fireAt('document', 'visibilitychange', true);
  if (freezes) commands.fireAt('document', 'freeze', false);
  if (kept) return;
  commands.fireAt('window', 'unload', false);
  leaveDocument();
};
commands.comeBack = (freezes) => {
  if (freezes) commands.fireAt('document', 'resume', false);
  own.left = false;
  commands.fireAt('document', 'visibilitychange', true);
  commands.transition('pageshow', true);
};
commands.hearsUnload = () => listFor(global).some((entry) => entry.type === 'unload');
// Who holds the document still finds no window at it.
function leaveDocument() {
  if (current.document) current.document.$window = null;
  kin.windows.delete(side.id);
}
commands.snapshot = (written) => {
  if (changes.n === parsedChanges && !written) return ''; // the document is as it came
  // What stands in a host of shadows and in none of its slots is not shown.
  const shown = (node, parent) => !parent.$root || (node.$t !== ELEMENT && !isText(node)) || late.slotFor(node) !== null;
  const rules = addedRules(current.document);
  const html = late.hasShadows() ? serializeNode(current.document, shown) : serializeTree(current.document);
  return rules ? `${html}<style>${rules}</style>` : html;
};
