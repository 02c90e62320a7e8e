// URLs, their parameters and patterns.
test('parts of an address', () => {
  const u = new URL('https://me:pw@line.example:8443/tides/skerra.html?day=3&x#now');
  is([u.protocol, u.username, u.password, u.host, u.hostname, u.port], ['https:', 'me', 'pw', 'line.example:8443', 'line.example', '8443']);
  is([u.pathname, u.search, u.hash, u.origin], ['/tides/skerra.html', '?day=3&x', '#now', 'https://line.example:8443']);
  is(String(u), u.href);
  is(JSON.stringify({ u }), `{"u":"${u.href}"}`);
});

test('addresses are made plain', () => {
  for (const [text, want] of [
    ['HTTPS://Line.EXAMPLE:443/a/../b/./c', 'https://line.example/b/c'],
    ['https://line.example/ä b"<>`', 'https://line.example/%C3%A4%20b%22%3C%3E%60'],
    ['https://line.example?a b#c d', 'https://line.example/?a%20b#c%20d'],
    ['http://0x7f.1/', 'http://127.0.0.1/'],
    ['https:\\\\line.example\\a', 'https://line.example/a'],
    ['  https://line.example/\n', 'https://line.example/'],
    ['https://münchen.example/', 'https://xn--mnchen-3ya.example/'],
    ['data:text/plain,a b', 'data:text/plain,a b'],
  ]) is(new URL(text).href, want);
  for (const bad of ['', 'tides', '//line.example', 'https://', 'https://line.example:99999/', 'http://[::1', 'https://%zz/']) throws('TypeError', () => new URL(bad), bad);
});

test('addresses are read against others', () => {
  const base = 'https://line.example/a/b/c?q#f';
  for (const [text, want] of [['d', '/a/b/d'], ['./d', '/a/b/d'], ['../d', '/a/d'], ['../../../d', '/d'], ['/d', '/d'], ['?x', '/a/b/c?x'], ['#x', '/a/b/c?q#x'], ['', '/a/b/c?q']]) is(new URL(text, base).href, 'https://line.example' + want, text);
  is(new URL('//other.example/x', base).href, 'https://other.example/x');
  is(URL.canParse('x', base), true);
  is(URL.canParse('x'), false);
  is(URL.parse('x'), null);
  is(URL.parse('x', base).pathname, '/a/b/x');
});

test('parts can be changed', () => {
  const u = new URL('https://line.example/a');
  u.pathname = 'b c';
  u.search = 'x=1';
  u.hash = 'h';
  u.port = '8080';
  is(u.href, 'https://line.example:8080/b%20c?x=1#h');
  u.port = '443';
  u.hash = '';
  u.protocol = 'ftp';
  is(u.href, 'ftp://line.example/b%20c?x=1');
  u.host = 'other.example:1';
  is(u.host, 'other.example:1');
  u.href = 'https://line.example/';
  is(u.href, 'https://line.example/');
  throws('TypeError', () => { u.href = 'no address'; });
  is(u.href, 'https://line.example/');
});

test('parameters are a list', () => {
  const p = new URLSearchParams('?a=1&b=2&a=3&c&d=%20+');
  is(p.get('a'), '1');
  is(p.getAll('a'), ['1', '3']);
  is([p.get('c'), p.get('d'), p.get('e')], ['', '  ', null]);
  is(p.size, 5);
  yes(p.has('a', '3'));
  yes(!p.has('a', '2'));
  p.append('e', 'é&=');
  p.delete('a', '1');
  p.set('b', 'x');
  is(p.toString(), 'b=x&a=3&c=&d=++&e=%C3%A9%26%3D');
  p.sort();
  is([...p.keys()], ['a', 'b', 'c', 'd', 'e']);
  is([...p].length, 5);
  const seen = [];
  p.forEach(function (value, key, list) { seen.push(key + value); yes(list === p); yes(this.me); }, { me: true });
  is(seen[0], 'a3');
});

