// Selectors 4, as scripts ask with them.
const root = place(`<section id=s lang=en><h1 class="a b">One</h1><p class=a title="x y">Two <b>three</b></p><p></p><p>Four</p>
<form><input name=q required><input type=checkbox checked><input type=radio name=r><input disabled value=v><select><option>o<option selected>p</select><textarea placeholder=t></textarea><button>go</button></form>
<ul><li>1<li>2<li class=x>3<li>4<li>5</ul><a href=/a>l</a><a>m</a><svg><path/></svg></section>`);
const count = (s) => root.querySelectorAll(s).length;
const texts = (s) => [...root.querySelectorAll(s)].map((e) => e.textContent.trim() || e.localName);
for (const s of ['*', 'p', 'P', '.a', '.a.b', '#s', '[title]', '[title="x y"]', '[title~=y]', '[title^=x]', '[title$=y]', '[title*=" "]', '[lang|=en]', '[TITLE="X Y" i]', '[type=CHECKBOX]', 'h1 + p', 'h1 ~ p', 'section > p', 'section p b', 'p:empty', 'p:not(:empty)', 'p:first-of-type', 'p:last-of-type',
  'li:nth-child(2)', 'li:nth-child(odd)', 'li:nth-child(2n+2)', 'li:nth-child(-n+2)', 'li:nth-last-child(2)', 'li:nth-of-type(3)', 'li:only-child', 'b:only-child', 'li:first-child', 'li:last-child', 'li:nth-child(2 of .x)', 'li:nth-child(n+4)', ':is(h1, p)', ':where(h1, p) b', ':not(h1, p, li)', 'p:has(b)', 'section:has(> h1)', 'h1:has(+ p)', 'ul:not(:has(.none))',
  ':required', ':optional', ':checked', ':disabled', ':enabled', ':read-only', ':read-write', ':placeholder-shown', ':default', ':valid', ':invalid', ':link', ':any-link', ':root', ':scope', ':scope > section', ':lang(en)', 'option:checked', ':indeterminate', ':focus', ':hover', ':target', ':defined', 'input:not([type])', 'path', 'svg path', 'a[href], a:not([href])', '.a:not(.b)', 'p.a[title] > b', 'form > *', '*|p', '[class]', '[class=""]', 'h1::before'])
  probe(`count of ${s}`, () => count(s));
for (const s of ['p >', '::', 'p[', ':nothing', 'p:nth-child(x)', '', ',', 'p,,b', '1p', ':not()', '#', '.', 'a:has()', 'p::nothing']) probe(`wrong: ${s}`, () => count(s));
probe('texts in order', () => texts('b, h1, li:nth-child(2)'));
probe('matches', () => { const p = root.querySelector('p'); return [p.matches('section > p'), p.matches('h1'), p.matches(':scope')]; });
probe('closest', () => { const b = root.querySelector('b'); return [b.closest('p').className, b.closest('b') === b, b.closest('table'), b.closest('section').id]; });
probe('querySelector', () => [root.querySelector('li').textContent, root.querySelector('table'), document.querySelector('#s') === root.firstChild]);
probe('in a fragment', () => { const f = document.createDocumentFragment(); f.append(document.createElement('p')); return [f.querySelectorAll('p').length, f.querySelector(':scope > p')]; });
probe('escapes', () => { const r = place('<p id="1a" class="b:c"></p>'); return [r.querySelector('#\\31 a') !== null, r.querySelector('.b\\:c') !== null, r.querySelector(`#${CSS.escape('1a')}`) !== null]; });
probe('CSS.escape', () => [CSS.escape('1a'), CSS.escape('-'), CSS.escape('a b'), CSS.escape('ä.#')]);
probe('white space', () => count('  p  ,\n h1 '));
probe('scope of an element', () => root.firstChild.querySelectorAll(':scope p').length);
probe('quirks of case', () => { const r = place('<p class=Aa>'); return [r.querySelectorAll('.aa').length, r.querySelectorAll('.Aa').length]; });
probe('text of inputs', () => { const i = root.querySelector('[name=q]'); i.value = 'x'; const out = [i.matches(':valid'), i.matches(':placeholder-shown')]; i.value = ''; return out; });
probe('focus', () => { const i = root.querySelector('[name=q]'); i.focus(); const out = [document.activeElement === i, i.matches(':focus'), root.matches(':focus-within')]; i.blur(); return [...out, document.activeElement === document.body]; });
