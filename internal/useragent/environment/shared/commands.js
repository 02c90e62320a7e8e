// What the browser calls, by name; each module adds its own commands.

export const commands = { __proto__: null };
// What realms of one engine know of this one. The one that runs is that of the task, or of what it calls in another at once.
export const side = { global, id: 0 };
export function runCommand(op, a, b, c, d, e) {
  const before = kin.running;
  const within = kin.busy;
  kin.running = side;
  kin.busy = true;
  try {
    return commands[op](a, b, c, d, e);
  } finally {
    // What waits in the queue of microtasks belongs to the task.
    if (within) kin.running = before;
    kin.busy = within;
  }
}
