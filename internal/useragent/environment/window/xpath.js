// XPath 1.0 and the interfaces by which documents offer it (DOM, 8). An expression is read once and becomes a function of its context,
// { node, position, size }.

import { TypeError, assign, defineProperty } from '../shared/primordials.js';
import { MAKE, lazy, onlyHere, publishLoosely } from '../shared/webidl.js';
import { Document } from './document.js';
import { attrNode } from './element.js';
import { extendInterface } from './node.js';
import {
  ATTRIBUTE, COMMENT, DOCTYPE, DOCUMENT, ELEMENT, HTML, INSTRUCTION, allWithId, changes, children, descendants, error, getAttr, isNode, isText, precedes, rootOf, textOf,
} from './nodes.js';

// 3.7: lexical structure. A name after which an operand has ended is an operator.
const TOKENS = /\s*(?:(\d+(?:\.\d*)?|\.\d+)|"([^"]*)"|'([^']*)'|(\.\.|::|\/\/|!=|<=|>=|[()[\].@,/|+\-=<>*$:])|([A-Za-z_\u00b7-\uffff][-.\w\u00b7-\uffff]*))/y;
const MOST_CHARACTERS = 10_000;
const DEEPEST = 200;
function tokensOf(text) {
  if (text.length > MOST_CHARACTERS) throw error('SyntaxError', 'the expression is too long');
  const out = [];
  TOKENS.lastIndex = 0;
  const end = text.trimEnd().length;
  while (TOKENS.lastIndex < end) {
    const m = TOKENS.exec(text);
    if (!m) throw error('SyntaxError', `"${text}" is no expression of XPath`);
    if (m[1] !== undefined) out.push({ kind: 'number', value: Number(m[1]) });
    else if (m[4] !== undefined) out.push({ kind: m[4] });
    else if (m[5] !== undefined) out.push({ kind: 'name', value: m[5] });
    else out.push({ kind: 'text', value: m[2] ?? m[3] });
  }
  return out;
}
const valueOfNode = (node) => (node.$t === ATTRIBUTE ? node.$x.value : node.$t === ELEMENT || node.$t === DOCUMENT ? textOf(node) : node.$data ?? '');
const isSet = (value) => Array.isArray(value);
const trimmed = (text) => text.replace(/^[ \t\r\n]+|[ \t\r\n]+$/g, '');
// 4.2 to 4.4: conversions.
function stringOf(value) {
  if (isSet(value)) return value.length ? valueOfNode((value.mixed ? inOrder(value) : value)[0]) : '';
  if (typeof value === 'number') return Object.is(value, -0) ? '0' : `${value}`;
  return `${value}`;
}
function numberOf(value) {
  if (typeof value === 'number') return value;
  if (typeof value === 'boolean') return value ? 1 : 0;
  const text = trimmed(stringOf(value));
  return /^-?(\d+(\.\d*)?|\.\d+)$/.test(text) ? Number(text) : NaN;
}
const booleanOf = (value) => (isSet(value) ? value.length > 0 : typeof value === 'string' ? value !== '' : Boolean(value));
// 3.4: comparisons.
function compare(a, b, op) {
  if (isSet(a) && isSet(b)) return a.some((x) => b.some((y) => plainly(valueOfNode(x), valueOfNode(y), op)));
  if (isSet(a) || isSet(b)) {
    const [set, other, how] = isSet(a) ? [a, b, op] : [b, a, { '<': '>', '>': '<', '<=': '>=', '>=': '<=' }[op] ?? op];
    if (typeof other === 'boolean') return plainly(set.length > 0, other, how);
    return set.some((x) => plainly(typeof other === 'number' ? numberOf(valueOfNode(x)) : valueOfNode(x), other, how));
  }
  return plainly(a, b, op);
}
function plainly(a, b, op) {
  if (op === '=' || op === '!=') {
    const same = typeof a === 'boolean' || typeof b === 'boolean' ? booleanOf(a) === booleanOf(b) : typeof a === 'number' || typeof b === 'number' ? numberOf(a) === numberOf(b) : a === b;
    return same === (op === '=');
  }
  const [x, y] = [numberOf(a), numberOf(b)];
  return op === '<' ? x < y : op === '>' ? x > y : op === '<=' ? x <= y : x >= y;
}
// Document order, in which attributes follow their element.
function order(a, b) {
  if (a === b) return 0;
  const [x, y] = [a.$t === ATTRIBUTE ? a.$element : a, b.$t === ATTRIBUTE ? b.$element : b];
  if (x !== y) return precedes(x, y) ? -1 : 1;
  if (a.$t !== ATTRIBUTE) return -1;
  return b.$t !== ATTRIBUTE ? 1 : x.$a.indexOf(a.$x) - x.$a.indexOf(b.$x);
}
const inOrder = (nodes) => [...new Set(nodes)].sort(order);
const attributes = (e) => (e.$t === ELEMENT ? (e.$a ?? []).filter((x) => x.ns !== 'http://www.w3.org/2000/xmlns/').map((x) => attrNode(x, e)) : []);
const parentOf = (node) => (node.$t === ATTRIBUTE ? node.$element : node.$p);
function* upwards(node) {
  for (let at = parentOf(node); at; at = parentOf(at)) yield at;
}
function* siblings(node, step) {
  if (node.$t !== ATTRIBUTE) for (let at = node[step]; at; at = at[step]) yield at;
}
// 2.2: axes, in the order in which positions count.
const AXES = {
  __proto__: null,
  self: (n) => [n],
  child: (n) => (n.$t === ATTRIBUTE ? [] : children(n)),
  parent: (n) => [parentOf(n)].filter(Boolean),
  attribute: attributes,
  namespace: () => [],
  ancestor: (n) => upwards(n),
  'ancestor-or-self': (n) => [n, ...upwards(n)],
  descendant: (n) => (n.$t === ATTRIBUTE ? [] : descendants(n)),
  'descendant-or-self': (n) => (n.$t === ATTRIBUTE ? [n] : [n, ...descendants(n)]),
  'following-sibling': (n) => siblings(n, '$n'),
  'preceding-sibling': (n) => siblings(n, '$v'),
  *following(n) {
    for (const at of [n.$t === ATTRIBUTE ? n.$element : n, ...upwards(n)]) {
      if (at === n.$element) yield* descendants(at);
      for (const next of siblings(at, '$n')) {
        yield next;
        yield* descendants(next);
      }
    }
  },
  preceding: (n) => {
    const before = [];
    for (const at of [n.$t === ATTRIBUTE ? n.$element : n, ...upwards(n)])
      for (const next of siblings(at, '$v')) before.push(...[next, ...descendants(next)].reverse());
    return before;
  },
};
// 4: functions, as [least, most arguments, what they give].
const localName = (n) => (n.$t === ELEMENT ? n.$name : n.$t === ATTRIBUTE ? n.$x.local : n.$t === INSTRUCTION ? n.$target ?? '' : '');
const fullName = (n) => (n.$t === ELEMENT ? (n.$prefix ? `${n.$prefix}:${n.$name}` : n.$name) : n.$t === ATTRIBUTE ? n.$x.name : localName(n));
const namespaceOf = (n) => (n.$t === ELEMENT ? n.$ns : n.$t === ATTRIBUTE ? n.$x.ns : null) ?? '';
const setOf = (value) => {
  if (!isSet(value)) throw error('SyntaxError', 'the function takes nodes');
  return value;
};
const ofNode = (give) => [0, 1, (c, set) => {
  const [node] = set === undefined ? [c.node] : setOf(set);
  return node ? give(node) : '';
}];
const characters = (text) => [...text];
const FUNCTIONS = {
  __proto__: null,
  last: [0, 0, (c) => c.size],
  position: [0, 0, (c) => c.position],
  count: [1, 1, (c, set) => setOf(set).length],
  id: [1, 1, (c, what) => {
    const names = (isSet(what) ? what.map(valueOfNode).join(' ') : stringOf(what)).split(/[ \t\r\n]+/).filter(Boolean);
    return inOrder(names.flatMap((id) => [...allWithId(rootOf(c.node.$element ?? c.node), id)].slice(0, 1)));
  }],
  'local-name': ofNode(localName),
  'namespace-uri': ofNode(namespaceOf),
  name: ofNode(fullName),
  string: [0, 1, (c, v = [c.node]) => stringOf(v)],
  concat: [2, Infinity, (c, ...all) => all.map(stringOf).join('')],
  'starts-with': [2, 2, (c, a, b) => stringOf(a).startsWith(stringOf(b))],
  contains: [2, 2, (c, a, b) => stringOf(a).includes(stringOf(b))],
  'substring-before': [2, 2, (c, a, b) => {
    const at = stringOf(a).indexOf(stringOf(b));
    return at < 0 ? '' : stringOf(a).slice(0, at);
  }],
  'substring-after': [2, 2, (c, a, b) => {
    const at = stringOf(a).indexOf(stringOf(b));
    return at < 0 ? '' : stringOf(a).slice(at + stringOf(b).length);
  }],
  substring: [2, 3, (c, text, from, length) => {
    const start = Math.round(numberOf(from));
    const end = length === undefined ? Infinity : start + Math.round(numberOf(length));
    return characters(stringOf(text)).filter((_, i) => i + 1 >= start && i + 1 < end).join('');
  }],
  'string-length': [0, 1, (c, v = [c.node]) => characters(stringOf(v)).length],
  'normalize-space': [0, 1, (c, v = [c.node]) => trimmed(stringOf(v)).replace(/[ \t\r\n]+/g, ' ')],
  translate: [3, 3, (c, text, from, to) => {
    const [a, b] = [characters(stringOf(from)), characters(stringOf(to))];
    return characters(stringOf(text)).map((x) => (a.includes(x) ? b[a.indexOf(x)] ?? '' : x)).join('');
  }],
  boolean: [1, 1, (c, v) => booleanOf(v)],
  not: [1, 1, (c, v) => !booleanOf(v)],
  true: [0, 0, () => true],
  false: [0, 0, () => false],
  lang: [1, 1, (c, v) => {
    const wanted = stringOf(v).toLowerCase();
    for (const e of [c.node, ...upwards(c.node)]) {
      const lang = e.$t === ELEMENT ? getAttr(e, 'xml:lang') : null;
      if (lang !== null) return lang.toLowerCase() === wanted || lang.toLowerCase().startsWith(`${wanted}-`);
    }
    return false;
  }],
  number: [0, 1, (c, v = [c.node]) => numberOf(v)],
  sum: [1, 1, (c, set) => setOf(set).reduce((n, node) => n + numberOf(valueOfNode(node)), 0)],
  floor: [1, 1, (c, v) => Math.floor(numberOf(v))],
  ceiling: [1, 1, (c, v) => Math.ceil(numberOf(v))],
  round: [1, 1, (c, v) => Math.round(numberOf(v))],
};
const NODE_TYPES = { __proto__: null, node: (n) => n.$t !== DOCTYPE, text: isText, comment: (n) => n.$t === COMMENT, 'processing-instruction': (n) => n.$t === INSTRUCTION };
const OPERATORS = [['or'], ['and'], ['=', '!='], ['<', '<=', '>', '>='], ['+', '-'], ['*', 'div', 'mod']];
const ARITHMETIC = { '+': (a, b) => a + b, '-': (a, b) => a - b, '*': (a, b) => a * b, div: (a, b) => a / b, mod: (a, b) => a % b };

