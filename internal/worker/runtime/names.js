import { SCOPE } from './settings.js';

//! Names of this worker's own stores; the scope keeps two apps on one origin apart.
export const OWN = `tachyform ${SCOPE} `;
export const STORE = OWN + 'pack';
