// HTML, 4.13: custom elements; DOM, 4.8: shadow trees.
let count = 0;
// A custom element of a name of its own; what happens to it is written down.
const define = (members = {}, options = {}, Base = HTMLElement) => {
  const name = `x-part${++count}`;
  const log = [];
  class Part extends Base {
    static observedAttributes = members.observed ?? [];
    constructor() {
      super();
      log.push('made');
      members.made?.call(this);
    }
    connectedCallback() {
      log.push('connected');
      members.connected?.call(this);
    }
    disconnectedCallback() {
      log.push('disconnected');
    }
    adoptedCallback() {
      log.push('adopted');
    }
    attributeChangedCallback(...args) {
      log.push(args.slice(0, 3).join(' '));
    }
  }
  customElements.define(name, Part, options);
  return { name, log, Part };
};
probe('made by the parser', () => {
  const { name, log, Part } = define();
  const e = place(`<${name}></${name}>`).firstChild;
  return [e instanceof Part, e.matches(':defined'), ...log];
});
probe('made by a script', () => {
  const { name, log, Part } = define();
  const e = document.createElement(name);
  const before = [...log];
  document.body.append(e);
  e.remove();
  return [before, log, e.constructor === Part];
});
probe('made by its constructor', () => {
  const { name, Part } = define();
  return new Part().localName === name;
});
probe('an interface that is not defined', () => new (class extends HTMLElement {})());
probe('upgraded', () => {
  const name = 'x-later';
  const e = place(`<${name} a=1></${name}>`).firstChild;
  const before = [e.constructor.name, e.matches(':defined')];
  const log = [];
  customElements.define(
    name,
    class extends HTMLElement {
      static observedAttributes = ['a'];
      attributeChangedCallback(...args) {
        log.push(args.slice(0, 3).join(' '));
      }
      connectedCallback() {
        log.push('connected');
      }
    },
  );
  return [...before, log, e.matches(':defined')];
});
probe('upgraded by hand', () => {
  const box = document.createElement('div');
  box.innerHTML = '<x-byhand></x-byhand>';
  let made = 0;
  customElements.define('x-byhand', class extends HTMLElement {
    constructor() {
      super();
      made++;
    }
  });
  const before = made;
  customElements.upgrade(box);
  return [before, made];
});
probe('attributes that are watched', () => {
  const { name, log } = define({ observed: ['a', 'b'] });
  const e = document.createElement(name);
  e.setAttribute('a', 1);
  e.setAttribute('c', 2);
  e.toggleAttribute('b');
  e.removeAttribute('a');
  e.setAttribute('b', '');
  return log;
});
probe('when it is known', async () => {
  const wait = customElements.whenDefined('x-awaited');
  class Awaited extends HTMLElement {}
  customElements.define('x-awaited', Awaited);
  return [(await wait) === Awaited, customElements.get('x-awaited') === Awaited, customElements.getName(Awaited), customElements.get('x-none')];
});
for (const name of ['x', 'X-a', 'font-face', 'x-ü', '1-x', 'x-', 'xA-b'])
  probe(`a name: ${name}`, () => {
    customElements.define(name, class extends HTMLElement {});
    return 'defined';
  });
probe('a name twice', () => {
  const { name } = define();
  customElements.define(name, class extends HTMLElement {});
});
probe('an interface twice', () => {
  const { Part } = define();
  customElements.define('x-second-name', Part);
});
probe('what is no constructor', () => customElements.define('x-nothing', {}));
probe('an element that is extended', () => {
  class Button extends HTMLButtonElement {}
  customElements.define('x-button', Button, { extends: 'button' });
  const e = document.createElement('button', { is: 'x-button' });
  const p = place('<button is=x-button>a</button>').firstChild;
  return [e instanceof Button, p instanceof Button, e.outerHTML, e.localName];
});
probe('moved about', () => {
  const { name, log } = define();
  const root = place(`<p></p><${name}></${name}>`);
  root.firstChild.append(root.lastChild);
  return log;
});
probe('from one document to another', () => {
  const { name, log } = define();
  const e = document.createElement(name);
  document.implementation.createHTMLDocument('').body.append(e);
  return log;
});
probe('an error while it is made', () =>
  alone((done) => {
    const heard = (e) => {
      e.preventDefault();
      removeEventListener('error', heard);
      done([e.message, made.constructor.name]);
    };
    addEventListener('error', heard);
    customElements.define('x-broken', class extends HTMLElement {
      constructor() {
        super();
        throw new Error('broken');
      }
    });
    const made = document.createElement('x-broken');
  }));
