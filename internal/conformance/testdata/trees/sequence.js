// Sequences of DOM calls, chosen by bytes, and what must hold of the trees after each of them, whatever was called.
// runSequence gives what came of the calls, for comparing engines, and the faults found.
globalThis.runSequence = (bytes) => {
  let at = 0;
  const next = (n) => (at < bytes.length ? bytes[at++] : 0) % n;
  const TAGS = ['div', 'p', 'span', 'ul', 'li', 'table', 'tr', 'td', 'template', 'select', 'option', 'a', 'svg', 'slot', 'b'];
  const MARKUP = ['<p>a<b>c</b></p>', 'text', '', '<li id=x>1<li class="a b">2', '<table><tr><td>1</table>', '<div id=y><!--c--><span class=a>s</span></div>',
    '<template><i class=a id=x>in</i></template>', '<svg><g id=x><a class=a></a></g></svg>', '<p>1<div>2</p>3', '<select><option>1<option>2</select>', '&amp;&lt;<br>', '<b><p>x</b>y</p>'];
  const TEXTS = ['', 'tide', 'ebb & flow', ' ', '<x>'];
  const VALUES = ['x', 'y', 'a', 'a b', 'b  a', ''];
  const root = document.createElement('div');
  document.body.replaceChildren(root);
  const range = document.createRange();
  range.selectNodeContents(root);
  const iterator = document.createNodeIterator(root);
  const live = { all: root.getElementsByTagName('*'), cls: root.getElementsByClassName('a'), kids: root.children, nodes: root.childNodes, spans: document.getElementsByTagName('span') };
  const pool = [root];
  const log = [];
  const keep = (node) => {
    if (node && pool.length < 48) pool.push(node);
    return node;
  };
  const any = () => pool[next(pool.length)];
  const element = () => {
    const from = next(pool.length);
    for (let i = 0; i < pool.length; i++) if (pool[(from + i) % pool.length].nodeType === 1) return pool[(from + i) % pool.length];
  };
  const child = (n) => (n.childNodes.length ? n.childNodes[next(n.childNodes.length)] : null);
  const point = () => {
    const n = any();
    return [n, next((n.nodeType === 3 || n.nodeType === 8 ? n.length : n.childNodes.length) + 1)];
  };
  const some = () => (next(3) ? any() : TEXTS[next(TEXTS.length)]);
  // Several nodes at once, of which none holds the target: where that fails, engines differ in what is left of them.
  const several = (target, call, ...nodes) => {
    if (nodes.every((n) => typeof n === 'string' || (n.nodeType !== 11 && !n.contains(target) && !n.contains(target.getRootNode({ composed: true }))))) target[call](...nodes);
  };
  const CALLS = [
    () => keep(document.createElement(TAGS[next(TAGS.length)])),
    () => keep(document.createElementNS('http://www.w3.org/2000/svg', ['g', 'A', 'svg'][next(3)])),
    () => keep(document.createTextNode(TEXTS[next(TEXTS.length)])),
    () => keep(document.createComment(TEXTS[next(TEXTS.length)])),
    () => keep(document.createDocumentFragment()),
    () => any().appendChild(any()),
    () => any().appendChild(any()),
    () => { const n = any(); n.insertBefore(any(), next(3) ? child(n) : any()); },
    () => { const n = any(); n.removeChild(next(3) ? child(n) : any()); },
    () => { const n = any(); n.replaceChild(any(), next(3) ? child(n) : any()); },
    () => any().remove(),
    () => element().setAttribute(['id', 'class', 'title', 'slot', 'name'][next(5)], VALUES[next(VALUES.length)]),
    () => element().removeAttribute(['id', 'class', 'title', 'slot', 'name'][next(5)]),
    () => element().classList.toggle(['a', 'b'][next(2)]),
    () => keep(any().cloneNode(next(2) === 1)),
    () => { element().innerHTML = MARKUP[next(MARKUP.length)]; },
    () => { element().outerHTML = MARKUP[next(MARKUP.length)]; },
    () => element().insertAdjacentHTML(['beforebegin', 'afterbegin', 'beforeend', 'afterend'][next(4)], MARKUP[next(MARKUP.length)]),
    () => element().insertAdjacentElement(['beforebegin', 'afterbegin', 'beforeend', 'afterend'][next(4)], element()),
    () => { any().textContent = TEXTS[next(TEXTS.length)]; },
    () => any().normalize(),
    () => { const n = any(); if (n.nodeType === 3) keep(n.splitText(next(n.length + 1))); },
    () => { const n = any(); if (n.nodeType === 3 || n.nodeType === 8) n.replaceData(next(n.length + 2), next(4), TEXTS[next(TEXTS.length)]); },
    () => several(element(), 'append', some(), some()),
    () => element().prepend(some()),
    () => several(element(), 'replaceChildren', some(), some()),
    () => several(any(), 'before', some(), some()),
    () => any().after(some()),
    () => several(any(), 'replaceWith', some(), some()),
    () => range.setStart(...point()),
    () => range.setEnd(...point()),
    () => keep(range.extractContents()),
    () => keep(range.cloneContents()),
    () => range.deleteContents(),
    () => range.insertNode(any()),
    () => range.surroundContents(element()),
    () => range.selectNode(any()),
    () => iterator.nextNode(),
    () => iterator.previousNode(),
    () => keep(element().attachShadow({ mode: 'open' })),
    () => keep(document.implementation.createHTMLDocument('').adoptNode(any())),
    () => keep(document.adoptNode(any())),
    () => keep(document.importNode(any(), next(2) === 1)),
    () => { const n = element(); if (n.content) keep(n.content); },
    () => { const n = child(any()); if (n) keep(n); },
  ];
  const faults = [];
  const must = (holds, what, i) => {
    if (!holds && faults.length < 5) faults.push(`${what} after call ${i}`);
  };
  const walk = (n, out = []) => {
    for (const c of n.childNodes) {
      out.push(c);
      if (out.length < 2000) walk(c, out);
    }
    return out;
  };
  const same = (a, b) => a.length === b.length && [...a].every((x, k) => x === b[k]);
  const rootOf = (n) => {
    while (n.parentNode) n = n.parentNode;
    return n;
  };
  const length = (n) => (n.nodeType === 3 || n.nodeType === 8 ? n.length : n.childNodes.length);
  const text = (n) => (n.nodeType === 11 ? `{${[...n.childNodes].map(text).join('')}}` : n.nodeType === 1 ? n.outerHTML : `${n.nodeType}:${n.data}`);
  function checkNode(n, i) {
    const kids = n.childNodes;
    must(n.firstChild === (kids[0] ?? null) && n.lastChild === (kids[kids.length - 1] ?? null), 'first and last child', i);
    for (let k = 0; k < kids.length; k++) {
      const c = kids[k];
      must(c.parentNode === n, 'the parent of a child', i);
      must(c.previousSibling === (kids[k - 1] ?? null) && c.nextSibling === (kids[k + 1] ?? null), 'siblings', i);
      must(c.ownerDocument === n.ownerDocument, 'the document of a child', i);
      must(n.contains(c) && !c.contains(n), 'what contains what', i);
      must(c.compareDocumentPosition(n) === 10, 'the position of a parent', i);
      must(c.isConnected === n.isConnected, 'connectedness', i);
      if (k) must(kids[k - 1].compareDocumentPosition(c) === 4, 'the order of siblings', i);
    }
    if (n.children) must(same(n.children, [...kids].filter((c) => c.nodeType === 1)), 'children', i);
  }
  const check = (i) => {
    const all = walk(root).filter((n) => n.nodeType === 1);
    must(same(live.all, all), 'a live list of all', i);
    must(same(live.kids, [...root.childNodes].filter((n) => n.nodeType === 1)) && same(live.nodes, [...root.childNodes]), 'live lists of children', i);
    const classed = all.filter((e) => e.classList.contains('a'));
    must(same(live.cls, classed) && same(root.querySelectorAll('.a'), classed), 'elements by class', i);
    must(root.querySelector('#x') === (all.find((e) => e.id === 'x') ?? null), 'an element by id', i);
    const whole = walk(document).filter((n) => n.nodeType === 1);
    must(document.getElementById('x') === (whole.find((e) => e.id === 'x') ?? null), 'the document\'s element by id', i);
    must(same(live.spans, whole.filter((e) => e.localName === 'span' && e.prefix === null)), 'live spans', i);
    must(range.startOffset <= length(range.startContainer) && range.endOffset <= length(range.endContainer), 'ends of a range', i);
    must(rootOf(range.startContainer) === rootOf(range.endContainer), 'a range in one tree', i);
    must(range.endOffset <= length(range.endContainer) && range.comparePoint(range.endContainer, range.endOffset) === 0, 'a range in order', i);
    must(root.contains(iterator.referenceNode), 'where an iterator stands', i);
    for (const n of pool) {
      if (n.nodeType !== 3 && n.nodeType !== 8) checkNode(n, i);
      must(n.isConnected === (n.getRootNode({ composed: true }) === document), 'what is connected', i);
    }
  };
  for (let i = 0; at < bytes.length && i < 120 && !faults.length; i++) {
    const which = next(CALLS.length);
    try {
      CALLS[which]();
      log.push(which);
    } catch (e) {
      log.push(`${which} ${e.name}`);
    }
    log.push(`${pool.map(text).join('').length}`);
    check(i);
  }
  for (const n of pool) must(n.nodeType === 11 && n.host ? true : n.cloneNode(true).isEqualNode(n), 'a copy like its original', 'all');
  const shown = [log.join(), ...pool.filter((n) => !n.parentNode || n === root).map(text), `${range}`, range.startOffset, range.endOffset, iterator.referenceNode.nodeName].join('\n');
  return { shown, faults };
};
