//! A range of a whole copy, for sound and film (RFC 9110, 14.2); a unit that is not known is passed over, as hosts do.
export async function rangeOf(response, range) {
  const [, first, last] = /^bytes=(\d*)-(\d*)$/.exec(range) || [];
  if (!first && !last) return response;
  const body = await response.blob();
  const { size, type } = body;
  const from = first ? +first : Math.max(size - last, 0);
  const to = first && last ? Math.min(+last, size - 1) : size - 1;
  const headers = new Headers(response.headers);
  if (from > to) {
    headers.set('content-range', `bytes */${size}`);
    return new Response(null, { status: 416, headers });
  }
  headers.set('content-range', `bytes ${from}-${to}/${size}`);
  headers.set('content-length', to - from + 1);
  return new Response(body.slice(from, to + 1, type), { status: 206, headers });
}
