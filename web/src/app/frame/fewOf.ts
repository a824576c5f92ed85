/** Of very many so many are shown, those that hold what is looked for. */
export const MOST = 60;

/** All of a list, or of a long one the first that hold every word of what is looked for. */
export function fewOf<One>(list: readonly One[], query: string, textOf: (one: One) => string): readonly One[] {
  if (list.length <= MOST) return list;
  const words = query.toLowerCase().split(/\s+/).filter(Boolean);
  const found: One[] = [];
  for (const one of list) {
    const text = textOf(one).toLowerCase();
    if (words.every((word) => text.includes(word))) found.push(one);
    if (found.length === MOST) break;
  }
  return found;
}
