// What scripts use and is not there: the browser notes it for the page or the worker, with the place in the script.

import { Error } from './primordials.js';
import { stackOf } from './errors.js';
import { own } from './settings.js';

export const gap = (what) => host('gap', what, stackOf(new Error()), false);
// The same for what is answered with something that may not matter: the page is opened once more with another answer, and if it then
// draws and asks for the same, nothing is lacking.
export const doubtful = (what) => host('gap', what, stackOf(new Error()), true);
// Whether this is the run with other answers.
export const answersOtherwise = () => Boolean(own.otherwise);
