// Streams: what readers, writers and pipes give, in which order, and what their misuse comes to.
test('a reader takes chunks in order and then ends', async () => {
  const reader = streamOf('ebb', 'flood').getReader();
  is((await reader.read()).value, 'ebb');
  const second = await reader.read();
  is(second.value, 'flood');
  is(second.done, false);
  const end = await reader.read();
  is(end.done, true);
  is(end.value, undefined);
  is(await reader.closed, undefined);
});

test('a stream has one reader at a time', async () => {
  const stream = streamOf(1);
  yes(!stream.locked);
  const reader = stream.getReader();
  yes(stream.locked);
  throws('TypeError', () => stream.getReader());
  await rejects('TypeError', stream.cancel());
  await rejects('TypeError', stream.pipeTo(new WritableStream()));
  throws('TypeError', () => stream.tee());
  reader.releaseLock();
  yes(!stream.locked);
  await rejects('TypeError', reader.read());
  is((await stream.getReader().read()).value, 1);
});

test('what its source throws reaches who reads', async () => {
  const broken = new ReadableStream({ pull() { throw new RangeError('low water'); } });
  await rejects('RangeError', broken.getReader().read());
  const late = new ReadableStream({ start: (c) => later(5).then(() => c.error(new SyntaxError('torn'))) });
  const reader = late.getReader();
  await rejects('SyntaxError', reader.read());
  await rejects('SyntaxError', reader.closed);
  throws('Error', () => new ReadableStream({ start() { throw new Error('never began'); } }));
});

test('a source is pulled as far as the mark is high', async () => {
  let pulled = 0;
  const stream = new ReadableStream({ pull(c) { c.enqueue(++pulled); } }, { highWaterMark: 3 });
  await later(5);
  is(pulled, 3);
  await stream.getReader().read();
  await later(5);
  is(pulled, 4);
  pulled = 0;
  new ReadableStream({ pull(c) { c.enqueue(++pulled); } }, { highWaterMark: 0 });
  await later(5);
  is(pulled, 0);
});

test('the desired size follows what waits', async () => {
  let c;
  const stream = new ReadableStream({ start(controller) { c = controller; } }, { highWaterMark: 5, size: (chunk) => chunk.length });
  is(c.desiredSize, 5);
  c.enqueue('abc');
  is(c.desiredSize, 2);
  c.enqueue('def');
  is(c.desiredSize, -1);
  await stream.getReader().read();
  is(c.desiredSize, 2);
  c.close();
  throws('TypeError', () => c.enqueue('x'));
  throws('TypeError', () => c.close());
});

test('canceling tells the source, and why', async () => {
  let why;
  const stream = new ReadableStream({ cancel(reason) { why = reason; } });
  await stream.cancel('fog');
  is(why, 'fog');
  is((await stream.getReader().read()).done, true);
  const broken = new ReadableStream({ cancel() { throw new RangeError('stuck'); } });
  await rejects('RangeError', broken.cancel());
  const reader = streamOf(1, 2).getReader();
  await reader.cancel();
  is((await reader.read()).done, true);
});

test('two branches of a stream get the same chunks', async () => {
  const [a, b] = streamOf('x', 'y').tee();
  const all = async (s) => { const out = []; for await (const v of s) out.push(v); return out; };
  is(await all(a), ['x', 'y']);
  is(await all(b), ['x', 'y']);
  let canceled = null;
  const [c, d] = new ReadableStream({ cancel(reason) { canceled = reason; } }).tee();
  const first = c.cancel('one');
  is(canceled, null);
  await Promise.all([first, d.cancel('two')]);
  is(canceled, ['one', 'two']);
});

test('a loop over a stream cancels it when it is left', async () => {
  let canceled = false;
  const stream = new ReadableStream({ pull(c) { c.enqueue(1); }, cancel() { canceled = true; } });
  for await (const v of stream) { is(v, 1); break; }
  yes(canceled);
  yes(!stream.locked);
  const kept = streamOf(1, 2);
  for await (const v of kept.values({ preventCancel: true })) { is(v, 1); break; }
  is((await kept.getReader().read()).value, 2);
});

test('a writer writes in order, and waits where the sink is slow', async () => {
  const got = [];
  const stream = new WritableStream({ async write(chunk) { await later(2); got.push(chunk); }, close() { got.push('end'); } });
  const writer = stream.getWriter();
  yes(stream.locked);
  is(writer.desiredSize, 1);
  const first = writer.write('a');
  is(writer.desiredSize, 0);
  writer.write('b');
  await first;
  await writer.close();
  is(got, ['a', 'b', 'end']);
  await rejects('TypeError', writer.write('c'));
});

test('a sink that fails breaks the stream', async () => {
  const stream = new WritableStream({ write() { throw new RangeError('full'); } });
  const writer = stream.getWriter();
  await rejects('RangeError', writer.write('a'));
  await rejects('RangeError', writer.closed);
  await rejects('RangeError', writer.write('b'));
  const aborted = [];
  const other = new WritableStream({ abort(reason) { aborted.push(reason); } });
  await other.abort('enough');
  is(aborted, ['enough']);
  await rejects('TypeError', new WritableStream({ close() { throw new TypeError('no'); } }).close());
});

