// HTML, 3.2.7: innerText, the text of an element as it is rendered.

import { assign, toJSON } from '../shared/primordials.js';
import { commands } from '../shared/commands.js';
import { parsedURL } from '../shared/url.js';
import { current } from './node.js';
import {
  HTML, SVG, children, descendants, getAttr, hasAttr, isConnected, isElement, isHTML, isText, late, rootOf, textOf,
} from './nodes.js';
import { computed, displayOf } from './styles.js';

const REPLACED = new Set(['iframe', 'video', 'audio', 'canvas', 'object', 'textarea', 'input', 'img', 'embed', 'meter', 'progress', 'frameset']);
const SHOWN_SVG = new Set(['svg', 'g', 'a', 'text', 'tspan', 'textPath', 'switch', 'foreignObject']);
const isRendered = (e) => {
  for (let n = e; isElement(n); n = n.$p) if (displayOf(n) === 'none') return false;
  return isConnected(e);
};
// "get the text steps".
function renderedText(e) {
  if (!isRendered(e) || displayOf(e) === 'contents') return textOf(e);
  const items = []; // texts, and numbers of line breaks that are required
  const shut = isHTML(e, 'details') && !hasAttr(e, 'open');
  let first = true;
  for (const c of children(e)) {
    if (shut && !(isHTML(c, 'summary') && first)) continue;
    first = first && !isHTML(c, 'summary');
    collect(c, items);
  }
  let out = '';
  let breaks = 0;
  for (const item of items) {
    if (typeof item === 'number') breaks = Math.max(breaks, item);
    else {
      const text = out === '' || /\s$/.test(out) || breaks ? item.replace(/^ /, '') : item;
      if (text === '') continue;
      if (breaks && out !== '') out = `${out.replace(/ $/, '')}${'\n'.repeat(breaks)}`;
      breaks = 0;
      out += text;
    }
  }
  return out.replace(/ (?=\n|$)/g, '');
}
const TRANSFORMS = {
  uppercase: (t) => t.toUpperCase(),
  lowercase: (t) => t.toLowerCase(),
  capitalize: (t) => t.replace(/(^|[\s\-/("])(\p{L})/gu, (_, before, letter) => before + letter.toUpperCase()),
};
// "rendered text collection steps".
function collect(node, items) {
  if (isText(node)) {
    const e = isElement(node.$p) ? node.$p : node.$p?.$host;
    if (!isElement(e) || computed(e, 'visibility') !== 'visible') return;
    const space = computed(e, 'white-space');
    const text = space.startsWith('pre') || space === 'break-spaces' ? node.$data : node.$data.replace(/[\t\n\r ]+/g, ' ');
    if (text) items.push((TRANSFORMS[computed(e, 'text-transform')] ?? ((t) => t))(text));
    return;
  }
  if (!isElement(node)) return;
  const name = node.$name;
  if ((node.$ns === HTML && REPLACED.has(name)) || (node.$ns === SVG && !SHOWN_SVG.has(name))) return;
  const display = displayOf(node);
  if (display === 'none') return;
  if (isHTML(node, 'slot') && rootOf(node).$shadow && late.assignedTo(node).length) return; // they stand elsewhere in the document
  if (isHTML(node, 'br')) return void items.push('\n');
  const block = /^(block|flex|grid|list-item|table|flow-root|table-caption)$/.test(display);
  const paragraph = isHTML(node, 'p');
  const around = paragraph ? 2 : 1;
  if (block || paragraph) items.push(around);
  const closed = isHTML(node, 'details') && !hasAttr(node, 'open');
  let summary = false;
  for (const c of children(node)) {
    if (closed && (summary || !isHTML(c, 'summary'))) continue;
    summary = true;
    collect(c, items);
  }
  if (display === 'table-cell' && followedBy(node, 'table-cell')) items.push('\t');
  if (display === 'table-row' && followedBy(node, 'table-row')) items.push('\n');
  if (block || paragraph) items.push(around);
}
// What shadow trees show, which innerText leaves out: their text, where their links lead, and whether there is something else to see.
const SEEN = new Set(['img', 'svg', 'canvas', 'video', 'audio', 'iframe', 'object', 'embed', 'input', 'textarea', 'select', 'button', 'meter', 'progress', 'hr']);
commands.shadows = () => {
  if (!late.hasShadows()) return '';
  const items = [];
  const links = [];
  let pictured = false;
  const walk = (root, seen) => {
    for (const n of descendants(root)) {
      if (!isElement(n)) continue;
      if (seen && SEEN.has(n.$name)) pictured = true;
      const to = seen && isHTML(n, 'a') && hasAttr(n, 'href') ? parsedURL(getAttr(n, 'href'), current.document.$base()) : null;
      if (to) links.push(to[0]);
      if (!n.$root || !isRendered(n)) continue;
      for (const c of children(n.$root)) collect(c, items);
      items.push('\n');
      walk(n.$root, true);
    }
  };
  walk(current.document, false);
  const text = items.filter((x) => typeof x === 'string').join(' ').replace(/\s+/g, ' ').trim();
  return text || links.length || pictured ? toJSON({ text, links, pictured }) : '';
};
function followedBy(node, display) {
  for (let n = node.$n; n; n = n.$n) if (isElement(n) && displayOf(n) === display) return true;
  return false;
}

assign(late, { renderedText, isRendered });
