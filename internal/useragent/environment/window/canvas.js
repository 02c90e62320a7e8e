// HTML, 4.12.5: canvases. Calls of a context are taken and nothing is drawn, since a page shows no text of it. What is read back is made
// up: whether it matters is found out by a second run.

import { RangeError, ScriptObject, TypeError, Uint8Array, assign, defineProperty } from '../shared/primordials.js';
import { answersOtherwise, doubtful } from '../shared/gap.js';
import { MAKE, lazy, onlyHere, publishLoosely } from '../shared/webidl.js';
import { queueTask } from '../shared/timers.js';
import { Blob } from '../shared/blob.js';
import { atob } from '../shared/base64.js';
import { error } from './nodes.js';
import { mix } from './node.js';
import { classes } from './htmlelements.js';

// Two pictures of one pixel: that of every canvas, and that of the other run.
const PIXEL = 'iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNkYPhfDwAChwGA60e6kgAAAABJRU5ErkJggg==';
const OTHER_PIXEL = 'iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAQAAAC1HAwCAAAAC0lEQVR42mNk+A8AAQUBAScY42YAAAAASUVORK5CYII=';
const picture = () => (answersOtherwise() ? OTHER_PIXEL : PIXEL);
const blobOf = () => new Blob([Uint8Array.from(atob(picture()), (c) => c.charCodeAt(0))], { type: 'image/png' });
const MOST_PIXELS = 16_000_000;

