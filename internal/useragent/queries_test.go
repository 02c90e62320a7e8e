package useragent

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"tachyform/internal/site"
)

// Queries below a root find what a walk through its tree finds, wherever the root stands and however often the tree has changed since.
func TestQueriesAgainstWalks(t *testing.T) {
	b := New(t.Context(), []site.Host{formHost{`<main><p class="a b"><i>x</i>y</p><ul><li class=b>1<li class="c a">2</ul><svg><rect class=a /></svg></main><p class=c>z</p><template><p class=a><b>in</b></p></template>
<script>
const wrong = [];
let seed = 7;
const random = (n) => (seed = (seed * 1103515245 + 12345) % 2147483648) % n;
function walk(root, fits, out = []) {
  for (const c of root.children) {
    if (fits(c)) out.push(c);
    walk(c, fits, out);
  }
  return out;
}
const kinds = {'*': () => true, p: (e) => e.localName === 'p', li: (e) => e.localName === 'li', rect: (e) => e.localName === 'rect',
  '.a': (e) => e.classList.contains('a'), 'p.a': (e) => e.localName === 'p' && e.classList.contains('a'), '[class~=b]': (e) => e.classList.contains('b')};
const apart = document.createElement('div');
apart.innerHTML = '<p class=a><b>apart</b></p>';
const other = document.implementation.createHTMLDocument('x');
other.body.innerHTML = '<ul><li class="a b">3</ul>';
const main = document.querySelector('main');
const inert = document.querySelector('template').content;
function check(when) {
  for (const root of [document, main, main.firstElementChild ?? main, apart, apart.firstElementChild ?? apart, inert, inert.firstElementChild, other, other.body, document.body]) {
    for (const [selector, fits] of Object.entries(kinds)) {
      const got = [...root.querySelectorAll(selector)], want = walk(root, fits);
      if (got.length !== want.length || got.some((e, i) => e !== want[i])) wrong.push(when + ' ' + (root.localName ?? root.nodeName) + ' ' + selector + ' ' + got.length + ' of ' + want.length);
      if (root.querySelector(selector) !== (want[0] ?? null)) wrong.push(when + ' first ' + selector);
    }
  }
}
for (let i = 0; i < 40; i++) {
  check(i);
  const all = [...main.querySelectorAll('*'), ...apart.querySelectorAll('*'), ...other.body.querySelectorAll('*')];
  const one = all[random(all.length)], to = [main, apart, other.body, document.body][random(4)];
  if (i % 3 === 0 && !one.contains(to)) to.append(one);
  else if (i % 3 === 1) to.insertBefore(one.cloneNode(true), to.firstChild);
  else one.classList.toggle(['a', 'b', 'c'][random(3)]);
}
document.title = wrong.length ? wrong.slice(0, 3).join('; ') : 'as walked';
</script>`}}, Options{})
	defer b.Close()
	tab := b.Open(home, nil)
	b.Settle()
	tab.Take()
	assert.Equal(t, "as walked", tab.Title)
}
