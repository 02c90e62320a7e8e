// The first sailing after a time of day, or the first of all when the last has gone.
export function nextAfter(list, now) {
  const clock = String(now.getHours()).padStart(2, '0') + ':' + String(now.getMinutes()).padStart(2, '0');
  return list.find((s) => s.time > clock) ?? list[0];
}

export const row = (cells) => '<tr>' + cells.map((c) => `<td>${c}</td>`).join('') + '</tr>';
