// HTML, 8.4: documents that scripts open and write into.

import { fromJSON } from '../shared/primordials.js';
import { fire, eraseListeners } from '../shared/event.js';
import { queueTask } from '../shared/timers.js';
import { parserAtWork } from './customelements.js';
import { writing } from './document.js';
import { rewriteURL } from './navigation.js';
import { current } from './node.js';
import {
  DOCUMENT, ELEMENT, FRAGMENT, TEXT, children, descendants, error, getAttr, hasAttr, insert, isConnected, isHTML,
  remove, replaceData,
} from './nodes.js';
import { contentOf, itemEnd, nodeFrom } from './parsing.js';

// "document open steps" (8.4.1).
writing.open = (document) => {
  if (!document.$html) throw error('InvalidStateError', 'only HTML documents are written to');
  if (document.$noMarkup > 0) throw error('InvalidStateError', 'a custom element is being made');
  if (document === current.document && (writing.parser || document.$leaving)) return;
  const entry = kin.running?.document?.() ?? current.document;
  eraseListeners(document);
  for (const n of descendants(document)) eraseListeners(n);
  if (document.$window) eraseListeners(document.$window);
  for (const c of [...children(document)]) remove(c, true);
  if (document.$window && entry && entry !== document) rewriteURL(entry.$url().split('#')[0]);
  document.$quirks = false;
  if (document.$window) document.$ready = 'loading';
  document.$input = { text: '', ahead: '', top: { node: document, kids: [] }, open: null, blocked: false, closed: false, inner: 0 };
  if (document.$window) host('document.open');
};
// "document write steps" (8.4.3).
writing.write = (document, text) => {
  if (!document.$html) throw error('InvalidStateError', 'only HTML documents are written to');
  if (document.$noMarkup > 0) throw error('InvalidStateError', 'a custom element is being made');
  if (document === current.document && writing.parser) return void writing.parser(text);
  if (!document.$input || document.$input.closed) writing.open(document);
  const s = document.$input;
  if (!s) return;
  if (!s.inner) {
    s.ahead += text;
    feed(document, s, false);
    return;
  }
  // What a script writes comes before what stands behind it.
  const rest = s.ahead;
  s.ahead = text;
  feed(document, s, false);
  s.ahead += rest;
};
// "document close" (8.4.2).
writing.close = (document) => {
  if (!document.$html) throw error('InvalidStateError', 'only HTML documents are written to');
  if (document.$noMarkup > 0) throw error('InvalidStateError', 'a custom element is being made');
  const s = document.$input;
  if (!s || s.closed) return;
  s.closed = true;
  if (s.inner) return;
  feed(document, s, true);
};
function ended(document) {
  if (!document.$window) return;
  document.$ready = 'interactive';
  fire(document, 'readystatechange');
  queueTask(() => {
    if (!document.$window || !document.$input?.closed) return;
    fire(document, 'DOMContentLoaded', { bubbles: true });
    document.$ready = 'complete';
    fire(document, 'readystatechange');
    fire(document.$window, 'load');
    host('document.close');
  });
}
// Gives the parser what has been written, up to the end of each script, which runs there; a tag that is not complete waits.
function feed(document, s, last) {
  while (!s.blocked) {
    const end = /<\/script\s*>/i.exec(s.ahead);
    let n = end ? end.index + end[0].length : s.ahead.length;
    if (!end && !last) {
      const open = /<[^>]*$/.exec(s.ahead);
      if (open) n = open.index;
    }
    if (n === 0 && !last) return;
    s.text += s.ahead.slice(0, n);
    s.ahead = s.ahead.slice(n);
    grow(document, s);
    const script = end && s.open;
    if (script) {
      s.open = null;
      run(document, s, script);
    }
    if (s.ahead === '') break;
  }
  if (last && !s.blocked && s.ahead === '') ended(document);
}
function run(document, s, e) {
  if (!writing.prepare) return;
  const waits = hasAttr(e, 'src') && !hasAttr(e, 'async') && !hasAttr(e, 'defer') && getAttr(e, 'type') !== 'module' && isConnected(e);
  e.$parser = false;
  e.$forceAsync = false;
  if (waits) {
    s.blocked = true;
    e.$resume = () => {
      s.blocked = false;
      feed(document, s, s.closed);
    };
  }
  s.inner++;
  writing.prepare(e);
  s.inner--;
  if (!e.$started && waits) {
    s.blocked = false;
    e.$resume = null;
  }
}
const sameItem = (a, b) => a[0] === b[0] && a[0] !== TEXT && JSON.stringify(a.slice(2)) === JSON.stringify(b.slice(2));
// Brings the tree up to what the whole text comes to: what is there stays, with what scripts have done to it.
function grow(document, s) {
  const { list: flat, quirks } = fromJSON(host('html.document', s.text));
  const list = [];
  for (let at = 0, end; at < flat.length; at = end) list.push(flat.slice(at, (end = itemEnd(flat, at))));
  document.$quirks = quirks;
  const kids = new Map();
  list.forEach((item, i) => {
    if (!kids.has(item[1])) kids.set(item[1], []);
    kids.get(item[1]).push(i + 1);
  });
  const walk = (index, place) => {
    (kids.get(index) ?? []).forEach((k, i) => {
      const item = list[k - 1];
      let m = place.kids[i];
      if (m && m.item[0] === TEXT && item[0] === TEXT && item[2].startsWith(m.item[2])) {
        if (item[2] !== m.item[2]) replaceData(m.node, m.node.$data.length, 0, item[2].slice(m.item[2].length));
        m.item = item;
      } else if (!m || !sameItem(m.item, item)) {
        for (const gone of place.kids.splice(i)) if (gone.node.$p) remove(gone.node);
        const node = item[0] === FRAGMENT ? contentOf(place.node) : nodeFrom(item, 0, document, place.node);
        if (isHTML(node, 'script')) {
          node.$parser = true;
          s.open = node;
        }
        m = { item, node, kids: [] };
        place.kids[i] = m;
        if (item[0] !== FRAGMENT && (place.node.$t === DOCUMENT || place.node.$t === ELEMENT || place.node.$t === FRAGMENT)) insert(node, place.node, null);
      }
      walk(k, m);
    });
  };
  parserAtWork.n++;
  try {
    walk(0, s.top);
  } finally {
    parserAtWork.n--;
  }
}
