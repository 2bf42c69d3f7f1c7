import { describe, expect, it } from "vitest";
import { Backs } from "./backs";

// Two triangles each: the corners of a box of 1 m, and of one beside it at x = 3.
const corners = (x: number) => [x, 0, 0, x + 1, 0, 0, x + 1, 1, 0, x, 0, 1, x + 1, 0, 1, x + 1, 1, 1];
const positions = [...corners(0), ...corners(3)];
const backs = new Backs([{ id: "crate", first: 0, count: 6, closed: true }, { id: "sheet", first: 6, count: 6, closed: false }], positions);

describe("backs", () => {
  it("are seen from inside a closed thing, and from so near that it is cut away", () => {
    expect(backs.areSeenFrom({ x: 0.5, y: 0.5, z: 0.5 })).toBe(true);
    expect(backs.areSeenFrom({ x: 1.05, y: 0.5, z: 0.5 })).toBe(true);
  });

  it("are not seen from outside", () => {
    expect(backs.areSeenFrom({ x: 1.2, y: 0.5, z: 0.5 })).toBe(false);
    expect(backs.areSeenFrom({ x: 0.5, y: 0.5, z: -0.2 })).toBe(false);
  });

  it("of what is open do not count: they are drawn from everywhere", () => {
    expect(backs.areSeenFrom({ x: 3.5, y: 0.5, z: 0.5 })).toBe(false);
  });
});
