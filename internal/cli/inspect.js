// The state of the site in a real browser, as JSON: (origin, most) => text. It is '' on pages of other origins.
async (origin, most) => {
  if (location.origin !== origin) return '';
  const local = (url) => (url.startsWith(origin) ? url.slice(origin.length) : url).replace(/\?tachyform=[0-9A-Za-z+/*~]+/, '');
  const workers = [];
  const notifications = [];
  for (const r of (await navigator.serviceWorker?.getRegistrations()) ?? []) {
    for (const kind of ['installing', 'waiting', 'active'])
      if (r[kind]) workers.push({ script: local(r[kind].scriptURL), scope: local(r.scope), state: kind === 'active' ? r.active.state : kind });
    if (r.getNotifications) for (const n of await r.getNotifications()) notifications.push(n.title);
  }
  const list = [];
  for (const name of await caches.keys()) {
    const cache = await caches.open(name);
    const keys = await cache.keys();
    const entries = [];
    let bytes = 0;
    for (const key of keys.slice(0, 1000)) {
      const response = await cache.match(key, { ignoreVary: true });
      if (!response) continue;
      const size = (await response.blob()).size;
      bytes += size;
      const date = Date.parse(response.headers.get('date') ?? '');
      // Minutes are exact enough, and the state changes less often.
      if (entries.length < most) entries.push({ url: local(key.url), bytes: size, age: Number.isNaN(date) ? -1 : Math.max(0, Math.floor((Date.now() - date) / 60000) * 60) });
    }
    list.push({ name, count: keys.length, bytes, entries });
  }
  const page = performance.getEntriesByType('navigation')[0];
  const answers = [page, ...performance.getEntriesByType('resource')].filter(Boolean).slice(-50).map((e) => `${local(e.name)}  ${e.workerStart > 0 ? 'by the worker' : 'without the worker'}, ${e.transferSize} B transferred`);
  return JSON.stringify({ workers, caches: list, notifications, answers, console: [] });
}
