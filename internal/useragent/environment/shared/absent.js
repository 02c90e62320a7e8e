import { gap } from './gap.js';
import { expose, lazy, publishLoosely } from './webidl.js';
import { DOMException } from './domexception.js';

// Drawing, and the network beyond fetch: there, so that a worker can look for them, but refusing; the result names the gap.
for (const name of ['OffscreenCanvas', 'ImageData', 'ImageBitmap', 'Path2D', 'DOMMatrix', 'DOMRect', 'WebTransport'])
  lazy([name], () => {
    const Refusing = { [name]: class {
      constructor() {
        gap(name);
        throw new DOMException(`${name} is not there in this user agent`, 'NotSupportedError');
      }
    } }[name];
    publishLoosely(Refusing);
  });
lazy(['createImageBitmap'], () => {
  expose('createImageBitmap', async function createImageBitmap() {
    gap('createImageBitmap');
    throw new DOMException('pictures are not decoded in this user agent', 'NotSupportedError');
  });
});