// Reads an expression (3); resolve gives the namespace of a prefix.
class Reader {
  #tokens;
  #at = 0;
  #depth = 0;
  #resolve;
  constructor(text, resolve) {
    this.#tokens = tokensOf(text);
    this.#resolve = resolve;
  }
  $peek(ahead = 0) {
    return this.#tokens[this.#at + ahead];
  }
  $is(kind, value = undefined) {
    const t = this.$peek();
    return t !== undefined && t.kind === kind && (value === undefined || t.value === value);
  }
  $take(kind) {
    if (!this.$is(kind)) throw error('SyntaxError', `the expression lacks ${kind}`);
    return this.#tokens[this.#at++];
  }
  $whole() {
    const run = this.$binary(0);
    if (this.#at < this.#tokens.length) throw error('SyntaxError', 'the expression goes on behind its end');
    return run;
  }
  $binary(level) {
    if (level === OPERATORS.length) return this.$unary();
    if (level === 0 && ++this.#depth > DEEPEST) throw error('SyntaxError', 'the expression is nested too deep');
    let left = this.$binary(level + 1);
    for (;;) {
      const t = this.$peek();
      const op = t && (t.kind === 'name' ? t.value : t.kind);
      if (!OPERATORS[level].includes(op)) break;
      this.#at++;
      const [a, b] = [left, this.$binary(level + 1)];
      if (op === 'or') left = (c) => booleanOf(a(c)) || booleanOf(b(c));
      else if (op === 'and') left = (c) => booleanOf(a(c)) && booleanOf(b(c));
      else if (ARITHMETIC[op]) left = (c) => ARITHMETIC[op](numberOf(a(c)), numberOf(b(c)));
      else left = (c) => compare(a(c), b(c), op);
    }
    if (level === 0) this.#depth--;
    return left;
  }
  $unary() {
    let minus = 0;
    for (; this.$is('-'); minus++) this.#at++;
    let run = this.$path();
    while (this.$is('|')) {
      this.#at++;
      const [a, b] = [run, this.$path()];
      run = (c) => assign([...new Set([...setOf(a(c)), ...setOf(b(c))])], { mixed: true }); // ordered where that is asked for
    }
    return minus === 0 ? run : (c) => (minus % 2 ? -numberOf(run(c)) : numberOf(run(c)));
  }
  // 3.3: location paths and filter expressions.
  $path() {
    const t = this.$peek();
    if (!t) throw error('SyntaxError', 'the expression ends too early');
    let run;
    const isCall = t.kind === 'name' && this.$peek(1)?.kind === '(' && !NODE_TYPES[t.value];
    if (t.kind === '(' || t.kind === 'text' || t.kind === 'number' || t.kind === '$' || isCall) {
      run = this.$primary();
      if (this.$is('[')) {
        const [value, filters] = [run, this.$predicates()];
        run = (c) => filters.reduce((set, keep) => keep(set), setOf(value(c)));
      }
      if (!this.$is('/') && !this.$is('//')) return run;
    } else if (t.kind === '/' || t.kind === '//') {
      run = (c) => [rootOf(c.node.$element ?? c.node)];
      const next = this.$peek(1);
      if (t.kind === '/' && !(next && (['.', '..', '@', '*'].includes(next.kind) || next.kind === 'name'))) {
        this.#at++;
        return run;
      }
    } else return this.$steps((c) => [c.node], true);
    return this.$steps(run, false);
  }
  $steps(run, relative) {
    for (let first = relative; ; first = false) {
      if (!first) {
        if (this.$is('//')) {
          const before = run;
          run = (c) => inOrder(setOf(before(c)).flatMap((n) => [...AXES['descendant-or-self'](n)].filter(NODE_TYPES.node)));
        } else if (!this.$is('/')) return run;
        this.#at++;
      }
      const [before, step] = [run, this.$step()];
      run = (c) => {
        const from = setOf(before(c));
        const found = from.flatMap(step);
        return from.length > 1 || step.backwards ? inOrder(found) : found;
      };
    }
  }
  $step() {
    if (this.$is('.') || this.$is('..')) {
      const up = this.#tokens[this.#at++].kind === '..';
      return (n) => (up ? [...AXES.parent(n)] : [n]);
    }
    let axis = 'child';
    if (this.$is('@')) {
      this.#at++;
      axis = 'attribute';
    } else if (this.$peek()?.kind === 'name' && this.$peek(1)?.kind === '::') {
      axis = this.$take('name').value;
      this.#at++;
      if (!AXES[axis]) throw error('SyntaxError', `there is no axis ${axis}`);
    }
    const test = this.$test(axis);
    const filters = this.$predicates();
    const step = (n) => filters.reduce((set, keep) => keep(set), [...AXES[axis](n)].filter(test));
    step.backwards = /^(ancestor|preceding)/.test(axis);
    return step;
  }
  // 2.3: node tests.
  $test(axis) {
    const principal = axis === 'attribute' ? ATTRIBUTE : ELEMENT;
    if (this.$is('*')) {
      this.#at++;
      return (n) => n.$t === principal;
    }
    const { value } = this.$take('name');
    if (this.$is('(')) {
      const fits = NODE_TYPES[value];
      if (!fits) throw error('SyntaxError', `there is no kind of node ${value}`);
      this.#at++;
      const target = this.$is('text') ? this.$take('text').value : null;
      this.$take(')');
      return target === null ? fits : (n) => fits(n) && n.$target === target;
    }
    if (this.$is(':')) {
      this.#at++;
      const ns = this.#resolve(value);
      if (!ns) throw error('NamespaceError', `nothing says which namespace ${value} stands for`);
      if (this.$is('*')) {
        this.#at++;
        return (n) => n.$t === principal && namespaceOf(n) === ns;
      }
      const local = this.$take('name').value;
      return (n) => n.$t === principal && namespaceOf(n) === ns && localName(n) === local;
    }
    const lower = value.toLowerCase();
    // Names without a prefix are those of HTML in documents of that kind.
    return (n) => n.$t === principal && (principal === ELEMENT && n.$ns === HTML && n.$d.$html ? n.$name === lower : namespaceOf(n) === '' && (n.$d?.$html && principal === ATTRIBUTE ? localName(n) === lower : localName(n) === value));
  }
  $predicates() {
    const list = [];
    while (this.$is('[')) {
      this.#at++;
      const run = this.$binary(0);
      this.$take(']');
      list.push((set) => set.filter((node, i) => {
        const value = run({ node, position: i + 1, size: set.length });
        return typeof value === 'number' ? value === i + 1 : booleanOf(value);
      }));
    }
    return list;
  }
  $primary() {
    if (this.$is('$')) { // there are no variables, and none is an error
      this.#at++;
      this.$take('name');
      return () => '';
    }
    if (this.$is('(')) {
      this.#at++;
      const run = this.$binary(0);
      this.$take(')');
      return run;
    }
    const t = this.#tokens[this.#at++];
    if (t.kind !== 'name') return () => t.value;
    this.$take('(');
    const args = [];
    while (!this.$is(')')) {
      if (args.length) this.$take(',');
      args.push(this.$binary(0));
    }
    this.$take(')');
    const [least, most, f] = FUNCTIONS[t.value] ?? [1, 0];
    if (args.length < least || args.length > most) throw error('SyntaxError', `${t.value} is no function, or not one of ${args.length} arguments`);
    return (c) => f(c, ...args.map((arg) => arg(c)));
  }
}
const XML_PREFIX = 'http://www.w3.org/XML/1998/namespace';
function compile(text, resolver) {
  const resolve = (prefix) => {
    if (prefix === 'xml') return XML_PREFIX;
    const given = typeof resolver === 'function' ? resolver(prefix) : resolver?.lookupNamespaceURI?.(prefix);
    return given === null || given === undefined ? null : `${given}`;
  };
  return new Reader(`${text}`, resolve).$whole();
}

const TYPES = ['ANY_TYPE', 'NUMBER_TYPE', 'STRING_TYPE', 'BOOLEAN_TYPE', 'UNORDERED_NODE_ITERATOR_TYPE', 'ORDERED_NODE_ITERATOR_TYPE', 'UNORDERED_NODE_SNAPSHOT_TYPE', 'ORDERED_NODE_SNAPSHOT_TYPE', 'ANY_UNORDERED_NODE_TYPE', 'FIRST_ORDERED_NODE_TYPE'];
let make;
const load = lazy(['XPathResult', 'XPathExpression', 'XPathEvaluator'], () => {
  class XPathResult {
    #value;
    #type;
    #at = 0;
    #version = changes.n;
    constructor(key = undefined, value = undefined, type = 0) {
      onlyHere(key);
      this.#value = value;
      this.#type = type || (isSet(value) ? 4 : typeof value === 'number' ? 1 : typeof value === 'string' ? 2 : 3);
      if (this.#type > 3 && !isSet(value)) throw new TypeError('the result is no list of nodes');
      if (this.#type === 1) this.#value = numberOf(value);
      else if (this.#type === 2) this.#value = stringOf(value);
      else if (this.#type === 3) this.#value = booleanOf(value);
      else if (this.#type === 5 || this.#type === 7 || this.#type === 9) this.#value = inOrder(value);
    }
    $of(...types) {
      if (!types.includes(this.#type)) throw new TypeError('the result is of another type');
      return this.#value;
    }
    get resultType() {
      return this.#type;
    }
    get numberValue() {
      return this.$of(1);
    }
    get stringValue() {
      return this.$of(2);
    }
    get booleanValue() {
      return this.$of(3);
    }
    get singleNodeValue() {
      return this.$of(8, 9)[0] ?? null;
    }
    get invalidIteratorState() {
      return (this.#type === 4 || this.#type === 5) && this.#version !== changes.n;
    }
    get snapshotLength() {
      return this.$of(6, 7).length;
    }
    iterateNext() {
      const nodes = this.$of(4, 5);
      if (this.invalidIteratorState) throw error('InvalidStateError', 'the document has changed since');
      return nodes[this.#at++] ?? null;
    }
    snapshotItem(index) {
      return this.$of(6, 7)[index >>> 0] ?? null;
    }
  }
  for (const [i, name] of TYPES.entries()) for (const o of [XPathResult, XPathResult.prototype]) defineProperty(o, name, { value: i, enumerable: true });
  class XPathExpression {
    #run;
    constructor(key = undefined, run = undefined) {
      onlyHere(key);
      this.#run = run;
    }
    evaluate(node, type = 0, result = null) {
      return evaluated(this.#run, node, type);
    }
  }
  class XPathEvaluator {
    createExpression(expression, resolver = null) {
      return new XPathExpression(MAKE, compile(expression, resolver));
    }
    createNSResolver(node) {
      return node;
    }
    evaluate(expression, node, resolver = null, type = 0, result = null) {
      return evaluated(compile(expression, resolver), node, type);
    }
  }
  const evaluated = (run, node, type) => {
    if (!isNode(node)) throw new TypeError('an expression is evaluated at a node');
    if (![ELEMENT, ATTRIBUTE, COMMENT, DOCUMENT, INSTRUCTION].includes(node.$t) && !isText(node)) throw error('NotSupportedError', 'no expression is evaluated at such a node');
    return new XPathResult(MAKE, run({ node, position: 1, size: 1 }), Number(type) & 0xffff);
  };
  publishLoosely(XPathResult, XPathExpression, XPathEvaluator);
  make = new XPathEvaluator();
});
const evaluator = () => {
  load();
  return make;
};
extendInterface(Document, {
  createExpression(expression, resolver = null) {
    return evaluator().createExpression(expression, resolver);
  },
  createNSResolver(node) {
    return node;
  },
  evaluate(expression, node, resolver = null, type = 0, result = null) {
    return evaluator().evaluate(expression, node, resolver, type, result);
  },
});
