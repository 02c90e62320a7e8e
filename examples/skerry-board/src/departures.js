import { data, part } from './part.js';

export const title = () => 'Departures';

export async function draw() {
  const list = await data('departures');
  return part('main', {}, part('h1', {}, 'Departures'),
    part('ol', {}, ...list.map((d) => part('li', {}, `${d.at} ${d.to}, `, part('a', { href: `/berths/${d.berth}` }, `berth ${d.berth}`)))),
    part('p', {}, part('a', { href: '/about' }, 'About this board')));
}