const CALLS = 'arc arcTo beginPath bezierCurveTo clearRect clip closePath drawFocusIfNeeded drawImage ellipse fill fillRect fillText lineTo moveTo putImageData quadraticCurveTo rect reset resetTransform restore rotate roundRect save scale setLineDash setTransform stroke strokeRect strokeText transform translate'.split(' ');
const STATE = {
  direction: 'ltr', fillStyle: '#000000', filter: 'none', font: '10px sans-serif', fontKerning: 'auto', fontStretch: 'normal', fontVariantCaps: 'normal', globalAlpha: 1, globalCompositeOperation: 'source-over',
  imageSmoothingEnabled: true, imageSmoothingQuality: 'low', letterSpacing: '0px', lineCap: 'butt', lineDashOffset: 0, lineJoin: 'miter', lineWidth: 1, miterLimit: 10, shadowBlur: 0, shadowColor: 'rgba(0, 0, 0, 0)',
  shadowOffsetX: 0, shadowOffsetY: 0, strokeStyle: '#000000', textAlign: 'start', textBaseline: 'alphabetic', textRendering: 'auto', wordSpacing: '0px',
};
let make;
const contexts = new WeakMap(); // canvas → what it gave
const load = lazy(['CanvasRenderingContext2D', 'OffscreenCanvasRenderingContext2D', 'CanvasGradient', 'CanvasPattern', 'TextMetrics', 'ImageData', 'Path2D', 'OffscreenCanvas'], () => {
  class CanvasGradient {
    constructor(key = undefined) {
      onlyHere(key);
    }
    addColorStop() {}
  }
  class CanvasPattern {
    constructor(key = undefined) {
      onlyHere(key);
    }
    setTransform() {}
  }
  class TextMetrics {
    #width;
    constructor(key = undefined, width = 0) {
      onlyHere(key);
      this.#width = width;
    }
    get width() {
      return this.#width;
    }
  }
  for (const [name, value] of Object.entries({ actualBoundingBoxAscent: 8, actualBoundingBoxDescent: 2, actualBoundingBoxLeft: 0, actualBoundingBoxRight: 0, alphabeticBaseline: 0, fontBoundingBoxAscent: 9, fontBoundingBoxDescent: 2, hangingBaseline: 7, ideographicBaseline: -2 }))
    defineProperty(TextMetrics.prototype, name, { get() { return value; }, enumerable: true, configurable: true });
  class ImageData {
    #width;
    #height;
    #data;
    constructor(data, width, height) {
      const given = typeof data === 'object' ? data : null;
      const [w, h] = given ? [width, height ?? given.length / 4 / width] : [data, width];
      if (!(w > 0 && h > 0)) throw error('IndexSizeError', 'a picture has a width and a height');
      if (w * h > MOST_PIXELS) throw new RangeError('the picture has too many pixels');
      this.#width = w >>> 0;
      this.#height = h >>> 0;
      this.#data = given ?? new global.Uint8ClampedArray(this.#width * this.#height * 4);
    }
    get width() {
      return this.#width;
    }
    get height() {
      return this.#height;
    }
    get data() {
      return this.#data;
    }
    get colorSpace() {
      return 'srgb';
    }
  }
  class Path2D {
  }
  for (const name of 'addPath arc arcTo bezierCurveTo closePath ellipse lineTo moveTo quadraticCurveTo rect roundRect'.split(' ')) Path2D.prototype[name] = { [name]() {} }[name];
  const contextClass = (name) => {
    const cls = { [name]: class {
      #canvas;
      #state = { ...STATE };
      constructor(key = undefined, canvas = null) {
        onlyHere(key);
        this.#canvas = canvas;
      }
      get canvas() {
        return this.#canvas;
      }
      createLinearGradient() {
        return new CanvasGradient(MAKE);
      }
      createRadialGradient() {
        return new CanvasGradient(MAKE);
      }
      createConicGradient() {
        return new CanvasGradient(MAKE);
      }
      createPattern() {
        return new CanvasPattern(MAKE);
      }
      createImageData(width, height) {
        return typeof width === 'object' ? new ImageData(width.width, width.height) : new ImageData(Math.abs(width), Math.abs(height));
      }
      getImageData(x, y, width, height) {
        doubtful('reading the pixels of a canvas (getImageData)');
        const pixels = new ImageData(Math.abs(width), Math.abs(height));
        if (answersOtherwise()) pixels.data.fill(255);
        return pixels;
      }
      measureText(text) {
        doubtful('measuring text on a canvas (measureText)');
        return new TextMetrics(MAKE, `${text}`.length * (answersOtherwise() ? 9.5 : 5.5));
      }
      getLineDash() {
        return [];
      }
      getContextAttributes() {
        return { alpha: true, colorSpace: 'srgb', desynchronized: false, willReadFrequently: false };
      }
      isContextLost() {
        return false;
      }
      isPointInPath() {
        doubtful('asking a canvas for what lies at a point (isPointInPath)');
        return answersOtherwise();
      }
      isPointInStroke() {
        doubtful('asking a canvas for what lies at a point (isPointInStroke)');
        return answersOtherwise();
      }
      static {
        for (const key of Object.keys(STATE)) defineProperty(this.prototype, key, {
          get() {
            return this.#state[key];
          },
          set(value) {
            this.#state[key] = typeof STATE[key] === 'number' ? Number(value) : typeof STATE[key] === 'boolean' ? Boolean(value) : typeof value === 'object' ? value : `${value}`;
          },
          enumerable: true, configurable: true,
        });
        for (const key of CALLS) this.prototype[key] = { [key]() {} }[key];
      }
    } }[name];
    return cls;
  };
  const CanvasRenderingContext2D = contextClass('CanvasRenderingContext2D');
  const OffscreenCanvasRenderingContext2D = contextClass('OffscreenCanvasRenderingContext2D');
  delete OffscreenCanvasRenderingContext2D.prototype.drawFocusIfNeeded;
  class OffscreenCanvas {
    constructor(width, height) {
      if (arguments.length < 2) throw new TypeError('a canvas has a width and a height');
      this.width = Number(width);
      this.height = Number(height);
    }
    getContext(kind) {
      return contextOf(this, `${kind}`, OffscreenCanvasRenderingContext2D);
    }
    async convertToBlob() {
      doubtful('the picture of a canvas (convertToBlob)');
      return blobOf();
    }
  }
  publishLoosely(CanvasGradient, CanvasPattern, TextMetrics, ImageData, Path2D, CanvasRenderingContext2D, OffscreenCanvasRenderingContext2D, OffscreenCanvas);
  make = { CanvasRenderingContext2D };
});
// What a context of three dimensions would say, in the run with other answers: most calls do nothing.
const inSpace = (canvas) => new Proxy(new ScriptObject(), {
  get(target, key) {
    if (typeof key !== 'string') return undefined;
    if (key === 'canvas') return canvas;
    if (/^[A-Z\d_]+$/.test(key)) return 1;
    if (/^(create|getUniformLocation)/.test(key)) return () => new ScriptObject();
    if (key === 'getParameter') return () => 16;
    if (/^get(Shader|Program|Framebuffer\w*|Renderbuffer)Parameter$|^is/.test(key)) return () => true;
    if (key === 'getSupportedExtensions') return () => [];
    if (key === 'getError') return () => 0;
    if (key === 'getContextAttributes') return () => new ScriptObject();
    return /^(drawingBuffer)/.test(key) ? 300 : () => null;
  },
});
function contextOf(canvas, kind, cls) {
  const had = contexts.get(canvas);
  if (had) return had.kind === kind ? had.context : null;
  let context = null;
  if (kind === '2d') context = new cls(MAKE, canvas);
  else if (kind === 'webgl' || kind === 'webgl2' || kind === 'experimental-webgl') {
    doubtful('drawing in three dimensions (WebGL)');
    if (answersOtherwise()) context = inSpace(canvas);
  } else if (kind === 'bitmaprenderer') context = assign(new ScriptObject(), { canvas, transferFromImageBitmap() {} });
  if (context) contexts.set(canvas, { kind, context });
  return context;
}
mix(classes.HTMLCanvasElement, {
  getContext(kind) {
    load();
    return contextOf(this, `${kind}`, make.CanvasRenderingContext2D);
  },
  toDataURL() {
    doubtful('the picture of a canvas (toDataURL)');
    return `data:image/png;base64,${picture()}`;
  },
  toBlob(callback) {
    doubtful('the picture of a canvas (toBlob)');
    queueTask(() => callback(blobOf()));
  },
  captureStream() {
    throw error('NotSupportedError', 'there is nothing to capture');
  },
});
