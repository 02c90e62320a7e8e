import { nextAfter, row } from './clock.js';

const [sailings, tides] = await Promise.all([
  fetch('/data/sailings.json').then((answer) => answer.json()),
  fetch('/data/tides.json').then((answer) => answer.json()),
]);

const board = document.querySelector('[data-sailings]');
if (board) {
  board.innerHTML = `<p>As of ${sailings.updated}</p><table>` + sailings.sailings.map((s) => row([s.time, s.from, s.to, s.state])).join('') + '</table>';
}
const next = document.querySelector('[data-next]');
if (next) {
  const s = nextAfter(sailings.sailings, new Date());
  const [time, height] = tides.piers.Skerra[0];
  next.innerHTML = `<h2>Next boat from Skerra</h2><p>${s.time} to ${s.to}, ${s.state}. High water ${time}, ${height} m.</p>`;
}
const table = document.querySelector('[data-tides]');
if (table) {
  table.innerHTML = '<table>' + Object.entries(tides.piers).map(([pier, days]) => row([pier, days[0][0], `${days[0][1]} m`])).join('') + '</table>';
}
