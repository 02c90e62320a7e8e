import { stop } from './off.js';

//! Made by tachyform for development: nothing is registered, and what was is taken away.
if (navigator.serviceWorker) stop().catch((error) => console.warn(error));
