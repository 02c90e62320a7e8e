// What the browser calls, by name; each module adds its own commands.

export const commands = { __proto__: null };
export function dispatch(op, a, b, c, d) {
  return commands[op](a, b, c, d);
}
