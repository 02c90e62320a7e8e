//! A browser may keep nothing for this site, as in some private windows; then the network answers as if there were no worker.
export async function openCache(name) {
  try {
    return await caches.open(name);
  } catch (error) {
    console.warn('Nothing can be kept here:', error);
  }
}
