import { expect, it } from "vitest";
import { ticksUpTo } from "./ticks";

it("ticks are round, and within", () => {
  expect(ticksUpTo(12, 4)).toEqual([0, 5, 10]);
  expect(ticksUpTo(0.37, 4)).toEqual([0, 0.1, 0.2, 0.3]);
  expect(ticksUpTo(800, 8)).toEqual([0, 100, 200, 300, 400, 500, 600, 700, 800]);
});
