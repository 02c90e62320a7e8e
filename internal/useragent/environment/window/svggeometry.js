// SVG 2, 4.5, 7 and 8: numbers, lengths, rectangles, matrices and transformations as objects, which write what is changed back into their
// attribute. Nothing is laid out: places on the screen and boxes of drawings are made up, and a second run finds out whether they matter.

import { TypeError, arrayFrom, defineProperty } from '../shared/primordials.js';
import { answersOtherwise, doubtful } from '../shared/gap.js';
import { MAKE, lazy, onlyHere, publishLoosely } from '../shared/webidl.js';
import { mix } from './node.js';
import { SVGGraphicsElement } from './htmlelements.js';
import { SVG, error, getAttr, isElement, late, setAttr } from './nodes.js';

const IDENTITY = [1, 0, 0, 1, 0, 0];
const KEYS = ['a', 'b', 'c', 'd', 'e', 'f'];
const times = (m, n) => [m[0] * n[0] + m[2] * n[1], m[1] * n[0] + m[3] * n[1], m[0] * n[2] + m[2] * n[3], m[1] * n[2] + m[3] * n[3], m[0] * n[4] + m[2] * n[5] + m[4], m[1] * n[4] + m[3] * n[5] + m[5]];
const radians = (angle) => (angle * Math.PI) / 180;
const turned = (angle) => [Math.cos(radians(angle)), Math.sin(radians(angle)), -Math.sin(radians(angle)), Math.cos(radians(angle)), 0, 0];
const moved = (x, y) => [1, 0, 0, 1, x, y];
// 8.5: what stands in an attribute transform, as [type, values].
const NAMES = ['', 'matrix', 'translate', 'scale', 'rotate', 'skewX', 'skewY'];
function transformsOf(text) {
  const out = [];
  for (const [, name, args] of text.matchAll(/(matrix|translate|scale|rotate|skewX|skewY)\s*\(([^)]*)\)/g)) out.push([NAMES.indexOf(name), args.split(/[\s,]+/).filter(Boolean).map(Number)]);
  return out;
}
const matrixOf = ([type, v]) => {
  switch (type) {
    case 1: return v.length === 6 ? v : IDENTITY;
    case 2: return moved(v[0] ?? 0, v[1] ?? 0);
    case 3: return [v[0] ?? 1, 0, 0, v[1] ?? v[0] ?? 1, 0, 0];
    case 4: return v.length > 2 ? times(times(moved(v[1], v[2]), turned(v[0])), moved(-v[1], -v[2])) : turned(v[0] ?? 0);
    case 5: return [1, 0, Math.tan(radians(v[0] ?? 0)), 1, 0, 0];
    case 6: return [1, Math.tan(radians(v[0] ?? 0)), 0, 1, 0, 0];
    default: return IDENTITY;
  }
};
const UNITS = { __proto__: null, '': [1, 1], '%': [2, NaN], em: [3, 16], ex: [4, 8], px: [5, 1], cm: [6, 96 / 2.54], mm: [7, 9.6 / 2.54], in: [8, 96], pt: [9, 4 / 3], pc: [10, 16] };
const unitNamed = (type) => Object.keys(UNITS).find((unit) => UNITS[unit][0] === type);
const number = (value) => {
  const n = Number(value);
  if (!Number.isFinite(n)) throw new TypeError('the value is no finite number');
  return n;
};

