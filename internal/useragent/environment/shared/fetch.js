// Fetch, 5.6: the method fetch.

import { TypeError, firstOf, quietly, then } from './primordials.js';
import { call } from './host.js';
import { isAborted, onAbort, reasonOf } from './abort.js';
import { deferred, errorStream, stateOfStream } from './readablestream.js';
import { bodyOf, fetchSignal } from './body.js';
import { Request, requestJSON, requestState, sendableRequest } from './request.js';
import { responseFrom } from './response.js';

const arriving = (response) => {
  const body = bodyOf.get(response);
  if (body) body.arrives = true;
  return response;
};
export async function performFetch(input, init, count) {
  if (count === 0) throw new TypeError('fetch takes an address or a request');
  const known = init === undefined ? requestState.get(input) : undefined;
  // Of a request as it is, without a body or a signal, nothing else that can be seen is made.
  if (known && known.signal === null && known.cache !== 'only-if-cached' && !bodyOf.get(input)) return arriving(responseFrom(await call('fetch', requestJSON(input, 0, ''))));
  const request = new Request(input, init);
  const { signal } = requestState.get(request);
  if (isAborted(signal)) {
    const { stream } = bodyOf.get(request) ?? {};
    if (stream) quietly(stream.cancel(reasonOf(signal)));
    throw reasonOf(signal);
  }
  const from = requestState.get(input);
  if (from && from.mode === 'navigate' && init === undefined) requestState.get(request).mode = 'navigate';
  const body = bodyOf.get(request);
  const answer = body ? then(sendableRequest(request), (json) => call('fetch', json)) : call('fetch', requestJSON(request));
  if (!signal) return arriving(responseFrom(await answer));
  const canceled = deferred();
  onAbort(signal, canceled.reject);
  const response = arriving(responseFrom(await firstOf([answer, canceled.promise])));
  // What is not read yet when the fetch is aborted is lost.
  fetchSignal.set(response, signal);
  onAbort(signal, (reason) => {
    const stream = bodyOf.get(response)?.stream;
    if (stream) errorStream(stateOfStream(stream), reason);
  });
  return response;
}
