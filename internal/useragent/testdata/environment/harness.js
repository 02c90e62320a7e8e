// What the test files beside this one are written with. Each runs as the script of a worker; its tests run one after the other while the
// worker is installed, and what fails is told on the console.
const tests = [];
const test = (name, run) => tests.push({ name, run });
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
addEventListener('install', (e) => e.waitUntil((async () => {
  for (const { name, run } of tests) {
    try {
      await run();
    } catch (error) {
      console.error(`FAILED ${name}: ${error?.message ?? error}`);
    }
  }
  console.log(`RAN ${tests.length}`);
})()));
