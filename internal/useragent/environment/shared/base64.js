// HTML, 8.3: btoa and atob (Infra: forgiving base64).

import { expose } from './webidl.js';
import { hostError } from './host.js';

function convert(operation, data) {
  const text = `${data}`;
  try {
    return host(operation, text);
  } catch (error) {
    throw hostError(error.message);
  }
}
export const btoa = (data) => convert('btoa', data);
export const atob = (data) => convert('atob', data);
expose('btoa', { btoa(data) {
  return convert('btoa', data);
} }.btoa);
expose('atob', { atob(data) {
  return convert('atob', data);
} }.atob);
