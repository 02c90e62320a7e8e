// XPath 1.0.
const sample = () => {
  const d = document.createElement('div');
  d.innerHTML = '<ul id=list lang=en><li class="a b" data-n=3>Low <b>tide</b></li><li data-n=12>High</li><!-- note --><li data-n=7 hx-on:click=x>Ebb</li></ul><p title=t>Words <i>of</i> it</p>';
  document.body.append(d);
  return d;
};
const nodes = (r) => { const out = []; for (let n; (n = r.iterateNext());) out.push(n.nodeName + (n.nodeType === 2 ? `=${n.value}` : '')); return out; };
const ask = (text, from, type = 0) => {
  const d = sample();
  try {
    const r = document.evaluate(text, from ? d.querySelector(from) : d, null, type);
    return r.resultType === 4 || r.resultType === 5 ? nodes(r) : r.resultType === 1 ? r.numberValue : r.resultType === 2 ? r.stringValue : r.resultType === 3 ? r.booleanValue : r.resultType < 8 ? r.snapshotLength : r.singleNodeValue?.nodeName;
  } catch (e) { return `${e.name}`; } finally { d.remove(); }
};
for (const text of ['.//li', 'ul/li[2]', 'ul/li[last()]', 'ul/li[@data-n > 5]/@data-n', '*', 'ul/@*', './/b/ancestor::*[1]', './/li[1]/following-sibling::li', './/li[3]/preceding-sibling::li[1]', 'ul/node()', 'ul/comment()', './/text()',
  'count(.//li)', 'sum(ul/li/@data-n)', 'string(ul/li)', 'concat("a", 1, true())', 'substring("12345", 2, 3)', 'substring("12345", 1.5, 2.6)', 'normalize-space("  a  b ")', 'translate("bar", "abc", "AB")', 'contains(., "Ebb")', 'starts-with("tide", "ti")', 'substring-before("1999/04", "/")', 'substring-after("1999/04", "/")', 'string-length("äö")',
  'name(ul)', 'local-name(ul/li/@data-n)', 'namespace-uri(ul)', 'not(ul)', '1 + 2 * 3', '7 mod 4', '6 div 4', '-(2 - 5)', '- - 3', '1 < 2 and 2 <= 2', '1 = 1 or 1 div 0', 'ul/li/@data-n = 12', 'ul/li/@data-n != 12', '"a" = "a"', 'true() = "x"', 'floor(2.6) + ceiling(2.1) + round(2.5)', 'number("12x")', '1 div 0', 'position()', 'last()',
  'ul | p', 'p | ul', './/*[starts-with(name(), "b")]', './/*[@*[starts-with(name(), "hx-on:")]]', '(.//li)[2]', './/li[position() < 3][2]', 'ul/li[b]', 'id("list")', 'ul/li[lang("en")][1]', './/LI', 'descendant::li[2]', 'self::div', '..', '.', '//nothing', 'ul/li[.="High"]', './/li[contains(@class, "b")]', 'boolean(ul)', 'parent::*/child::*[self::div]/p/@title', './/i/preceding::b', './/b/following::i',
  'li[', 'a b', '1 +', 'foo()', 'count(1)', '$x', 'p:x', '@', '', 'ul/', '"open', 'child::', 'xx::li', 'true(1)', '(1', '!'])
  probe(`xpath ${text}`, () => ask(text));
probe('xpath first', () => ask('.//li', null, 9));
probe('xpath snapshot', () => ask('.//li', null, 7));
probe('xpath number of nodes', () => ask('.//li/@data-n', null, 1));
probe('xpath nodes of a number', () => ask('1', null, 7));
probe('xpath from an element', () => ask('li[2]', '#list'));
probe('xpath of prefixes', () => { const d = new DOMParser().parseFromString('<a xmlns="urn:x"><b/><x:c xmlns:x="urn:y"/></a>', 'application/xml'); const r = (t) => document.evaluate(t, d, (p) => ({ q: 'urn:x', w: 'urn:y' })[p] ?? null, 7).snapshotLength; return [r('//b'), r('//q:b'), r('//w:*'), r('/q:a/w:c')]; });
probe('xpath that changes', () => { const d = sample(); const r = document.evaluate('.//li', d, null, 5); r.iterateNext(); d.append('x'); try { return [r.invalidIteratorState, r.iterateNext()]; } catch (e) { return [r.invalidIteratorState, e.name]; } finally { d.remove(); } });
probe('xpath evaluators', () => { const e = new XPathEvaluator().createExpression('.//*[@*[starts-with(name(), "hx-on:") or starts-with(name(), "data-hx-on:")]]'); const d = sample(); try { return [e instanceof XPathExpression, e.evaluate(d).iterateNext().textContent, XPathResult.FIRST_ORDERED_NODE_TYPE, document.evaluate.length]; } finally { d.remove(); } });
probe('xpath of another type', () => { try { return document.evaluate('1', document, null, 0, null).stringValue; } catch (e) { return e.name; } });
