import { expect, test } from "vitest";
import { clusters, type Mark, type Spot } from "./clusters";

const mark = (x: number, y: number, alone = false): Mark => ({ at: { x, y }, alone });

test("marks that lie over each other become one with a number", () => {
  const { shown, of } = clusters([mark(10, 10), mark(100, 10), mark(18, 12), { at: null, alone: false }, mark(14, 10, true)], 16);
  expect(shown.map((s) => [s.first, s.count])).toEqual([[0, 2], [1, 1], [4, 1]]);
  expect(of).toEqual([0, 1, 0, -1, 2]);
});

test("it is as looking through all earlier spots", () => {
  let seed = 7;
  const random = () => (seed = (seed * 1103515245 + 12345) % 2147483648) / 2147483648;
  const marks = Array.from({ length: 800 }, () => mark(random() * 500, random() * 300, random() < 0.05));
  const slow: Spot[] = [];
  for (const [i, { at, alone }] of marks.entries()) {
    const near = alone ? undefined : slow.find((o) => Math.abs(o.x - at!.x) < 16 && Math.abs(o.y - at!.y) < 16);
    if (near) near.count++;
    else slow.push({ ...at!, first: i, count: 1 });
  }
  expect(clusters(marks, 16).shown).toEqual(slow);
});