test('parameters come from lists, objects and others', () => {
  is(new URLSearchParams([['a', 1], ['b', 2]]).toString(), 'a=1&b=2');
  is(new URLSearchParams({ a: 1, b: 'x y' }).toString(), 'a=1&b=x+y');
  is(new URLSearchParams(new Map([['k', 'v']])).toString(), 'k=v');
  is(new URLSearchParams(new URLSearchParams('z=1')).toString(), 'z=1');
  throws('TypeError', () => new URLSearchParams([['a']]));
  is(new URLSearchParams('a=%zz').get('a'), '%zz');
});

test('the parameters of an address go with it', () => {
  const u = new URL('https://line.example/?a=1');
  u.searchParams.append('b', '2');
  is(u.search, '?a=1&b=2');
  u.search = '?c=3';
  is(u.searchParams.get('c'), '3');
  yes(u.searchParams === u.searchParams);
  u.searchParams.delete('c');
  is(u.href, 'https://line.example/');
});

test('patterns match parts of addresses', () => {
  const p = new URLPattern({ pathname: '/tides/:pier/:day(\\d+)?' });
  yes(p.test('https://line.example/tides/skerra'));
  yes(p.test('https://line.example/tides/skerra/12'));
  yes(!p.test('https://line.example/tides/skerra/monday'));
  yes(!p.test('https://line.example/tides'));
  const m = p.exec('https://line.example/tides/calder/7?x');
  is(m.pathname.groups.pier, 'calder');
  is(m.pathname.groups.day, '7');
  is(m.search.input, 'x');
  is(p.exec('https://line.example/'), null);
  is(p.pathname, '/tides/:pier/:day(\\d+)?');
});

test('patterns from text, with a base', () => {
  const p = new URLPattern('/assets/*.{png,jpg}'.replace('{png,jpg}', 'png'), 'https://line.example');
  yes(p.test('https://line.example/assets/a/b.png'));
  yes(!p.test('https://other.example/assets/a.png'));
  is(p.hostname, 'line.example');
  is(new URLPattern('https://*.example/x').exec('https://line.example/x').hostname.groups[0], 'line');
  yes(new URLPattern({ search: 'a=*' }).test({ search: 'a=1' }));
  yes(new URLPattern({ pathname: '/A' }, { ignoreCase: true }).test({ pathname: '/a' }));
  throws('TypeError', () => new URLPattern('(('));
  throws('TypeError', () => new URLPattern('/relative'));
});

test('patterns hold regular expressions of the language', () => {
  const groups = (pathname, path, options) => new URLPattern({ pathname }, options).exec({ pathname: path })?.pathname.groups ?? null;
  for (const [pattern, path, want] of [
    ['/((?!api/).*)', '/tides/skerra', { 0: 'tides/skerra' }],
    ['/((?!api/).*)', '/api/tides', null],
    ['/(a|b)/\\1(c)', '/a/1c', { 0: 'a', 1: 'c' }],
    ['/:pier?', '', { pier: undefined }],
    ['/tides/*?', '/tides/', { 0: '' }],
    ['/{tides-:day}+', '/tides-1tides-2', { day: '1tides-2' }],
    ['/:all+', '/a/b/c', { all: 'a/b/c' }],
    ['{/a.b-c}?/d', '/a.b-c/d', {}],
    ['/([[a-z]--[aeiou]])', '/e', null],
    ['/([a-z]-\\d)', '/a-1', { 0: 'a-1' }],
  ]) is(groups(pattern, path), want, pattern);
  is(groups('/:pier', '/a/b'), null);
  is(groups('/Q(r)', '/qR', { ignoreCase: true }), { 0: 'R' });
  is(new URLPattern({ pathname: '/(\\d+)' }).pathname, '/(\\d+)');
  yes(new URLPattern({ pathname: '/(\\d+)' }).hasRegExpGroups);
  yes(!new URLPattern({ pathname: '/(.*)/:a' }).hasRegExpGroups);
  for (const bad of ['/(?<x>a)', '/(a', '/([)', '/()', '/(é)']) throws('TypeError', () => new URLPattern({ pathname: bad }), bad);
  is(new URLPattern('https://{:port.}?line.example/*').exec('https://line.example/x').hostname.groups, { port: undefined });
});
