// Streams standard.
const all = async (stream) => {
  const out = [];
  for await (const chunk of stream) out.push(chunk);
  return out;
};
const of = (...chunks) =>
  new ReadableStream({
    start(c) {
      chunks.forEach((x) => c.enqueue(x));
      c.close();
    },
  });
probe('read to the end', async () => {
  const r = of('a', 'b').getReader();
  return [await r.read(), await r.read(), await r.read(), await r.closed];
});
probe('iterated', () => all(of(1, 2, 3)));
probe('iterated and left', async () => {
  const out = [];
  const s = new ReadableStream({
    pull(c) {
      c.enqueue(1);
    },
    cancel(why) {
      out.push('cancelled', why);
    },
  });
  for await (const x of s) {
    out.push(x);
    break;
  }
  return out;
});
probe('asked for as it is wanted', async () => {
  const out = [];
  const s = new ReadableStream(
    {
      pull(c) {
        out.push(`pull ${c.desiredSize}`);
        c.enqueue(out.length);
      },
    },
    { highWaterMark: 2 },
  );
  await soon();
  const r = s.getReader();
  await r.read();
  await soon();
  return out;
});
probe('a stream that fails', async () => {
  const s = new ReadableStream({
    start(c) {
      c.enqueue(1);
      c.error(new RangeError('x'));
    },
  });
  return s.getReader().read();
});
probe('failing while asked', () =>
  new ReadableStream({
    pull() {
      throw new TypeError('x');
    },
  })
    .getReader()
    .read());
probe('locked', () => {
  const s = of(1);
  s.getReader();
  return [s.locked, s.getReader()];
});
probe('let go', async () => {
  const s = of(1, 2);
  const r = s.getReader();
  await r.read();
  r.releaseLock();
  return [s.locked, await all(s)];
});
probe('let go while reading', async () => {
  const s = new ReadableStream();
  const r = s.getReader();
  const read = r.read();
  r.releaseLock();
  return read;
});
probe('cancelled', async () => {
  const out = [];
  const s = new ReadableStream({ cancel: (why) => void out.push(why) });
  await s.cancel('done');
  return [...out, (await s.getReader().read()).done];
});
probe('in two', async () => {
  const [a, b] = of(1, 2).tee();
  return [await all(a), await all(b)];
});
probe('made of what is iterable', () => all(ReadableStream.from(['x', 'y'])));
probe('made of what is asynchronous', () =>
  all(
    ReadableStream.from(
      (async function* () {
        yield 1;
        yield 2;
      })(),
    ),
  ));
probe('bytes', async () => {
  const s = new ReadableStream({
    type: 'bytes',
    start(c) {
      c.enqueue(new Uint8Array([1, 2, 3]));
      c.close();
    },
  });
  const r = s.getReader({ mode: 'byob' });
  const { value, done } = await r.read(new Uint8Array(2));
  const next = await r.read(new Uint8Array(2));
  return [[...value], done, [...next.value], next.done];
});
probe('bytes with a reader of its own', () => of(1).getReader({ mode: 'byob' }));
probe('written', async () => {
  const out = [];
  const w = new WritableStream({
    start: () => void out.push('start'),
    write: (x) => void out.push(x),
    close: () => void out.push('close'),
  }).getWriter();
  w.write('a');
  w.write('b');
  await w.close();
  return [...out, await w.closed];
});
probe('how much more is wanted', async () => {
  const w = new WritableStream({ write: () => soon(5) }, { highWaterMark: 2 }).getWriter();
  await w.ready;
  const out = [w.desiredSize];
  w.write(1);
  w.write(2);
  out.push(w.desiredSize);
  await w.ready;
  out.push(w.desiredSize);
  return out;
});
probe('a sink that fails', async () => {
  const w = new WritableStream({
    write() {
      throw new RangeError('x');
    },
  }).getWriter();
  const first = await w.write(1).catch((e) => e.name);
  return [first, await w.closed.catch((e) => e.name)];
});
probe('given up', async () => {
  const out = [];
  const w = new WritableStream({ abort: (why) => void out.push(why) }).getWriter();
  await w.abort('enough');
  return [...out, await w.closed.catch((e) => e)];
});
probe('written after the end', async () => {
  const w = new WritableStream().getWriter();
  await w.close();
  return w.write(1);
});
probe('piped', async () => {
  const out = [];
  await of(1, 2).pipeTo(new WritableStream({ write: (x) => void out.push(x) }));
  return out;
});
probe('piped through', () =>
  all(
    of(1, 2).pipeThrough(
      new TransformStream({
        transform(x, c) {
          c.enqueue(x * 10);
        },
        flush(c) {
          c.enqueue('end');
        },
      }),
    ),
  ));
