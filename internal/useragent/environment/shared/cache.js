// Service Workers, 5: Cache and CacheStorage.

import { ofHeaders } from './headers.js';
import { TypeError, allOf, forScripts, freeze, isA, saved, toJSON } from './primordials.js';
import { MAKE, gives, onlyHere, publish } from './webidl.js';
import { DOMException } from './domexception.js';
import { call, callFor, rejecting } from './host.js';
import { baseURL, own } from './settings.js';
import { AbortController, AbortSignal, isAborted, reasonOf } from './abort.js';
import { parsedURL } from './url.js';
import { bodyOf, fetchSignal, isUnusable } from './body.js';
import { Request, requestFrom, requestJSON } from './request.js';
import { Response, answerJSON, responseFrom, responseState } from './response.js';
import { performFetch } from './fetch.js';
import { nameFromHost, nameToHost } from './names.js';

const cacheName = new WeakMap(); // Cache → its number at the host; it goes on working when the name is deleted
const asRequest = (input) => (isA(input, Request) ? input : new Request(input));
const NO_OPTIONS = toJSON({ ignoreSearch: false, ignoreMethod: false, ignoreVary: false, cacheName: '', hasName: false });
const optionsJSON = (o = undefined, one = false) => {
  if (o === undefined || o === null) return NO_OPTIONS;
  const options = o ?? {};
  const name = one ? undefined : options.cacheName;
  return toJSON({ ignoreSearch: Boolean(options.ignoreSearch), ignoreMethod: Boolean(options.ignoreMethod), ignoreVary: Boolean(options.ignoreVary), cacheName: name === undefined ? '' : nameToHost(`${name}`), hasName: name !== undefined });
};
// A request as the host takes it, from a request or an address.
function wanted(input) {
  if (isA(input, Request)) return requestJSON(input);
  const parts = parsedURL(`${input}`, baseURL());
  if (!parts) throw new TypeError(`Invalid URL: ${input}`);
  if (parts[3] || parts[4]) throw new TypeError('the address of a request holds no name or password');
  return toJSON({ url: parts[0], method: 'GET', headers: [] });
}
const ofRequest = saved(Request, 'url', 'method', 'headers', 'signal');
const ofResponse = saved(Response, 'type', 'ok', 'status', 'headers');
const addressOf = (request) => ofRequest.url(request).split('#')[0];
const isHTTP = (url) => /^https?:/.test(url);

