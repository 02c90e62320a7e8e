// Runs the snippets while the worker is installed and keeps what came of each: a value, or the name of what was thrown.
const said = (v) => v === undefined ? 'undefined' : typeof v === 'bigint' || typeof v === 'function' ? String(v) : v instanceof Response ? 'a response' : v;
addEventListener('install', (e) => e.waitUntil((async () => {
  const all = [];
  for (const run of SNIPPETS) {
    let came;
    try {
      came = { gives: said(await Promise.race([run(), new Promise((ok) => setTimeout(() => ok('nothing in three seconds'), 3000))])) };
    } catch (error) {
      came = { throws: error?.name ?? String(error) };
    }
    all.push([String(run), JSON.stringify(came)]);
  }
  await (await caches.open('what came of it')).put('/what-came-of-it', new Response(JSON.stringify(all)));
})()));
