// What the test files beside this one are written with. Each runs as the script of a worker; its tests run one after the other while the
// worker is installed, and what fails is told on the console.
const HERE = location.origin;
const tests = [];
const test = (name, run) => tests.push({ name, run });
// What needs an active worker.
const activeTests = [];
const whenActive = (name, run) => activeTests.push({ name, run });
// What a real browser on this machine alone cannot be asked: other origins, permissions.
const REAL = location.hostname === '127.0.0.1';
const here = (name, run) => REAL || test(name, run);
const hereWhenActive = (name, run) => REAL || whenActive(name, run);
const streamOf = (...values) => new ReadableStream({ start(c) { for (const v of values) c.enqueue(v); c.close(); } });
const shownValue = (v) => {
  if (typeof v === 'string') return JSON.stringify(v);
  if (v instanceof Error || v instanceof DOMException) return `${v.name}: ${v.message}`;
  if (ArrayBuffer.isView(v)) return `${v.constructor.name}[${Array.from(v)}]`;
  if (typeof v === 'object' && v !== null) return JSON.stringify(v);
  return String(v);
};
function is(got, want, what = '') {
  const a = shownValue(got);
  const b = shownValue(want);
  if (!Object.is(got, want) && (typeof want !== 'object' || a !== b)) throw new Error(`${what} expected ${b}, got ${a}`);
}
const yes = (got, what = '') => is(Boolean(got), true, what);
function throws(name, run, what = '') {
  try {
    run();
  } catch (error) {
    return is(error.name, name, what);
  }
  throw new Error(`${what} expected ${name}, nothing was thrown`);
}
async function rejects(name, promise, what = '') {
  let value;
  try {
    value = await promise;
  } catch (error) {
    return is(error.name, name, what);
  }
  throw new Error(`${what} expected ${name}, got ${shownValue(value)}`);
}
const later = (ms) => new Promise((ok) => setTimeout(ok, ms));
const failed = [];
async function runAll(list) {
  for (const { name, run } of list) {
    try {
      await run();
    } catch (error) {
      failed.push(`${name}: ${error?.message ?? error}`);
      console.error(`FAILED ${failed.at(-1)}`);
    }
  }
}
addEventListener('install', (e) => e.waitUntil(runAll(tests)));
addEventListener('activate', (e) => e.waitUntil((async () => {
  await runAll(activeTests);
  // A real browser is asked for this; see TestEnvironmentInChromium.
  await (await caches.open('what came of it')).put('/what-came-of-it', new Response(JSON.stringify({ ran: tests.length + activeTests.length, failed })));
  console.log(`RAN ${tests.length + activeTests.length}`);
})()));
