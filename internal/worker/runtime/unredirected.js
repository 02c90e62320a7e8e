//! A response that followed a redirect may not answer a page load; a plain copy may.
export async function unredirected(response) {
  if (!response.redirected) return response;
  const { status, statusText, headers } = response;
  return new Response(await response.blob(), { status, statusText, headers });
}
