//! Patterns of the project file, as regular expressions on the parts of a URL.
export const matches = (pattern, url) =>
  //? other-origins
  (pattern.origin ? pattern.origin.test(url.origin) : url.origin === self.location.origin) &&
  //?
  //? !other-origins
  url.origin === self.location.origin &&
  //?
  (!pattern.path || pattern.path.test(url.pathname)) &&
  (!pattern.search || pattern.search.test(url.search.slice(1)));
