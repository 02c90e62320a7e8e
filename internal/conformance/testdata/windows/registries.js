// HTML, 4.13.4, and DOM, 4.9: registries of custom elements of one's own, and copies of custom elements and shadow trees.
const own = new CustomElementRegistry();
const empty = new CustomElementRegistry();
class Tide extends HTMLElement {}
class Ebb extends HTMLElement {}
class Heard extends HTMLElement {
  connectedCallback() {
    this.dataset.heard = 'yes';
  }
}
customElements.define('a-tide', Tide);
own.define('a-tide', Ebb);
own.define('a-heard', Heard);
const kind = (e) => e.constructor.name;
probe('a registry', () => [own instanceof CustomElementRegistry, own === customElements, own.get('a-tide') === Ebb, own.getName(Ebb), customElements.getName(Ebb), customElements.get('a-tide') === Tide]);
probe('made in a registry', () => [kind(document.createElement('a-tide')), kind(document.createElement('a-tide', { customElementRegistry: own })), kind(document.createElement('a-tide', { customElementRegistry: empty })), kind(document.createElementNS('http://www.w3.org/1999/xhtml', 'a-tide', { customElementRegistry: own }))]);
probe('what elements say of it', () => {
  const e = document.createElement('div', { customElementRegistry: own });
  return [document.customElementRegistry === customElements, document.createElement('p').customElementRegistry === customElements, e.customElementRegistry === own, new DOMParser().parseFromString('<p>', 'text/html').customElementRegistry];
});
probe('markup in an element of a registry', () => {
  const e = document.createElement('div', { customElementRegistry: own });
  e.innerHTML = '<a-tide></a-tide><p><a-tide></a-tide></p>';
  const before = [...e.querySelectorAll('a-tide')].map(kind);
  document.body.append(e);
  return [before, [...e.querySelectorAll('a-tide')].map(kind), e.querySelector('p').customElementRegistry === own];
});
probe('a shadow root of a registry', () => {
  const host = place('<div></div>').firstChild;
  const root = host.attachShadow({ mode: 'open', customElementRegistry: own });
  root.innerHTML = '<a-tide></a-tide><a-heard></a-heard>';
  return [[...root.children].map(kind), root.customElementRegistry === own, host.customElementRegistry === customElements, root.lastChild.dataset.heard];
});
probe('defined later', () => {
  const late = new CustomElementRegistry();
  const host = place('<div></div>').firstChild;
  const root = host.attachShadow({ mode: 'open', customElementRegistry: late });
  root.innerHTML = '<a-late></a-late>';
  const before = kind(root.firstChild);
  late.define('a-late', class Late extends HTMLElement {});
  return [before, kind(root.firstChild), customElements.get('a-late')];
});
probe('a root without one', () => {
  const host = place('<div></div>').firstChild;
  host.parentNode.setHTMLUnsafe('<div><template shadowrootmode=open shadowrootcustomelementregistry><a-tide></a-tide></template></div>');
  const { shadowRoot } = document.body.lastChild.firstChild;
  const before = [shadowRoot.customElementRegistry, shadowRoot.firstChild.customElementRegistry, kind(shadowRoot.firstChild)];
  own.initialize(shadowRoot);
  return [...before, shadowRoot.customElementRegistry === own, kind(shadowRoot.firstChild)];
});
probe('an element that moves', () => {
  const e = document.createElement('a-tide', { customElementRegistry: own });
  document.body.append(e);
  const there = e.customElementRegistry === own;
  e.remove();
  return [there, kind(e)];
});
probe('copies of elements of registries', () => {
  const e = document.createElement('a-tide', { customElementRegistry: own });
  return [kind(e.cloneNode()), kind(document.importNode(e)), kind(document.importNode(document.createElement('a-tide'), { customElementRegistry: own })), e.cloneNode().customElementRegistry === own];
});
probe('a copy is upgraded at once', () => {
  const t = document.createElement('template');
  t.innerHTML = '<a-tide></a-tide>';
  return [kind(t.content.firstChild), kind(t.content.cloneNode(true).firstChild), kind(document.importNode(t.content, true).firstChild), kind(document.createElement('a-tide').cloneNode())];
});
probe('a constructor of a registry', () => new Ebb());
probe('a registry that extends', () => own.define('b-tide', class extends HTMLDivElement {}, { extends: 'div' }));
probe('a name twice', () => own.define('a-tide', class extends HTMLElement {}));
probe('a constructor in two registries', () => {
  class Both extends HTMLElement {}
  const [a, b] = [new CustomElementRegistry(), new CustomElementRegistry()];
  a.define('a-both', Both);
  b.define('b-both', Both);
  return [document.createElement('a-both', { customElementRegistry: a }).localName, document.createElement('b-both', { customElementRegistry: b }).localName];
});
probe('no registry', () => document.createElement('a-tide', { customElementRegistry: {} }));
probe('null as one', () => [kind(document.createElement('a-tide', { customElementRegistry: null })), document.createElement('a-tide', { customElementRegistry: null }).customElementRegistry]);
probe('importing with null', () => document.importNode(document.createElement('a-tide'), { customElementRegistry: null }));
probe('options of importing', () => [undefined, false, true, {}, { selfOnly: true }, { selfOnly: false }, null].map((o) => document.importNode(place('<p>x</p>').firstChild, o).childNodes.length));
probe('shadow trees in copies', () => {
  const host = document.createElement('div');
  const root = host.attachShadow({ mode: 'open', clonable: true, serializable: true, delegatesFocus: true });
  root.innerHTML = '<p>ebb</p><a-tide></a-tide>';
  const copy = host.cloneNode();
  const plain = document.createElement('div');
  plain.attachShadow({ mode: 'open' }).innerHTML = '<p>';
  return [copy.shadowRoot.innerHTML, copy.shadowRoot !== root, copy.shadowRoot.clonable, copy.shadowRoot.serializable, copy.shadowRoot.delegatesFocus, kind(copy.shadowRoot.lastChild), plain.cloneNode(true).shadowRoot];
});
probe('whenDefined of one', () => own.whenDefined('a-tide').then((c) => c === Ebb));
