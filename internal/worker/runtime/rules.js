import { RULES } from './settings.js';
import { matches } from './matches.js';

//! The first rule that matches decides.
export const ruleFor = (url, request) =>
  RULES.find(
    (rule) =>
      //? methods
      (rule.method || 'GET') === request.method &&
      //?
      //? destinations
      (rule.destination ?? request.destination) === request.destination &&
      //?
      matches(rule, url),
  );
