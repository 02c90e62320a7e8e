// How errors are told to the developer.

export function describe(error) {
  if (error !== null && typeof error === 'object' && 'message' in error) return `${error.name || 'Error'}: ${error.message}`;
  try {
    return String(error);
  } catch {
    return 'an object that cannot be shown';
  }
}
export const nameOf = (error) => (error !== null && typeof error === 'object' && typeof error.name === 'string' ? error.name : '');
export const stackOf = (error) => (error !== null && typeof error === 'object' && typeof error.stack === 'string' ? error.stack : '');
