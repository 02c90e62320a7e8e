import { part } from './part.js';

export const title = () => 'About';

export async function draw() {
  return part('main', {}, part('h1', {}, 'About this board'), part('p', {}, 'It hangs at every pier of the Orrin Isles and goes on when the mast on Calder is down.'),
    part('p', {}, part('a', { href: '/' }, 'All departures')));
}
