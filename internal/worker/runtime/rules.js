import { RULES } from './settings.js';

//! The first rule that matches decides.
export function ruleFor(url, request) {
  return RULES.find(
    (rule) =>
      //? other-origins
      (rule.origin ? rule.origin.test(url.origin) : url.origin === self.location.origin) &&
      //?
      //? !other-origins
      url.origin === self.location.origin &&
      //?
      (!rule.path || rule.path.test(url.pathname)) &&
      (!rule.search || rule.search.test(url.search.slice(1))) &&
      (!rule.destination || rule.destination === request.destination),
  );
}