class Cache {
  constructor(key = undefined) {
    onlyHere(key);
  }
  match(request, options = {}) {
    try {
      if (arguments.length === 0) throw new TypeError('match takes a request');
      return callFor(foundResponse, 'cache.match', cacheName.get(this), wanted(request), optionsJSON(options, true));
    } catch (error) {
      return rejecting(error);
    }
  }
  async matchAll(request = undefined, options = {}) {
    const json = request === undefined ? '' : wanted(request);
    return forScripts(freeze((await call('cache.matchAll', cacheName.get(this), json, optionsJSON(options, true))).map((r) => responseFrom(r))));
  }
  async add(request) {
    if (arguments.length === 0) throw new TypeError('add takes a request');
    return this.addAll([request]);
  }
  async addAll(requests) {
    if (arguments.length === 0) throw new TypeError('addAll takes a list of requests');
    const list = [...requests].map(asRequest);
    for (const r of list) {
      if (!isHTTP(ofRequest.url(r))) throw new TypeError(`${ofRequest.url(r)} is not an http address`);
      if (ofRequest.method(r) !== 'GET') throw new TypeError('only GET requests can be stored');
    }
    const controller = new AbortController();
    const aborted = list.map((r) => ofRequest.signal(r)).find(isAborted);
    if (aborted) throw reasonOf(aborted);
    let answers;
    try {
      answers = await allOf(
        list.map(async (request) => {
          const response = await performFetch(request, { signal: AbortSignal.any([controller.signal, ofRequest.signal(request)]) }, 1);
          const [type, status] = [ofResponse.type(response), ofResponse.status(response)];
          if (type === 'error' || (type !== 'opaque' && !ofResponse.ok(response)) || status === 206 || responseState.get(response).partial) throw new TypeError(`${ofRequest.url(request)} answered with status ${status} and cannot be stored`);
          if (varyAll(response)) throw new TypeError(`${ofRequest.url(request)} answered with Vary: * and cannot be stored`);
          return { request, response };
        }),
      );
    } catch (error) {
      controller.abort();
      throw error;
    }
    const seen = [];
    for (const { request, response } of answers) {
      const vary = (ofHeaders.get(ofResponse.headers(response), 'vary') || '').split(',').map((f) => f.trim()).filter(Boolean);
      if (seen.some((r) => addressOf(r) === addressOf(request) && vary.every((f) => ofHeaders.get(ofRequest.headers(r), f) === ofHeaders.get(ofRequest.headers(request), f)))) throw new DOMException(`${ofRequest.url(request)} stands in the list twice`, 'InvalidStateError');
      seen.push(request);
    }
    for (const { request, response } of answers) await call('cache.put', cacheName.get(this), requestJSON(request), await answerJSON(response));
  }
  async put(request, response) {
    if (arguments.length < 2) throw new TypeError('put takes a request and a response');
    const r = asRequest(request);
    if (!isHTTP(ofRequest.url(r))) throw new TypeError(`${ofRequest.url(r)} is not an http address`);
    if (ofRequest.method(r) !== 'GET') throw new TypeError('only GET requests can be stored');
    if (!isA(response, Response)) throw new TypeError('put takes a response');
    if (ofResponse.status(response) === 206) throw new TypeError('partial answers (status 206) cannot be stored');
    if (varyAll(response)) throw new TypeError('answers with Vary: * cannot be stored');
    if (isUnusable(bodyOf.get(response))) throw new TypeError('the body of the response was read already');
    const signal = fetchSignal.get(response);
    const json = await answerJSON(response);
    if (isAborted(signal)) throw reasonOf(signal);
    await call('cache.put', cacheName.get(this), requestJSON(r), json);
  }
  async delete(request, options = {}) {
    if (arguments.length === 0) throw new TypeError('delete takes a request');
    return call('cache.delete', cacheName.get(this), wanted(request), optionsJSON(options, true));
  }
  async keys(request = undefined, options = {}) {
    const json = request === undefined ? '' : wanted(request);
    return forScripts(freeze((await call('cache.keys', cacheName.get(this), json, optionsJSON(options, true))).map((r) => requestFrom(r, 'request'))));
  }
}
const varyAll = (response) => (ofHeaders.get(ofResponse.headers(response), 'vary') || '').split(',').some((f) => f.trim() === '*');

const foundResponse = (found) => (found ? responseFrom(found, own.lacks?.includes('immutable copies') ? 'response' : 'immutable') : undefined);
function openedCache(id) {
  const cache = new Cache(MAKE);
  cacheName.set(cache, id);
  return cache;
}
class CacheStorage {
  constructor(key = undefined) {
    onlyHere(key);
  }
  open(name) {
    try {
      if (arguments.length === 0) throw new TypeError('open takes a name');
      return callFor(openedCache, 'caches.open', nameToHost(`${name}`));
    } catch (error) {
      return rejecting(error);
    }
  }
  async has(name) {
    if (arguments.length === 0) throw new TypeError('has takes a name');
    return call('caches.has', nameToHost(`${name}`));
  }
  async delete(name) {
    if (arguments.length === 0) throw new TypeError('delete takes a name');
    return call('caches.delete', nameToHost(`${name}`));
  }
  async keys() {
    return forScripts((await call('caches.keys')).map(nameFromHost));
  }
  match(request, options = {}) {
    try {
      if (arguments.length === 0) throw new TypeError('match takes a request');
      return callFor(foundResponse, 'caches.match', '', wanted(request), optionsJSON(options));
    } catch (error) {
      return rejecting(error);
    }
  }
}
gives(Cache, 'match');
gives(CacheStorage, 'match', 'open');
publish(Cache, CacheStorage);
export const cachesObject = new CacheStorage(MAKE);
