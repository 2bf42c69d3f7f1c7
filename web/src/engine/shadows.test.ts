import { describe, expect, it } from "vitest";
import type { Level } from "../api/client";
import { apply } from "../model/apply";
import { holds, mostShadows, shadowBodies, shadowRows } from "./shadows";

const empty = { lights: [], solids: [], meshes: [] } as unknown as Level;
const withLight = (values: object) => apply(empty, { op: "add", part: "lights", entity: { id: "a", ...values } });

/** Which of some points lie in the shadow body of one light. */
function inside(values: object, points: number[][]): boolean[] {
  const { count, values: rows } = shadowBodies(withLight(values));
  expect(count).toBe(1);
  return points.map((p) => holds(rows.subarray(0, shadowRows * 4), p));
}

describe("shadow bodies", () => {
  it("of a point light is a ball, as far as its range or its shadow's reach", () => {
    expect(inside({ kind: "point", range_m: 3 }, [[2.9, 0, 0], [3.1, 0, 0]])).toEqual([true, false]);
    expect(inside({ kind: "point", range_m: 3, shadows: { reach_m: 2 } }, [[1.9, 0, 0], [2.1, 0, 0]])).toEqual([true, false]);
  });
  it("of a spot is its cone along -Z", () => {
    const tan = Math.tan((30 * Math.PI) / 180);
    expect(inside({ kind: "spot", range_m: 10, outer_deg: 30 }, [[2 * tan - 0.01, 0, -2], [2 * tan + 0.01, 0, -2], [0, 0, 1]])).toEqual([true, false, false]);
  });
  it("of a dome and a rect is half a ball, of a tube a capsule, of a box a prism", () => {
    expect(inside({ kind: "dome", range_m: 3 }, [[0, 0, -1], [0, 0, 1]])).toEqual([true, false]);
    expect(inside({ kind: "tube", range_m: 1, length_m: 4 }, [[2.9, 0, 0], [3.1, 0, 0], [1, 0.9, 0], [1, 1.1, 0]])).toEqual([true, false, true, false]);
    expect(inside({ kind: "box", range_m: 5, width_m: 2, height_m: 4 }, [[0.9, 1.9, -4.9], [1.1, 0, -1], [0, 2.1, -1], [0, 0, -5.1]])).toEqual([true, false, false, false]);
  });
  it("of the sun has no end; a lamp that is off or casts none has no body", () => {
    expect(inside({ kind: "directional" }, [[1e5, 0, 0]])).toEqual([true]);
    expect(shadowBodies(withLight({ kind: "point", shadows: { cast: false } })).count).toBe(0);
    expect(shadowBodies(withLight({ kind: "point", enabled: false })).count).toBe(0);
    const many = { ...empty, lights: Array.from({ length: 600 }, () => withLight({ kind: "point" }).lights[0]!) } as Level;
    expect(shadowBodies(many).count).toBe(mostShadows);
  });
});