probe('piped and failing', () =>
  of(1).pipeTo(
    new WritableStream({
      write() {
        throw new RangeError('x');
      },
    }),
  ));
probe('piped with a signal', async () => {
  const control = new AbortController();
  const piped = new ReadableStream().pipeTo(new WritableStream(), { signal: control.signal });
  control.abort('stop');
  return piped;
});
probe('piped and kept open', async () => {
  const out = [];
  const w = new WritableStream({ write: (x) => void out.push(x), close: () => void out.push('close') });
  await of(1).pipeTo(w, { preventClose: true });
  const writer = w.getWriter();
  await writer.write(2);
  return out;
});
probe('packed and unpacked', async () => {
  const text = 'high water '.repeat(50);
  const packed = new Response(new Blob([text]).stream().pipeThrough(new CompressionStream('gzip')));
  const bytes = await packed.arrayBuffer();
  const back = await new Response(new Blob([bytes]).stream().pipeThrough(new DecompressionStream('gzip'))).text();
  return [bytes.byteLength < text.length, back === text];
});
probe('unpacked what is not packed', () => new Response(new Blob(['x']).stream().pipeThrough(new DecompressionStream('gzip'))).text());
probe('text through streams', async () => {
  const bytes = await all(of('aü').pipeThrough(new TextEncoderStream()));
  return [[...bytes[0]], await all(of(bytes[0]).pipeThrough(new TextDecoderStream()))];
});
probe('strategies', () => [new CountQueuingStrategy({ highWaterMark: 3 }).highWaterMark, new ByteLengthQueuingStrategy({ highWaterMark: 8 }).size(new Uint8Array(4)), new CountQueuingStrategy({ highWaterMark: 1 }).size()]);
probe('a strategy that is none', () => new ReadableStream({}, { highWaterMark: -1 }));
probe('a body that is read as a stream', async () => {
  const response = new Response('abc');
  const r = response.body.getReader();
  const { value } = await r.read();
  return [[...value], response.bodyUsed];
});
probe('a stream as a body', () => new Response(of(new TextEncoder().encode('x'), new TextEncoder().encode('y'))).text());
probe('a stream of what is no bytes as a body', () => new Response(of('x')).text());
probe('blobs', async () => {
  const b = new Blob(['ab', new Uint8Array([99]), new Blob(['d'])], { type: 'Text/Plain' });
  return [b.size, b.type, await b.text(), await b.slice(1, -1, 'x/y').text(), b.slice(1).type, [...(await b.bytes())]];
});
probe('files', async () => {
  const f = new File(['x'], 'a/b.txt', { lastModified: 5 });
  return [f.name, f.lastModified, f.size, f instanceof Blob, String(f)];
});
probe('read by a reader', () =>
  new Promise((done) => {
    const r = new FileReader();
    const out = [];
    for (const n of ['loadstart', 'progress', 'load', 'loadend']) r.addEventListener(n, () => out.push(n + r.readyState));
    r.onloadend = () => done([...out, r.result]);
    r.readAsDataURL(new Blob(['ab'], { type: 'text/plain' }));
  }));
probe('read twice at once', () => {
  const r = new FileReader();
  r.readAsText(new Blob(['a']));
  r.readAsText(new Blob(['b']));
});
