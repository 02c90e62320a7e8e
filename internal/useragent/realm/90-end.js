// What the language had built in before any script ran.
const builtIn = [];
for (const [name, holder] of [['Array', Array], ['Map', Map], ['Set', Set], ['WeakMap', WeakMap], ['String', String], ['RegExp', RegExp], ['Function', Function], ['Object', Object], ['Promise', Promise], ['Uint8Array', getPrototypeOf(Uint8Array)]]) {
  const { prototype } = holder;
  for (const key of Reflect.ownKeys(prototype)) {
    const d = Reflect.getOwnPropertyDescriptor(prototype, key);
    if (typeof d.value === 'function' && key !== 'constructor') builtIn.push([`${name}.prototype.${String(key)}`, prototype, key, d.value]);
  }
}
const lookUp = Reflect.getOwnPropertyDescriptor;
// Names of what scripts have put something else in the place of, as far as it can break what is said here.
commands.replaced = () => {
  let names = '';
  let n = 0;
  for (let i = 0; i < builtIn.length; i++) {
    const entry = builtIn[i];
    if (lookUp(entry[1], entry[2])?.value !== entry[3] && n++ < 3) names = names ? `${names}, ${entry[0]}` : entry[0];
  }
  return n > 3 ? `${names} and ${n - 3} more` : names;
};
