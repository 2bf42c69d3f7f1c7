import { Vector3 } from "three";
import { describe, expect, it } from "vitest";
import type { Level } from "../api/client";
import { changeBetween, unchanged } from "./moved";

const upright = [0, 0, 0, 1];
const body = (id: string, fields: object = {}) => ({ id, enabled: true, size: [1, 1, 1], transform: { position: [0, 0, 0], rotation: upright }, ...fields });
const level = (solids: object[], meshes: object[] = []) => ({ solids, meshes, lights: [], glows: [], fog_volumes: [], beams: [], motes: [], viewpoints: [], paths: [], probes: [], reflections: [] }) as unknown as Level;
const brought = (before: Level, now: Level, id: string, at: [number, number, number]) => new Vector3(...at).applyMatrix4(changeBetween(before, now).moved.find((m) => m.id === id)!.matrix).toArray();

describe("what changed of blocks and meshes", () => {
  it("is nothing for the same blocks, however they came", () => {
    expect(changeBetween(level([body("a")]), level([body("a")]))).toBe(unchanged);
  });

  it("moves, turns and grows a block about its middle", () => {
    const before = level([body("a", { transform: { position: [1, 0, 0], rotation: upright } })]);
    const quarter = [0, Math.SQRT1_2, 0, Math.SQRT1_2]; // about Y: X goes to -Z
    const now = level([body("a", { size: [4, 1, 1], transform: { position: [5, 2, 0], rotation: quarter } })]);
    const end = brought(before, now, "a", [1.5, 0, 0]); // half a metre along its X
    [5, 2, -2].forEach((v, i) => expect(end[i]).toBeCloseTo(v, 9));
  });

  it("scales a mesh along its own axes", () => {
    const mesh = (scale?: number[]) => ({ ...body("m"), size: undefined, scale, transform: { position: [0, 1, 0], rotation: upright } });
    expect(brought(level([], [mesh()]), level([], [mesh([1, 3, 1])]), "m", [2, 2, 0])).toEqual([2, 4, 0]);
  });

  it("takes along what a moved block carries", () => {
    const carried = body("b", { parent: "a", transform: { position: [0, 1, 0], rotation: upright } });
    const before = level([body("a"), carried]);
    const now = level([body("a", { transform: { position: [3, 0, 0], rotation: upright } }), carried]);
    expect(brought(before, now, "b", [0, 1, 0])).toEqual([3, 1, 0]);
  });

  it("names what was deleted or switched off", () => {
    const before = level([body("a"), body("b"), body("off", { enabled: false })]);
    expect(changeBetween(before, level([body("b", { enabled: false })])).gone).toEqual(["a", "b"]);
  });
});
