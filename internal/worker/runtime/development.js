import { unregister } from './unregister.js';

//! Made by tachyform for development: nothing is registered, and what was is taken away.
if (navigator.serviceWorker) unregister().catch((error) => console.warn(error));
