// What a probe gives, as a text that is the same in every browser. Loaded before the probes of a file.
var answers = {};
var waiting = [];
function told(value, depth = 0) {
  if (value === null || value === undefined) return String(value);
  if (typeof value === 'string') return JSON.stringify(value);
  if (typeof value === 'function') return `function ${value.name}`;
  if (typeof value === 'symbol') return value.toString();
  if (typeof value !== 'object') return Object.is(value, -0) ? '-0' : String(value);
  if (depth > 3) return '…';
  if (Array.isArray(value)) return `[${value.map((v) => told(v, depth + 1)).join(', ')}]`;
  if (value instanceof Error || value instanceof DOMException) return `error ${value.name}`;
  if (value instanceof Node) return `${value.constructor.name} ${value.nodeName}`;
  if (Object.getPrototypeOf(value) === Object.prototype || Object.getPrototypeOf(value) === null) return `{${Object.keys(value).map((k) => `${k}: ${told(value[k], depth + 1)}`).join(', ')}}`;
  return Object.prototype.toString.call(value);
}
function probe(name, run) {
  const keep = (text) => {
    answers[name] = text;
  };
  let result;
  try {
    result = run();
  } catch (e) {
    return keep(`throws ${e.name}`);
  }
  // What never comes is told, so that it holds nothing else up.
  const late = new Promise((done) => setTimeout(() => done('never'), 4000));
  if (result instanceof Promise) waiting.push(Promise.race([result.then(told, (e) => `rejects with ${told(e)}`), late]).then(keep));
  else keep(told(result));
}
// An element with its content, standing in the page.
function place(html) {
  const root = document.createElement('div');
  root.innerHTML = html;
  document.body.append(root);
  return root;
}
const soon = (ms = 0) => new Promise((done) => setTimeout(done, ms));
addEventListener('load', async () => {
  for (let n = -1; n !== waiting.length; ) {
    n = waiting.length;
    await Promise.all(waiting);
  }
  window.allAnswers = JSON.stringify(answers);
  console.log(`ANSWERS${window.allAnswers}`);
});