test('a pipe carries everything and closes its end', async () => {
  const got = [];
  await streamOf(1, 2, 3).pipeTo(new WritableStream({ write(v) { got.push(v); }, close() { got.push('closed'); } }));
  is(got, [1, 2, 3, 'closed']);
  got.length = 0;
  const target = new WritableStream({ write(v) { got.push(v); }, close() { got.push('closed'); } });
  await streamOf(1).pipeTo(target, { preventClose: true });
  is(got, [1]);
  yes(!target.locked);
});

test('a pipe hands errors on, both ways', async () => {
  let aborted = null;
  const broken = new ReadableStream({ start(c) { c.error(new RangeError('torn')); } });
  await rejects('RangeError', broken.pipeTo(new WritableStream({ abort(reason) { aborted = reason; } })));
  is(aborted?.name, 'RangeError');
  let canceled = null;
  const source = new ReadableStream({ pull(c) { c.enqueue(1); }, cancel(reason) { canceled = reason; } });
  await rejects('SyntaxError', source.pipeTo(new WritableStream({ write() { throw new SyntaxError('no'); } })));
  is(canceled?.name, 'SyntaxError');
});

test('a signal stops a pipe', async () => {
  const controller = new AbortController();
  let canceled = null;
  const source = new ReadableStream({ cancel(reason) { canceled = reason; } });
  const piped = source.pipeTo(new WritableStream(), { signal: controller.signal });
  controller.abort('closing time');
  let why;
  try { await piped; } catch (error) { why = error; }
  is(why, 'closing time');
  is(canceled, 'closing time');
});

test('a transformation changes, adds and drops chunks', async () => {
  const doubled = streamOf(1, 2, 3).pipeThrough(new TransformStream({
    start(c) { c.enqueue('first'); },
    transform(v, c) { if (v !== 2) { c.enqueue(v); c.enqueue(v); } },
    flush(c) { c.enqueue('last'); },
  }));
  const out = [];
  for await (const v of doubled) out.push(v);
  is(out, ['first', 1, 1, 3, 3, 'last']);
  const failing = streamOf(1).pipeThrough(new TransformStream({ transform() { throw new RangeError('no'); } }));
  await rejects('RangeError', failing.getReader().read());
  const stopped = new TransformStream({ transform(v, c) { c.terminate(); } });
  streamOf(1, 2).pipeTo(stopped.writable).catch(() => {});
  is((await stopped.readable.getReader().read()).done, true);
});

test('strategies measure', () => {
  const count = new CountQueuingStrategy({ highWaterMark: 4 });
  is(count.highWaterMark, 4);
  is(count.size('anything'), 1);
  const length = new ByteLengthQueuingStrategy({ highWaterMark: 16 });
  is(length.size(new Uint8Array(7)), 7);
  throws('RangeError', () => new ReadableStream({}, { highWaterMark: -1 }));
  throws('TypeError', () => new CountQueuingStrategy());
});

test('text goes through coding streams whole', async () => {
  const coded = streamOf('Tide: ', '3,6 m ≈ 12 ft', '\ud83d', '\ude00').pipeThrough(new TextEncoderStream());
  const parts = [];
  for await (const v of coded) { yes(v instanceof Uint8Array); parts.push(v); }
  const cutUp = new ReadableStream({ start(c) { for (const p of parts) for (const b of p) c.enqueue(new Uint8Array([b])); c.close(); } });
  let text = '';
  for await (const v of cutUp.pipeThrough(new TextDecoderStream())) text += v;
  is(text, 'Tide: 3,6 m ≈ 12 ft😀');
  is(new TextDecoderStream().encoding, 'utf-8');
  await rejects('TypeError', streamOf(new Uint8Array([0xff])).pipeThrough(new TextDecoderStream('utf-8', { fatal: true })).getReader().read());
});

test('what was packed is unpacked again', async () => {
  const text = 'sailings '.repeat(300);
  for (const format of ['gzip', 'deflate', 'deflate-raw']) {
    const packed = await new Response(new Blob([text]).stream().pipeThrough(new CompressionStream(format))).arrayBuffer();
    yes(packed.byteLength < 200, format);
    const unpacked = await new Response(new Blob([packed]).stream().pipeThrough(new DecompressionStream(format))).text();
    is(unpacked, text, format);
  }
  throws('TypeError', () => new CompressionStream('zip'));
  await rejects('TypeError', new Response(new Blob(['no gzip at all']).stream().pipeThrough(new DecompressionStream('gzip'))).text());
});

test('a body is a stream of bytes', async () => {
  const response = new Response('harbour');
  yes(response.body instanceof ReadableStream);
  const reader = response.body.getReader();
  yes((await reader.read()).value instanceof Uint8Array);
  yes(response.bodyUsed);
  await rejects('TypeError', response.text());
  is(await new Response(streamOf(new Uint8Array([104, 105]))).text(), 'hi');
  await rejects('TypeError', new Response(streamOf('no bytes')).text());
  is(new Response(null).body, null);
});
