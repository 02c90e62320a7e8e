// DOM, 5 and 6: ranges, selections and walks over the tree; Mutation observers.
const text = () => place('<p>one <b>two</b> three</p>').firstChild;
const places = (r) => [r.startContainer.nodeName, r.startOffset, r.endContainer.nodeName, r.endOffset, r.collapsed];
probe('a new range', () => {
  const r = document.createRange();
  return [...places(r), r.commonAncestorContainer === document];
});
probe('a range over contents', () => {
  const p = text();
  const r = document.createRange();
  r.selectNodeContents(p);
  return [...places(r), String(r), r.commonAncestorContainer === p];
});
probe('a range over a node', () => {
  const p = text();
  const r = document.createRange();
  r.selectNode(p.children[0]);
  return [...places(r), String(r)];
});
probe('a range within texts', () => {
  const p = text();
  const r = document.createRange();
  r.setStart(p.firstChild, 2);
  r.setEnd(p.lastChild, 3);
  return [...places(r), String(r)];
});
probe('an end before the start', () => {
  const p = text();
  const r = document.createRange();
  r.setStart(p.lastChild, 2);
  r.setEnd(p.firstChild, 1);
  return places(r);
});
probe('a place that there is not', () => document.createRange().setStart(text().firstChild, 99));
probe('contents taken out', () => {
  const p = text();
  const r = document.createRange();
  r.setStart(p.firstChild, 2);
  r.setEnd(p.querySelector('b').firstChild, 1);
  const out = document.createElement('div');
  out.append(r.extractContents());
  return [out.innerHTML, p.innerHTML, ...places(r)];
});
probe('contents copied', () => {
  const p = text();
  const r = document.createRange();
  r.setStart(p.querySelector('b').firstChild, 1);
  r.setEnd(p.lastChild, 3);
  const out = document.createElement('div');
  out.append(r.cloneContents());
  return [out.innerHTML, p.innerHTML];
});
probe('contents deleted', () => {
  const p = text();
  const r = document.createRange();
  r.setStart(p.firstChild, 1);
  r.setEnd(p.lastChild, 2);
  r.deleteContents();
  return [p.innerHTML, ...places(r)];
});
probe('something put in', () => {
  const p = text();
  const r = document.createRange();
  r.setStart(p.firstChild, 2);
  r.insertNode(document.createElement('i'));
  return [p.innerHTML, ...places(r)];
});
probe('surrounded', () => {
  const p = text();
  const r = document.createRange();
  r.selectNode(p.querySelector('b'));
  r.surroundContents(document.createElement('u'));
  return p.innerHTML;
});
probe('surrounded in part', () => {
  const p = text();
  const r = document.createRange();
  r.setStart(p.firstChild, 1);
  r.setEnd(p.querySelector('b').firstChild, 1);
  r.surroundContents(document.createElement('u'));
});
probe('ranges compared', () => {
  const p = text();
  const a = document.createRange();
  const b = document.createRange();
  a.selectNodeContents(p);
  b.selectNode(p.querySelector('b'));
  return [a.compareBoundaryPoints(Range.START_TO_START, b), a.compareBoundaryPoints(Range.END_TO_END, b), b.isPointInRange(p.firstChild, 1), a.isPointInRange(p.firstChild, 1), a.comparePoint(p, 9), a.intersectsNode(p.lastChild)];
});
probe('a range follows its tree', () => {
  const p = text();
  const r = document.createRange();
  r.setStart(p.firstChild, 2);
  r.setEnd(p, 3);
  p.firstChild.data = 'o';
  const one = places(r);
  p.lastChild.remove();
  return [one, places(r)];
});
probe('a range follows a text that is split', () => {
  const p = text();
  const r = document.createRange();
  r.setStart(p.lastChild, 3);
  r.setEnd(p.lastChild, 5);
  p.lastChild.splitText(2);
  return places(r);
});
probe('markup at a place', () => {
  const r = document.createRange();
  r.selectNode(text());
  return r.createContextualFragment('<i>a</i>b').childNodes.length;
});
probe('a range that stands still', () => {
  const p = text();
  const r = new StaticRange({ startContainer: p, startOffset: 0, endContainer: p, endOffset: 9 });
  return [r.endOffset, r.collapsed, r instanceof AbstractRange];
});
probe('the selection', () => {
  const p = text();
  const s = getSelection();
  s.removeAllRanges();
  const before = [s.rangeCount, s.type, s.isCollapsed];
  s.setBaseAndExtent(p.lastChild, 3, p.firstChild, 1);
  return [...before, s.rangeCount, s.type, String(s), s.anchorNode === p.lastChild, s.focusOffset, s.getRangeAt(0).startContainer === p.firstChild, s.direction];
});
probe('the selection moved', () => {
  const p = text();
  const s = getSelection();
  s.selectAllChildren(p);
  const all = String(s);
  s.collapseToEnd();
  return [all, s.isCollapsed, s.containsNode(p.firstChild), s.type];
});
probe('no range of the selection', () => {
  const s = getSelection();
  s.removeAllRanges();
  s.getRangeAt(0);
});
probe('the selection is told of', async () => {
  const p = text();
  let n = 0;
  const heard = () => n++;
  document.addEventListener('selectionchange', heard);
  getSelection().selectAllChildren(p);
  getSelection().removeAllRanges();
  await soon(60);
  document.removeEventListener('selectionchange', heard);
  return n > 0;
});
probe('a walk', () => {
  const p = text();
  const w = document.createTreeWalker(p, NodeFilter.SHOW_TEXT);
  const out = [];
  while (w.nextNode()) out.push(w.currentNode.data);
  return [...out, w.previousNode().data, w.parentNode(), w.root === p];
});
probe('a walk with a filter', () => {
  const p = place('<ul><li>1<li class=x>2<b>3</b><li>4</ul>').firstChild;
  const w = document.createTreeWalker(p, NodeFilter.SHOW_ELEMENT, (n) => (n.className === 'x' ? NodeFilter.FILTER_REJECT : n.localName === 'b' ? NodeFilter.FILTER_SKIP : NodeFilter.FILTER_ACCEPT));
  const out = [];
  while (w.nextNode()) out.push(w.currentNode.textContent);
  return [...out, w.previousSibling()?.textContent, w.firstChild()];
});
probe('an iterator', () => {
  const p = text();
  const it = document.createNodeIterator(p);
  const out = [];
  for (let n = it.nextNode(); n; n = it.nextNode()) out.push(n.nodeName);
  return [...out, it.previousNode().nodeName, it.pointerBeforeReferenceNode, it.referenceNode.nodeName];
});
probe('an iterator over what goes away', () => {
  const p = place('<i></i><b></b><u></u>');
  const it = document.createNodeIterator(p, NodeFilter.SHOW_ELEMENT);
  it.nextNode();
  it.nextNode();
  p.firstChild.remove();
  return [it.referenceNode.localName, it.nextNode().localName];
});
const observed = async (act, options) => {
  const p = place('<p a=1>x<b>y</b></p>').firstChild;
  const out = [];
  const o = new MutationObserver((list) => {
    for (const r of list) out.push([r.type, r.target.nodeName, r.attributeName, r.oldValue, r.addedNodes.length, r.removedNodes.length, r.previousSibling && r.previousSibling.nodeName]);
  });
  o.observe(p, options);
  act(p, o);
  await soon();
  return out;
};
probe('children observed', () => observed((p) => {
  p.append('z');
  p.firstChild.remove();
  p.querySelector('b').append('deep');
}, { childList: true }));
probe('everything below observed', () => observed((p) => p.querySelector('b').append('deep'), { childList: true, subtree: true }));
probe('attributes observed', () => observed((p) => {
  p.setAttribute('a', 2);
  p.setAttribute('c', 3);
  p.removeAttribute('a');
}, { attributes: true, attributeOldValue: true }));
probe('some attributes observed', () => observed((p) => {
  p.setAttribute('a', 2);
  p.setAttribute('c', 3);
}, { attributeFilter: ['c'] }));
probe('texts observed', () => observed((p) => {
  p.firstChild.data = 'new';
  p.firstChild.appendData('er');
}, { characterData: true, subtree: true, characterDataOldValue: true }));
probe('what is replaced, observed', () => observed((p) => {
  p.innerHTML = '<i>1</i>2';
  p.replaceChildren();
}, { childList: true }));
probe('records that are taken', () => observed((p, o) => {
  p.append('z');
  o.takeRecords();
  p.append('w');
  o.disconnect();
}, { childList: true }));
probe('nothing to observe', () => new MutationObserver(() => {}).observe(document, {}));
probe('observed in the order of microtasks', async () => {
  const out = [];
  const p = place('<p></p>').firstChild;
  new MutationObserver((l) => out.push(`observed ${l.length}`)).observe(p, { childList: true });
  Promise.resolve().then(() => out.push('before'));
  p.append('a');
  Promise.resolve().then(() => out.push('after'));
  p.append('b');
  await soon();
  return out;
});
probe('sizes observed', async () => {
  const p = place('<p>x</p>').firstChild;
  let n = 0;
  const o = new ResizeObserver((list) => (n += list.length));
  o.observe(p);
  await soon(80);
  o.disconnect();
  return n;
});
probe('what comes into view', async () => {
  const p = place('<p style="position: fixed; top: 0">x</p>').firstChild;
  const out = [];
  const o = new IntersectionObserver((list) => list.forEach((e) => out.push(e.target === p, e.isIntersecting)));
  o.observe(p);
  await soon(120);
  o.disconnect();
  return [...out, o.thresholds.map(Number), o.rootMargin, o.root];
});
probe('a range in texts that are joined', () => {
  const div = document.createElement('div');
  const [a, b, c] = ['ebb & flow', 'tide', 'low'].map((text) => div.appendChild(document.createTextNode(text)));
  const inside = new Range();
  inside.setStart(b, 3);
  inside.setEnd(c, 2);
  const before = new Range();
  before.setStart(div, 1);
  before.setEnd(div, 2);
  const end = new Range();
  end.setStart(a, 10);
  end.setEnd(div, 3);
  div.normalize();
  return [inside, before, end].map((r) => [r.startContainer === a, r.startOffset, r.endContainer === a, r.endOffset, `${r}`]);
});
