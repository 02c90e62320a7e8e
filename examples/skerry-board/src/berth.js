import { data, part } from './part.js';

export const title = (berth) => `Berth ${berth}`;

export async function draw(berth) {
  const place = (await data('berths'))[berth];
  if (!place) return part('main', {}, part('h1', {}, `Berth ${berth}`), part('p', {}, 'There is no such berth.'));
  return part('main', {}, part('h1', {}, `Berth ${berth}`), part('p', {}, place.where),
    part('img', { src: `/pictures/${place.picture}`, alt: '', width: 320, height: 120 }), part('p', {}, part('a', { href: '/' }, 'All departures')));
}
