// Encoding, 9 to 14: what bytes stand for in each encoding, whole tables told by their sums.
const decoded = (label, bytes, options) => new TextDecoder(label, { ignoreBOM: true, ...options }).decode(new Uint8Array(bytes));
const points = (text) => [...text].map((c) => c.codePointAt(0).toString(16)).join(' ');
// FNV-1a over code points.
function sum(texts) {
  let h = 0x811c9dc5;
  for (const text of texts)
    for (const c of `${text}|`) h = Math.imul(h ^ c.codePointAt(0), 0x01000193) >>> 0;
  return h.toString(16);
}
const SINGLE = 'ibm866 iso-8859-2 iso-8859-3 iso-8859-4 iso-8859-5 iso-8859-6 iso-8859-7 iso-8859-8 iso-8859-8-i iso-8859-10 iso-8859-13 iso-8859-14 iso-8859-15 iso-8859-16 koi8-r koi8-u macintosh windows-874 windows-1250 windows-1251 windows-1252 windows-1253 windows-1254 windows-1255 windows-1256 windows-1257 windows-1258 x-mac-cyrillic x-user-defined'.split(' ');
const all = Array.from({ length: 256 }, (_, i) => i);
for (const label of SINGLE) probe(`the table of ${label}`, () => sum(all.map((b) => decoded(label, [b]))));
for (const label of ['gbk', 'gb18030', 'big5', 'euc-jp', 'shift_jis', 'euc-kr', 'iso-2022-jp'])
  // Some rows of pairs, each with its sum, so that a difference has a place.
  probe(`pairs of ${label}`, () => all.filter((lead) => lead > 127 && lead % 8 === 1 || lead === 0x1b || lead === 0xfe).map((lead) => sum([decoded(label, all.flatMap((trail) => [lead, trail, 0x41]))])).join());
for (const [label, ...lists] of [
  ['gb18030', [0x81, 0x30, 0x81, 0x30], [0x84, 0x31, 0xa4, 0x37], [0x90, 0x30, 0x81, 0x30], [0xe3, 0x32, 0x9a, 0x35], [0xe3, 0x32, 0x9a, 0x36], [0x81, 0x30, 0x41], [0x81, 0x30, 0x81, 0x41], [0x81, 0x30], [0x81], [0xff, 0x41], [0x80]],
  ['euc-jp', [0x8f, 0xa2, 0xb7], [0x8f, 0xa2, 0x41], [0x8f, 0x41], [0x8f, 0xa2], [0x8f], [0x8e, 0xa1], [0x8e, 0xe0], [0xa0, 0x41]],
  ['iso-2022-jp', [0x1b, 0x24, 0x42, 0x30, 0x21], [0x1b, 0x24, 0x42, 0x30, 0x1b, 0x28, 0x42, 0x41], [0x1b, 0x24, 0x42, 0x1b, 0x28, 0x42], [0x1b, 0x28, 0x4a, 0x5c, 0x7e], [0x1b, 0x28, 0x49, 0x31], [0x1b, 0x24], [0x1b], [0x0e, 0x41], [0x80]],
  ['utf-16le', [0x41, 0], [0x3d, 0xd8, 0, 0xde], [0x3d, 0xd8, 0x41, 0], [0x3d, 0xd8, 0x41], [0x3d, 0xd8], [0, 0xde], [0x41], [0xff, 0xfe, 0x41, 0]],
  ['utf-16be', [0, 0x41], [0xd8, 0x3d, 0xde, 0], [0xd8, 0x3d, 0, 0x41], [0xd8, 0x3d, 0]],
  ['big5', [0x88, 0x62], [0x88, 0xa5], [0xfe, 0x7f], [0x81, 0x41]],
])
  probe(`sequences of ${label}`, () => lists.map((bytes) => points(decoded(label, bytes))));
for (const label of ['gb18030', 'euc-jp', 'iso-2022-jp', 'shift_jis', 'utf-16le'])
  probe(`${label} in parts`, () => {
    const bytes = [0x81, 0x30, 0x81, 0x30, 0x8f, 0xa2, 0xb7, 0x1b, 0x24, 0x42, 0x30, 0x21, 0x3d, 0xd8, 0, 0xde, 0x1b];
    const d = new TextDecoder(label);
    return points(bytes.map((b) => d.decode(new Uint8Array([b]), { stream: true })).join('') + d.decode());
  });
probe('what is wrong in a fatal one', () => decoded('shift_jis', [0x81, 0x20], { fatal: true }));
probe('nothing wrong in a fatal one', () => decoded('shift_jis', [0x82, 0xa0], { fatal: true }));
for (const label of ['replacement', 'iso-2022-kr', 'utf-32', 'UTF-7', ' latin1 ', 'x-sjis', 'unicode', 'utf-16', 'csisolatin1', 'gb2312', 'big5-hkscs'])
  probe(`the label ${label}`, () => new TextDecoder(label).encoding);
