import { expect, it } from "vitest";
import { placesBefore } from "./standin";

it("gives vertices the light of the same thing before, and none to what is new or has another shape", () => {
  const at = (...places: number[][]) => new Float32Array(places.flat());
  const before = { texels: at([1, 2, 0], [3, 4, 0], [5, 6, 1], [7, 8, 1]), ranges: [{ id: "crate", first: 0, count: 2 }, { id: "wall", first: 2, count: 2 }] };
  const now = { texels: new Float32Array(3 * 6), ranges: [{ id: "new", first: 0, count: 1 }, { id: "wall", first: 1, count: 2 }, { id: "crate", first: 3, count: 3 }] };
  expect([...placesBefore(before, now)]).toEqual([0, 0, -1, 5, 6, 1, 7, 8, 1, 0, 0, -1, 0, 0, -1, 0, 0, -1]);
});