probe('children of one that is being parsed', () => {
  let n = -1;
  const { name } = define({
    connected() {
      n = this.childNodes.length;
    },
  });
  place(`<${name}><b></b></${name}>`);
  return n;
});
probe('internals', () => {
  let internals;
  const { name } = define({
    made() {
      internals = this.attachInternals();
    },
  });
  const e = document.createElement(name);
  internals.states.add('busy');
  internals.role = 'status';
  return [internals.shadowRoot, e.matches(':state(busy)'), internals.role, e.getAttribute('role')];
});
probe('internals twice', () => {
  const { name } = define({
    made() {
      this.attachInternals();
    },
  });
  document.createElement(name).attachInternals();
});
probe('an element of forms', () => {
  const name = 'x-field';
  customElements.define(
    name,
    class extends HTMLElement {
      static formAssociated = true;
      constructor() {
        super();
        this.i = this.attachInternals();
      }
      connectedCallback() {
        this.i.setFormValue('deep');
        this.i.setValidity({ customError: true }, 'too deep');
      }
    },
  );
  const form = place(`<form><${name} name=depth></${name}></form>`).firstChild;
  const e = form.firstChild;
  return [[...new FormData(form)].map(String), form.elements.length, e.i.form === form, e.i.validationMessage, form.checkValidity(), e.matches(':invalid')];
});
probe('a shadow tree', () => {
  const host = place('<div>light</div>').firstChild;
  const root = host.attachShadow({ mode: 'open' });
  root.innerHTML = '<p id=a>shadow</p><slot></slot>';
  return [host.shadowRoot === root, root.host === host, root.mode, document.getElementById('a'), root.getElementById('a').textContent, host.textContent, root.innerHTML];
});
probe('a closed shadow tree', () => {
  const host = place('<div></div>').firstChild;
  const root = host.attachShadow({ mode: 'closed' });
  return [host.shadowRoot, root.mode];
});
probe('a shadow tree twice', () => {
  const host = place('<div></div>').firstChild;
  host.attachShadow({ mode: 'open' });
  host.attachShadow({ mode: 'open' });
});
probe('what takes no shadow tree', () => document.createElement('img').attachShadow({ mode: 'open' }));
probe('slots', () => {
  const host = place('<div><b slot=x>1</b>text<i>2</i></div>').firstChild;
  const root = host.attachShadow({ mode: 'open' });
  root.innerHTML = '<slot name=x></slot><slot><u>none</u></slot><slot name=y><s>default</s></slot>';
  const [x, rest, y] = root.querySelectorAll('slot');
  return [x.assignedElements().map((e) => e.localName), rest.assignedNodes().length, y.assignedNodes().length, y.assignedNodes({ flatten: true }).length, host.firstChild.assignedSlot === x];
});
probe('slots that change', async () => {
  const host = place('<div></div>').firstChild;
  const root = host.attachShadow({ mode: 'open' });
  root.innerHTML = '<slot></slot>';
  const out = [];
  root.firstChild.addEventListener('slotchange', (e) => out.push(e.target.assignedNodes().length));
  host.append('a');
  host.append('b');
  await soon();
  host.firstChild.remove();
  await soon();
  return out;
});
probe('slots by hand', () => {
  const host = place('<div><b></b><i></i></div>').firstChild;
  const root = host.attachShadow({ mode: 'open', slotAssignment: 'manual' });
  root.innerHTML = '<slot></slot>';
  root.firstChild.assign(host.lastChild);
  return [root.firstChild.assignedElements().map((e) => e.localName), root.slotAssignment];
});
probe('events out of a shadow tree', () => {
  const host = place('<div></div>').firstChild;
  const root = host.attachShadow({ mode: 'open' });
  root.innerHTML = '<button>x</button>';
  const out = [];
  root.addEventListener('click', (e) => out.push(e.target.localName));
  host.addEventListener('click', (e) => out.push(e.target.localName, e.composedPath().length > 4));
  root.firstChild.click();
  return out;
});
probe('events that stay in a shadow tree', () => {
  const host = place('<div></div>').firstChild;
  const root = host.attachShadow({ mode: 'open' });
  root.innerHTML = '<p></p>';
  const out = [];
  host.addEventListener('tide', () => out.push('heard'));
  root.firstChild.dispatchEvent(new CustomEvent('tide', { bubbles: true }));
  root.firstChild.dispatchEvent(new CustomEvent('tide', { bubbles: true, composed: true }));
  return out;
});
probe('shadow trees in markup', () => {
  const box = document.createElement('div');
  box.setHTMLUnsafe('<div><template shadowrootmode=open><p>in</p></template></div>');
  return [box.firstChild.shadowRoot && box.firstChild.shadowRoot.innerHTML, box.firstChild.childNodes.length];
});
probe('shadow trees that are written', () => {
  const box = document.createElement('div');
  box.setHTMLUnsafe('<div><template shadowrootmode=open shadowrootserializable><p>in</p></template>light</div>');
  return [box.innerHTML, box.getHTML({ serializableShadowRoots: true })];
});
probe('templates', () => {
  const t = place('<template><p>a</p></template>').firstChild;
  return [t.content.childNodes.length, t.childNodes.length, t.content.ownerDocument === document, t.innerHTML, document.importNode(t.content, true).firstChild.textContent];
});
probe('the root, and the root of all', () => {
  const host = place('<div></div>').firstChild;
  const p = document.createElement('p');
  host.attachShadow({ mode: 'open' }).append(p);
  return [p.getRootNode() === host.shadowRoot, p.getRootNode({ composed: true }) === document, p.isConnected, p.parentNode === host.shadowRoot];
});
probe('styles of a shadow tree', () => {
  const host = place('<div><b>x</b></div>').firstChild;
  const root = host.attachShadow({ mode: 'open' });
  root.innerHTML = '<style>:host { color: rgb(1, 1, 1) } p { color: rgb(2, 2, 2) } ::slotted(b) { color: rgb(3, 3, 3) }</style><p>y</p><slot></slot>';
  return [getComputedStyle(host).color, getComputedStyle(root.querySelector('p')).color, getComputedStyle(host.firstChild).color];
});
probe('sheets that are adopted', () => {
  const sheet = new CSSStyleSheet();
  sheet.replaceSync('p { color: rgb(9, 9, 9) }');
  const host = place('<div></div>').firstChild;
  const root = host.attachShadow({ mode: 'open' });
  root.adoptedStyleSheets = [sheet];
  root.innerHTML = '<p>y</p>';
  return [getComputedStyle(root.firstChild).color, root.adoptedStyleSheets.length, root.styleSheets.length];
});
