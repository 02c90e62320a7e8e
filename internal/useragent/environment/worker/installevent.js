// Service Workers, 4.5: InstallEvent and the static routes that it adds.

import { TypeError, isA, toJSON } from '../shared/primordials.js';
import { must, publish } from '../shared/webidl.js';
import { hostError } from '../shared/host.js';
import { own } from '../shared/settings.js';
import { PATTERN_PARTS } from '../shared/urlpattern.js';
import { nameToHost } from '../shared/names.js';
import { ExtendableEvent } from './extendableevent.js';

const ROUTE_SOURCES = ['network', 'cache', 'fetch-event', 'race-network-and-fetch-handler'];
const CONDITIONS = ['urlPattern', 'requestMethod', 'requestMode', 'requestDestination', 'runningStatus', 'or', 'not'];
function routeCondition(c, depth = 0) {
  if (typeof c !== 'object' || c === null || depth > 10) throw new TypeError('a route needs a condition');
  const out = {};
  for (const key of CONDITIONS) if (c[key] !== undefined) out[key] = c[key];
  if (!Object.keys(out).length) throw new TypeError('a route needs a condition');
  if ((out.or || out.not) && Object.keys(out).length > 1) throw new TypeError('or and not stand alone in a condition');
  if (out.urlPattern !== undefined) {
    const pattern = isA(out.urlPattern, global.URLPattern) ? out.urlPattern : typeof out.urlPattern === 'string' ? new global.URLPattern(out.urlPattern, own.script) : new global.URLPattern({ baseURL: own.script, ...out.urlPattern });
    if (pattern.hasRegExpGroups) throw new TypeError('the URL pattern of a route may hold no regular expression');
    out.urlPattern = Object.fromEntries(PATTERN_PARTS.map((part) => [part, pattern[part]]));
  }
  if (out.or) out.or = [...out.or].map((x) => routeCondition(x, depth + 1));
  if (out.not) out.not = routeCondition(out.not, depth + 1);
  return out;
}
export class InstallEvent extends ExtendableEvent {
  constructor(type, init = {}) {
    super(type, init);
  }
  async addRoutes(rules) {
    must(arguments, 1);
    const list = (Array.isArray(rules) ? rules : [rules]).map((rule) => {
      const { source } = rule;
      const named = typeof source === 'object' && source !== null;
      if (!named && !ROUTE_SOURCES.includes(source)) throw new TypeError(`"${source}" is no source of a route`);
      return { condition: routeCondition(rule.condition), source: named ? 'cache' : source, cacheName: named ? nameToHost(`${source.cacheName}`) : null };
    });
    try {
      host('routes', toJSON(list));
    } catch (error) {
      throw hostError(error.message);
    }
  }
}
publish(InstallEvent);
