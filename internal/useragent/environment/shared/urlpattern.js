import { ScriptObject, TypeError, assign, defineProperty, fromJSON, toJSON } from './primordials.js';
import { attribute, lazy, publish } from './webidl.js';

const asScriptHas = (members) => assign(new ScriptObject(), members);

// URL Pattern Standard. The host reads a pattern and makes its components canonical; matching is done here, since what stands in
// ( ) is a regular expression of this language, with its lookaheads and set notation, and not of the host's.
export const PATTERN_PARTS = ['protocol', 'username', 'password', 'hostname', 'port', 'pathname', 'search', 'hash'];
lazy(['URLPattern'], () => {
const SPECIAL_SCHEMES = ['http', 'https', 'ws', 'wss', 'ftp', 'file'];
const patternInput = (input, base) => {
  if (typeof input === 'object' && input !== null) {
    if (base !== undefined) throw new TypeError('a base goes into the object, as baseURL');
    const init = {};
    for (const key of [...PATTERN_PARTS, 'baseURL']) if (input[key] !== undefined) init[key] = `${input[key]}`;
    return toJSON({ init });
  }
  return toJSON({ text: `${input}`, base: base === undefined ? null : `${base}` });
};

// "tokenize", for components that are canonical already: nothing in them is in error.
const TOKENS = /\\(?<escaped>[^])|:(?<name>[\p{ID_Start}$_][\p{ID_Continue}$\u200c\u200d]*)|(?<open>\{)|(?<close>\})|(?<asterisk>\*)|(?<modifier>[?+])|(?<char>[^])/uy;
function tokenize(text) {
  const tokens = [];
  for (let at = 0; at < text.length; ) {
    if (text[at] === '(') {
      let end = at + 1;
      for (let depth = 1; depth > 0; end++) {
        if (text[end] === '\\') end++;
        else if (text[end] === '(') depth++;
        else if (text[end] === ')') depth--;
      }
      tokens.push({ type: 'regexp', value: text.slice(at + 1, end - 1) });
      at = end;
      continue;
    }
    TOKENS.lastIndex = at;
    const { groups } = TOKENS.exec(text);
    const type = Object.keys(groups).find((key) => groups[key] !== undefined);
    tokens.push({ type, value: groups[type] });
    at = TOKENS.lastIndex;
  }
  return tokens;
}

// "parse a pattern string"
function parsePattern(text, { prefixCharacter, segment }) {
  const tokens = tokenize(text);
  const parts = [];
  let [next, pending, key] = [0, '', 0];
  const take = (...types) => (types.includes(tokens[next]?.type) ? tokens[next++] : null);
  const takeText = () => {
    let all = '';
    for (let token; (token = take('char', 'escaped')); ) all += token.value;
    return all;
  };
  const flush = () => {
    if (pending) parts.push({ kind: 'text', value: pending, modifier: '' });
    pending = '';
  };
  const addPart = (prefix, name, matcher, suffix) => {
    const modifier = take('modifier', 'asterisk')?.value ?? '';
    if (!name && !matcher && !modifier) {
      pending += prefix;
      return;
    }
    flush();
    if (!name && !matcher) {
      if (prefix) parts.push({ kind: 'text', value: prefix, modifier });
      return;
    }
    const value = !matcher ? segment : matcher.type === 'asterisk' ? '.*' : matcher.value;
    const kind = value === segment || value === '.*' ? 'wildcard' : 'regexp';
    parts.push({ kind, value, modifier, prefix, suffix, name: name ? name.value : `${key++}` });
  };
  while (next < tokens.length) {
    const first = tokens[next].type === 'char' && ['name', 'regexp', 'asterisk'].includes(tokens[next + 1]?.type) ? take('char') : null;
    const name = take('name');
    const matcher = name ? take('regexp') : take('regexp', 'asterisk');
    if (name || matcher) {
      const prefix = first && first.value === prefixCharacter ? first.value : '';
      if (first && !prefix) pending += first.value;
      addPart(prefix, name, matcher, '');
    } else if (take('open')) {
      const prefix = takeText();
      const name = take('name');
      const matcher = name ? take('regexp') : take('regexp', 'asterisk');
      const suffix = takeText();
      take('close');
      addPart(prefix, name, matcher, suffix);
    } else pending += tokens[next++].value;
  }
  flush();
  return parts;
}

// "generate a regular expression and name list". Text is escaped by number: with flag v the engine takes - and doubled signs for
// those of sets outside of sets, too. For that, what people wrote is tried with flag u where v finds it wrong.
const escapeRegExp = (text) => text.replace(/[\x21-\x2f\x3a-\x40\x5b-\x60\x7b-\x7e]/g, (c) => `\\x${c.charCodeAt(0).toString(16)}`);
function generateRegExp(parts, ignoreCase) {
  let source = '^';
  for (const { kind, value, modifier, prefix, suffix } of parts) {
    const [before, after] = [escapeRegExp(prefix ?? ''), escapeRegExp(suffix ?? '')];
    const repeats = modifier === '*' || modifier === '+';
    if (kind === 'text') source += modifier ? `(?:${escapeRegExp(value)})${modifier}` : escapeRegExp(value);
    else if (!before && !after) source += repeats ? `((?:${value})${modifier})` : `(${value})${modifier}`;
    else if (!repeats) source += `(?:${before}(${value})${after})${modifier}`;
    else source += `(?:${before}((?:${value})(?:${after}${before}(?:${value}))*)${after})${modifier === '*' ? '?' : ''}`;
  }
  const flags = ignoreCase ? 'i' : '';
  try {
    return new RegExp(`${source}$`, `v${flags}`);
  } catch {
    return new RegExp(`${source}$`, `u${flags}`);
  }
}

// "compile a component"
function compileComponent(text, options, ignoreCase) {
  const parts = parsePattern(text, options);
  return { regexp: generateRegExp(parts, ignoreCase), names: parts.filter((x) => x.kind !== 'text').map((x) => x.name), holdsRegExp: parts.some((x) => x.kind === 'regexp') };
}
const DEFAULT = { prefixCharacter: '', segment: '[^]+?' };
const HOSTNAME = { prefixCharacter: '', segment: '[^\\.]+?' };
const PATHNAME = { prefixCharacter: '/', segment: '[^\\/]+?' };

class URLPattern {
  #text;
  #components = {};
  #holdsRegExp = false;
  constructor(input = {}, base = undefined, options = undefined) {
    if (base !== undefined && typeof base === 'object' && base !== null) [base, options] = [undefined, base];
    const read = fromJSON(host('pattern', patternInput(input, base)));
    if (read.error) throw new TypeError(read.error);
    this.#text = read.parts;
    const ignoreCase = Boolean(options?.ignoreCase);
    for (const part of PATTERN_PARTS) {
      const text = read.parts[part];
      if (text === '*') continue;
      const path = part === 'pathname' && (!this.#components.protocol || SPECIAL_SCHEMES.some((scheme) => this.#components.protocol.regexp.test(scheme)));
      try {
        const component = compileComponent(text, part === 'hostname' ? HOSTNAME : path ? PATHNAME : DEFAULT, ignoreCase && ['pathname', 'search', 'hash'].includes(part));
        this.#components[part] = component;
        if (component.holdsRegExp) this.#holdsRegExp = true;
      } catch (error) {
        throw new TypeError(`the ${part} of the pattern holds no regular expression: ${error.message}`);
      }
    }
  }
  // "match a URL pattern"
  #match(input, base) {
    const given = fromJSON(host('patternInput', patternInput(input ?? {}, base)));
    if (!given) return null;
    const result = {};
    for (const part of PATTERN_PARTS) {
      const component = this.#components[part];
      if (!component) {
        result[part] = asScriptHas({ input: given[part], groups: asScriptHas({ 0: given[part] }) });
        continue;
      }
      const found = component.regexp.exec(given[part]);
      if (!found) return null;
      const groups = new ScriptObject();
      component.names.forEach((name, i) => (groups[name] = found[i + 1]));
      result[part] = asScriptHas({ input: given[part], groups });
    }
    return result;
  }
  test(input = {}, base = undefined) {
    return this.#match(input, base) !== null;
  }
  exec(input = {}, base = undefined) {
    const found = this.#match(input, base);
    return found && { inputs: base === undefined ? [typeof input === 'object' ? input : `${input}`] : [`${input}`, `${base}`], ...found };
  }
  get hasRegExpGroups() {
    return this.#holdsRegExp;
  }
  static {
    for (const part of PATTERN_PARTS) defineProperty(URLPattern.prototype, part, attribute(part, (pattern) => pattern.#text[part]));
  }
}
publish(URLPattern);
});
