// Marks on the screen that would lie over each other become one.

export type Mark = { at: { x: number; y: number } | null; alone: boolean };
export type Spot = { x: number; y: number; first: number; count: number };

/** Puts marks that are nearer than mergePx along both axes to an earlier one's spot there. `of` is the spot of each mark,
 *  -1 for one that is not on the screen. Marks that stay alone have a spot of their own, which others may join. */
export function clusters(marks: readonly Mark[], mergePx: number): { shown: Spot[]; of: number[] } {
  const shown: Spot[] = [];
  const cells = new Map<string, number[]>(); // spots by square of the screen
  const of = marks.map(({ at, alone }, i) => {
    if (!at) return -1;
    const [cx, cy] = [Math.floor(at.x / mergePx), Math.floor(at.y / mergePx)];
    let near = -1;
    for (let k = 0; k < 9 && !alone; k++) {
      for (const s of cells.get(`${cx - 1 + (k % 3)} ${cy - 1 + Math.floor(k / 3)}`) ?? []) {
        const o = shown[s]!;
        if (Math.abs(o.x - at.x) < mergePx && Math.abs(o.y - at.y) < mergePx && (near < 0 || s < near)) near = s;
      }
    }
    if (near >= 0) {
      shown[near]!.count++;
      return near;
    }
    const key = `${cx} ${cy}`;
    cells.set(key, [...(cells.get(key) ?? []), shown.length]);
    return shown.push({ ...at, first: i, count: 1 }) - 1;
  });
  return { shown, of };
}