let made;
const load = lazy(['SVGMatrix', 'SVGPoint', 'SVGRect', 'SVGNumber', 'SVGTransform', 'SVGTransformList', 'SVGAnimatedTransformList', 'SVGLength', 'SVGAnimatedLength', 'SVGAnimatedRect'], () => {
  // An interface of numbers; changed is told when a script sets one.
  const numbersClass = (name, keys) => {
    const cls = { [name]: class {
    #values;
    #changed;
    constructor(key = undefined, values = keys.map(() => 0), changed = null) {
      onlyHere(key);
      this.#values = values;
      this.#changed = changed;
    }
    static {
      keys.forEach((key, i) => defineProperty(this.prototype, key, {
        get() {
          return this.#values[i];
        },
        set(value) {
          this.#values[i] = number(value);
          this.#changed?.(this.#values);
        },
        enumerable: true, configurable: true,
      }));
    }
    $values() {
      return this.#values;
    }
  } }[name];
    return cls;
  };
  const SVGMatrix = numbersClass('SVGMatrix', KEYS);
  const matrix = (values) => new SVGMatrix(MAKE, values);
  const members = {
    multiply(other) {
      return matrix(times(this.$values(), other.$values()));
    },
    inverse() {
      const [a, b, c, d, e, f] = this.$values();
      const det = a * d - b * c;
      if (!det) throw error('InvalidStateError', 'the matrix has no inverse');
      return matrix([d / det, -b / det, -c / det, a / det, (c * f - d * e) / det, (b * e - a * f) / det]);
    },
    translate(x, y) {
      return matrix(times(this.$values(), moved(Number(x), Number(y))));
    },
    scale(by) {
      return matrix(times(this.$values(), [Number(by), 0, 0, Number(by), 0, 0]));
    },
    scaleNonUniform(x, y) {
      return matrix(times(this.$values(), [Number(x), 0, 0, Number(y), 0, 0]));
    },
    rotate(angle) {
      return matrix(times(this.$values(), turned(Number(angle))));
    },
    rotateFromVector(x, y) {
      return matrix(times(this.$values(), turned((Math.atan2(Number(y), Number(x)) * 180) / Math.PI)));
    },
    flipX() {
      return matrix(times(this.$values(), [-1, 0, 0, 1, 0, 0]));
    },
    flipY() {
      return matrix(times(this.$values(), [1, 0, 0, -1, 0, 0]));
    },
    skewX(angle) {
      return matrix(times(this.$values(), matrixOf([5, [Number(angle)]])));
    },
    skewY(angle) {
      return matrix(times(this.$values(), matrixOf([6, [Number(angle)]])));
    },
  };
  Object.defineProperties(SVGMatrix.prototype, Object.getOwnPropertyDescriptors(members));
  const SVGPoint = numbersClass('SVGPoint', ['x', 'y']);
  SVGPoint.prototype.matrixTransform = { matrixTransform(m) {
    const [x, y] = this.$values();
    const v = m.$values();
    return new SVGPoint(MAKE, [v[0] * x + v[2] * y + v[4], v[1] * x + v[3] * y + v[5]]);
  } }.matrixTransform;
  const SVGRect = numbersClass('SVGRect', ['x', 'y', 'width', 'height']);
  const SVGNumber = numbersClass('SVGNumber', ['value']);
  class SVGTransform {
    #of; // [type, values]
    #changed;
    constructor(key = undefined, of = [1, [...IDENTITY]], changed = null) {
      onlyHere(key);
      this.#of = of;
      this.#changed = changed;
    }
    $of() {
      return this.#of;
    }
    $set(of) {
      this.#of = of;
      this.#changed?.();
    }
    $belongs(changed) {
      this.#changed = changed;
    }
    get type() {
      return this.#of[0];
    }
    get matrix() {
      return new SVGMatrix(MAKE, [...matrixOf(this.#of)], (values) => this.$set([1, [...values]]));
    }
    get angle() {
      return this.#of[0] > 3 ? this.#of[1][0] ?? 0 : 0;
    }
    setMatrix(m) {
      this.$set([1, KEYS.map((key) => Number(m?.[key] ?? (key === 'a' || key === 'd' ? 1 : 0)))]);
    }
    setTranslate(x, y) {
      this.$set([2, [number(x), number(y)]]);
    }
    setScale(x, y) {
      this.$set([3, [number(x), number(y)]]);
    }
    setRotate(angle, x, y) {
      this.$set([4, [number(angle), number(x), number(y)]]);
    }
    setSkewX(angle) {
      this.$set([5, [number(angle)]]);
    }
    setSkewY(angle) {
      this.$set([6, [number(angle)]]);
    }
  }
  ['UNKNOWN', 'MATRIX', 'TRANSLATE', 'SCALE', 'ROTATE', 'SKEWX', 'SKEWY'].forEach((name, i) => [SVGTransform, SVGTransform.prototype].forEach((o) => defineProperty(o, `SVG_TRANSFORM_${name}`, { value: i, enumerable: true })));
  class SVGTransformList {
    #element;
    #text = null;
    #items = [];
    constructor(key = undefined, element = null) {
      onlyHere(key);
      this.#element = element;
    }
    $items() {
      const text = getAttr(this.#element, 'transform') ?? '';
      if (text !== this.#text) {
        this.#items = transformsOf(text).map((of) => new SVGTransform(MAKE, of, () => this.$write()));
        this.#text = text;
      }
      return this.#items;
    }
    $write() {
      this.#text = this.#items.map((t) => `${NAMES[t.$of()[0]]}(${t.$of()[1].join(' ')})`).join(' ');
      setAttr(this.#element, 'transform', this.#text);
    }
    $place(item, index, replaced) {
      if (!(item instanceof SVGTransform)) throw new TypeError('this is no transformation');
      this.$items().splice(index, replaced, item);
      item.$belongs(() => this.$write());
      this.$write();
      return item;
    }
    $at(index) {
      const item = this.$items()[index >>> 0];
      if (!item) throw error('IndexSizeError', 'there is no such transformation');
      return item;
    }
    get length() {
      return this.$items().length;
    }
    get numberOfItems() {
      return this.$items().length;
    }
    clear() {
      this.$items().length = 0;
      this.$write();
    }
    initialize(item) {
      return this.$place(item, 0, Infinity);
    }
    getItem(index) {
      return this.$at(index);
    }
    insertItemBefore(item, index) {
      return this.$place(item, index >>> 0, 0);
    }
    replaceItem(item, index) {
      this.$at(index);
      return this.$place(item, index >>> 0, 1);
    }
    removeItem(index) {
      const item = this.$at(index);
      this.$items().splice(index >>> 0, 1);
      this.$write();
      return item;
    }
    appendItem(item) {
      return this.$place(item, this.length, 0);
    }
    createSVGTransformFromMatrix(m) {
      const t = new SVGTransform(MAKE);
      t.setMatrix(m);
      return t;
    }
    consolidate() {
      if (!this.length) return null;
      const whole = new SVGTransform(MAKE, [1, this.$items().map((t) => matrixOf(t.$of())).reduce(times, IDENTITY)]);
      return this.initialize(whole);
    }
  }
  defineProperty(SVGTransformList.prototype, Symbol.iterator, { value: { values() { return arrayFrom(this.$items())[Symbol.iterator](); } }.values, writable: true, configurable: true });
  class SVGLength {
    #read;
    #write;
    constructor(key = undefined, read = null, write = null) {
      onlyHere(key);
      let text = '0';
      this.#read = read ?? (() => text);
      this.#write = write ?? ((now) => { text = now; });
    }
    $parts() {
      const [, n = '0', unit = ''] = /^\s*([-+]?(?:\d+\.?\d*|\.\d+)(?:e[-+]?\d+)?)(%|[a-z]*)/i.exec(this.#read()) ?? [];
      return [Number(n), UNITS[unit.toLowerCase()] ? unit.toLowerCase() : ''];
    }
    get unitType() {
      return UNITS[this.$parts()[1]][0];
    }
    get value() {
      const [n, unit] = this.$parts();
      if (unit !== '%') return n * UNITS[unit][1];
      doubtful('a part of the size of a drawing (SVGLength)');
      return answersOtherwise() ? n : n * 3;
    }
    set value(v) {
      this.#write(`${number(v)}`);
    }
    get valueInSpecifiedUnits() {
      return this.$parts()[0];
    }
    set valueInSpecifiedUnits(v) {
      this.#write(`${number(v)}${this.$parts()[1]}`);
    }
    get valueAsString() {
      return this.$parts().join('');
    }
    set valueAsString(text) {
      this.#write(`${text}`);
    }
    newValueSpecifiedUnits(type, v) {
      const unit = unitNamed(Number(type));
      if (unit === undefined) throw error('NotSupportedError', 'there is no such unit');
      this.#write(`${number(v)}${unit}`);
    }
    convertToSpecifiedUnits(type) {
      const unit = unitNamed(Number(type));
      if (unit === undefined) throw error('NotSupportedError', 'there is no such unit');
      this.#write(`${this.value / UNITS[unit][1]}${unit}`);
    }
  }
  ['UNKNOWN', 'NUMBER', 'PERCENTAGE', 'EMS', 'EXS', 'PX', 'CM', 'MM', 'IN', 'PT', 'PC'].forEach((name, i) => [SVGLength, SVGLength.prototype].forEach((o) => defineProperty(o, `SVG_LENGTHTYPE_${name}`, { value: i, enumerable: true })));
  const animated = (name) => {
    const cls = { [name]: class {
    #value;
    constructor(key = undefined, value = null) {
      onlyHere(key);
      this.#value = value;
    }
    get baseVal() {
      return this.#value();
    }
    get animVal() {
      return this.#value();
    }
  } }[name];
    return cls;
  };
  const SVGAnimatedTransformList = animated('SVGAnimatedTransformList');
  const SVGAnimatedLength = animated('SVGAnimatedLength');
  const SVGAnimatedRect = animated('SVGAnimatedRect');
  publishLoosely(SVGMatrix, SVGPoint, SVGRect, SVGNumber, SVGTransform, SVGTransformList, SVGAnimatedTransformList, SVGLength, SVGAnimatedLength, SVGAnimatedRect);
  made = {
    matrix, point: () => new SVGPoint(MAKE), rect: (values, changed) => new SVGRect(MAKE, values, changed), number: () => new SVGNumber(MAKE), transform: () => new SVGTransform(MAKE), length: () => new SVGLength(MAKE),
    transforms(e) {
      const list = new SVGTransformList(MAKE, e);
      return new SVGAnimatedTransformList(MAKE, () => list);
    },
    lengthOf(e, name, otherwise) {
      const read = () => getAttr(e, name) ?? otherwise;
      const length = new SVGLength(MAKE, read, (text) => setAttr(e, name, text));
      return new SVGAnimatedLength(MAKE, () => length);
    },
    viewBox(e) {
      const write = (now) => setAttr(e, 'viewBox', now.join(' '));
      return new SVGAnimatedRect(MAKE, () => {
        const values = (getAttr(e, 'viewBox') ?? '').trim().split(/[\s,]+/).map(Number);
        const whole = values.length === 4 && values.every((v) => Number.isFinite(v));
        return made.rect(whole ? values : [0, 0, 0, 0], write);
      });
    },
  };
});
const objects = () => {
  load();
  return made;
};
// The lengths that elements have as attributes, with what they are without them.
const LENGTHS = {
  svg: 'x=0 y=0 width=100% height=100%', rect: 'x=0 y=0 width=0 height=0 rx=0 ry=0', circle: 'cx=0 cy=0 r=0', ellipse: 'cx=0 cy=0 rx=0 ry=0', line: 'x1=0 y1=0 x2=0 y2=0', image: 'x=0 y=0 width=0 height=0', use: 'x=0 y=0 width=0 height=0',
  foreignObject: 'x=0 y=0 width=0 height=0', mask: 'x=-10% y=-10% width=120% height=120%', pattern: 'x=0 y=0 width=0 height=0', filter: 'x=-10% y=-10% width=120% height=120%', marker: 'refX=0 refY=0 markerWidth=3 markerHeight=3', linearGradient: 'x1=0% y1=0% x2=100% y2=0%', radialGradient: 'cx=50% cy=50% r=50% fx=50% fy=50% fr=0%',
};
const kept = (e, name, make) => ((e.$geometry ??= { __proto__: null })[name] ??= make());
late.svgMembers = (tag, cls) => {
  for (const one of LENGTHS[tag]?.split(' ') ?? []) {
    const [name, otherwise] = one.split('=');
    defineProperty(cls.prototype, name, { get() { return kept(this, name, () => objects().lengthOf(this, name, otherwise)); }, enumerable: true, configurable: true });
  }
  if (['svg', 'symbol', 'marker', 'pattern', 'view'].includes(tag)) defineProperty(cls.prototype, 'viewBox', { get() { return kept(this, 'viewBox', () => objects().viewBox(this)); }, enumerable: true, configurable: true });
  if (tag !== 'svg') return;
  Object.defineProperties(cls.prototype, Object.getOwnPropertyDescriptors({
    createSVGPoint() {
      return objects().point();
    },
    createSVGRect() {
      return objects().rect([0, 0, 0, 0]);
    },
    createSVGMatrix() {
      return objects().matrix([...IDENTITY]);
    },
    createSVGNumber() {
      return objects().number();
    },
    createSVGLength() {
      return objects().length();
    },
    createSVGTransform() {
      return objects().transform();
    },
    createSVGTransformFromMatrix(m) {
      const t = objects().transform();
      t.setMatrix(m);
      return t;
    },
  }));
};
// What drawn elements have: their transformations, and where they stand.
mix(SVGGraphicsElement, {
  get transform() {
    return kept(this, 'transform', () => objects().transforms(this));
  },
  getCTM() {
    return placed(this);
  },
  getScreenCTM() {
    return placed(this);
  },
});
function placed(e) {
  doubtful('places of drawings on the screen (getScreenCTM)');
  let values = answersOtherwise() ? moved(7, 11) : IDENTITY;
  const chain = [];
  for (let at = e; isElement(at) && at.$ns === SVG; at = at.$p) chain.unshift(at);
  for (const at of chain) values = transformsOf(getAttr(at, 'transform') ?? '').map(matrixOf).reduce(times, values);
  return objects().matrix([...values]);
}
