import './board.css';

// Which view draws which addresses; each comes when it is first wanted.
const views = [
  [/^\/$/, () => import('./departures.js')],
  [/^\/berths\/(\w+)$/, () => import('./berth.js')],
  [/^\/about$/, () => import('./about.js')],
];

const root = document.getElementById('root');

async function show() {
  for (const [pattern, load] of views) {
    const match = pattern.exec(location.pathname);
    if (!match) continue;
    const view = await load();
    document.title = `${view.title(match[1])} · Skerry Line board`;
    root.replaceChildren(await view.draw(match[1]));
    return;
  }
  document.title = 'Nothing here · Skerry Line board';
  root.textContent = 'There is no such board.';
}

addEventListener('click', (event) => {
  const link = event.target.closest('a[href^="/"]');
  if (!link || event.ctrlKey || event.metaKey) return;
  event.preventDefault();
  history.pushState(null, '', link.href);
  show();
});
addEventListener('popstate', show);
show();
