import { describe, expect, it } from "vitest";
import type { Level } from "../api/client";
import { apply } from "../model/apply";
import { typedAfter } from "../model/typed";
import { alongLine, faceAlong, handlesFor, onPlane, type Drag, type Ray, type Sight } from "./handles";

const empty = {
  images: [], materials: [], zones: [], solids: [], geometries: [], meshes: [], rigs: [], lights: [], glows: [], fog_volumes: [], beams: [], motes: [], viewpoints: [], paths: [], probes: [], reflections: [], mixes: [], profiles: [], imports: [],
} as unknown as Level;
const add = (l: Level, part: string, entity: Record<string, unknown>) => apply(l, { op: "add", part: part as "lights", entity });

// An eye at (0, 0, 10) that looks along -z; pointer rays are parallel, so that a point of the
// screen is x and y in metres.
const sight: Sight = { armM: () => 1, toward: () => [0, 0, -1], cast: () => null };
const at = (x: number, y: number): Ray => ({ origin: [x, y, 10], direction: [0, 0, -1] });
const drag = (from: Ray, to: Ray, more: Partial<Drag> = {}): Drag => ({ from, ray: to, hit: null, snapM: 0, ...more });
const handle = (l: Level, id: string, name: string, s = sight) => handlesFor(l, [id], s, false).find((h) => h.id === name)!;

describe("lines and planes", () => {
  it("are met where one points", () => {
    expect(alongLine([0, 0, 0], [1, 0, 0], at(3, 2))).toBeCloseTo(3);
    expect(alongLine([0, 0, 0], [0, 0, 1], at(3, 2))).toBeNull();
    expect(onPlane([0, 0, 2], [0, 0, 1], at(3, 2))).toEqual([3, 2, 2]);
    expect(onPlane([0, 0, 20], [0, 0, 1], at(3, 2))).toBeNull(); // behind
  });
});

describe("handles of a light", () => {
  const level = add(empty, "lights", { id: "l", kind: "spot", inner_deg: 20, outer_deg: 40, range_m: 5, transform: { position: [1, 2, 0], rotation: [-Math.SQRT1_2, 0, 0, Math.SQRT1_2] } });

  it("move it across the view, on the grid", () => {
    const moved = handle(level, "l", "move").drag(drag(at(1, 2), at(1.52, 2.99), { snapM: 0.25 }))!;
    expect(moved.op).toMatchObject({ op: "set", id: "l", fields: { "transform.position": [1.5, 3, 0] } });
  });
  it("move it along one axis only", () => {
    expect(handle(level, "l", "move-x").drag(drag(at(2, 2), at(2.5, 7)))!.op.fields).toEqual({ "transform.position": [1.5, 2, 0] });
  });
  it("aim it at the spot under the pointer", () => {
    const op = handle(level, "l", "aim").drag(drag(at(1, 0), at(4, 2), { hit: { point: [4, 2, 0], normal: [0, 1, 0] } }))!.op;
    const next = apply(level, op);
    // It looks along +x now: a quarter turn to the right about the upright.
    expect(next.lights[0]!.transform.rotation.map((x) => Number(x.toFixed(3)))).toEqual([0, -0.707, 0, 0.707]);
  });
  it("open its cone by as much as one pulls, never inside out", () => {
    const h = handle(level, "l", "outer_deg");
    // Straight below, pulled out to 45 degrees from 40: by five.
    const from = at(h.at[0], h.at[1]);
    const angle = Math.atan2(Math.abs(h.at[0] - 1), 2 - h.at[1]);
    expect((angle * 180) / Math.PI).toBeCloseTo(40);
    const away = Math.sign(h.at[0] - 1);
    expect(h.drag(drag(from, at(1 + away, 1)))!.op.fields).toEqual({ outer_deg: 45 });
    expect(h.drag(drag(from, at(1, 1)))!.op.fields).toEqual({ outer_deg: 20 });
  });
  it("stretch its range", () => {
    const h = handle(level, "l", "range_m");
    expect(h.at).toEqual([1, -3, 0].map((x) => expect.closeTo(x)));
    expect(h.drag(drag(at(1, -3), at(1, -5)))!.op.fields).toEqual({ range_m: 7 });
    expect(h.drag(drag(at(1, -3), at(1, 9)))!.op.fields).toEqual({ range_m: 0.05 });
  });
});

