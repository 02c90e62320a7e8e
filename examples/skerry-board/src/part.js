// part makes an element with attributes and children.
export function part(name, attributes, ...children) {
  const element = document.createElement(name);
  for (const [key, value] of Object.entries(attributes)) element.setAttribute(key, value);
  element.append(...children);
  return element;
}

// data fetches what the board shows.
export async function data(name) {
  const answer = await fetch(`/data/${name}.json`);
  if (!answer.ok) throw new Error(`${name}: ${answer.status}`);
  return answer.json();
}
