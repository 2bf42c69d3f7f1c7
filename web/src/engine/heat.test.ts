import { expect, test } from "vitest";
import { bandOf, heatSquares } from "./heat";

test("brightness goes up the scale in bands of a factor of two", () => {
  expect(bandOf(0)).toBeCloseTo(0.5 / 12);
  expect(bandOf(0.2)).toBeCloseTo(0.5 / 12); // from an eighth to a quarter
  expect(bandOf(0.3)).toBeCloseTo(1.5 / 12);
  expect(bandOf(100)).toBeCloseTo(9.5 / 12); // from 64 to 128
  expect(bandOf(1e9)).toBeCloseTo(11.5 / 12);
});

test("a square lies flat around its middle, just over the floor, and says whether it is too dark", () => {
  const { position, value, index } = heatSquares([{ zone: "hall", play: "compete", asked_lux: 5, side_m: 0.5, squares: [[1, 2, 3, 4], [1.5, 2, 3, 6]] }]);
  expect(position.length).toBe(24);
  expect([...index]).toEqual([0, 1, 2, 0, 2, 3, 4, 5, 6, 4, 6, 7]);
  const xs = [0, 1, 2, 3].map((k) => position[3 * k]!);
  expect(Math.max(...xs) + Math.min(...xs)).toBeCloseTo(2);
  expect(Math.max(...xs) - Math.min(...xs)).toBeLessThan(0.5);
  expect(position[1]).toBeGreaterThan(2);
  expect([value[1], value[9]]).toEqual([1, 0]);
});