describe("a number that is typed while dragging", () => {
  const level = add(empty, "lights", { id: "l", kind: "spot", inner_deg: 20, outer_deg: 40, range_m: 5, transform: { position: [1, 2, 0], rotation: [-Math.SQRT1_2, 0, 0, Math.SQRT1_2] } });
  const typed = (name: string, n: number, l = level, id = "l") => handle(l, id, name).drag(drag(at(1, 2), at(1.3, 2.2), { typed: n, snapM: 0.25 }))!.op.fields;
  it("is what the handle becomes", () => {
    expect(typed("move-x", 0.37)).toEqual({ "transform.position": [1.37, 2, 0] });
    expect(typed("range_m", 3.3)).toEqual({ range_m: 3.3 });
    expect(typed("outer_deg", 33.3)).toEqual({ outer_deg: 33.3 });
    expect(typed("outer_deg", 10)).toEqual({ outer_deg: 20 });
  });
  it("sizes boxes", () => {
    const box = add(empty, "solids", { id: "s", size: [2, 2, 2], transform: { position: [0, 1, 0] } });
    expect(typed("side +x", 3.5, box, "s")).toMatchObject({ size: [3.5, 2, 2], "transform.position": [0.75, 1, 0] });
  });
  it("is read key by key", () => {
    const after = (keys: string) => [...keys].reduce<string>((s, k) => typedAfter(s, k === "<" ? "Backspace" : k) ?? `${s}?`, "");
    expect([after("2.50"), after("1,5"), after("3-"), after("3--"), after("12<4"), after("1..5")]).toEqual(["2.50", "1.5", "-3", "3", "14", "1.?5"]);
  });
});

describe("handles of boxes", () => {
  const level = add(empty, "solids", { id: "s", size: [2, 2, 2], transform: { position: [0, 1, 0] } });
  it("pull one side and leave the other", () => {
    const next = apply(level, handle(level, "s", "side +x").drag(drag(at(1, 1), at(2, 1)))!.op).solids[0]!;
    expect(next.size).toEqual([3, 2, 2]);
    expect(next.transform.position).toEqual([0.5, 1, 0]);
  });
  it("do not turn a side inside out", () => {
    expect((handle(level, "s", "side +x").drag(drag(at(1, 1), at(-9, 1)))!.op.fields as { size: number[] }).size[0]).toBe(0.01);
  });
  it("belong to zones too", () => {
    const l = add(empty, "zones", { id: "z", boxes: [{ min: [0, 0, 0], max: [2, 2, 2] }] });
    const op = handle(l, "z", "side 0 max 0").drag(drag(at(2, 1), at(5, 1)))!.op;
    expect(apply(l, op).zones[0]!.boxes[0]!.max).toEqual([5, 2, 2]);
  });
  it("name the face that looks along a direction, also of what is turned", () => {
    expect(faceAlong(level, level.solids[0]!, [0, 1, 0])).toBe(2);
    const turned = add(empty, "solids", { id: "t", size: [1, 1, 1], transform: { position: [0, 0, 0], rotation: [0, Math.SQRT1_2, 0, Math.SQRT1_2] } });
    expect(faceAlong(turned, turned.solids[0]!, [0, 0, -1])).toBe(0);
    expect(faceAlong(level, level.solids[0]!, [0.7, 0.7, 0])).toBeNull();
  });
});

describe("handles of several things", () => {
  const level = add(add(empty, "lights", { id: "a", transform: { position: [0, 0, 0] } }), "glows", { id: "b", transform: { position: [1, 0, 0] } });
  it("only move, and move all", () => {
    const all = handlesFor(level, ["a", "b"], sight, false);
    expect(all.map((h) => h.id)).toEqual(["move", "move-x", "move-y", "move-z"]);
    const op = all[1]!.drag(drag(at(0, 0), at(2, 0)))!.op;
    const next = apply(level, op);
    expect([next.lights[0]!.transform.position, next.glows[0]!.transform.position]).toEqual([[2, 0, 0], [3, 0, 0]]);
  });
});
