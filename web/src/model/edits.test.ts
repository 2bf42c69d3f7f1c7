import { describe, expect, it } from "vitest";
import type { Level } from "../api/client";
import { apply } from "./apply";
import { aim, atEachAlike, clipOf, duplicate, fixtureOf, mirror, move, opening, paste, placed, readClip, removal, renamed, repeat, setEach, withGeometries } from "./edits";
import { alike, search } from "./find";
import { indexOf, rangeOf, rowsOf } from "./outline";
import { colorWords, kelvinHex, thingsOf } from "./things";
import { forwardOf, poseOf } from "./world";

const empty = {
  images: [], materials: [], zones: [], solids: [], geometries: [], meshes: [], rigs: [], lights: [], glows: [], fog_volumes: [], beams: [], motes: [], viewpoints: [], paths: [], probes: [], reflections: [], mixes: [], profiles: [], imports: [],
} as unknown as Level;
const put = (l: Level, part: string, entity: Record<string, unknown>) => apply(l, { op: "add", part: part as "lights", entity });
const at = (x: number, y: number, z: number) => ({ transform: { position: [x, y, z] } });
const ids = (l: Level) => [...thingsOf(l).keys()];

/** A room with a lamp that a rig keys, its glow, and a wall. */
function room(): Level {
  let l = put(empty, "rigs", { id: "brass", name: "Brass lamp", key_color: "#ff8800" });
  l = put(l, "zones", { id: "hall", name: "Hall", boxes: [{ min: [-5, 0, -5], max: [5, 4, 5] }] });
  l = put(l, "solids", { id: "wall", name: "Wall", size: [4, 3, 0.2], ...at(0, 1.5, -2) });
  l = put(l, "lights", { id: "lamp", name: "Lamp 1", rig: "brass", strength: 40, ...at(1, 2, 0) });
  return put(l, "glows", { id: "glow", color_from: "lamp", rig: "brass", ...at(1, 2, 0) });
}

describe("names", () => {
  const names = (l: Level) => l.lights.map((x) => x.name ?? "");
  const three = () => put(put(room(), "lights", { id: "b", name: "Old" }), "lights", { id: "a", name: "Older" });

  it("one thing gets the name as it is", () => {
    expect(names(apply(room(), renamed(room(), ["lamp"], "Sconce")!))).toEqual(["Sconce"]);
    expect(renamed(room(), ["lamp"], "Lamp 1")).toBeNull();
    expect(renamed(room(), [], "Sconce")).toBeNull();
  });
  it("several get numbers in the order of the level, whatever they were picked in", () => {
    expect(names(apply(three(), renamed(three(), ["a", "lamp", "b"], "Sconce")!))).toEqual(["Sconce 1", "Sconce 2", "Sconce 3"]);
  });
  it("no name leaves the id", () => {
    const l = apply(room(), renamed(room(), ["lamp"], "")!);
    expect(thingsOf(l).get("lamp")!.name).toBe("lamp");
  });
  it("a side of a block stands in the row of its block", () => {
    const rows = rowsOf(room(), "", ["blocks"], {}, new Set());
    expect(indexOf(rows, "wall#3")).toBe(indexOf(rows, "wall"));
    expect(indexOf(rows, "wall")).toBeGreaterThanOrEqual(0);
    expect(indexOf(rows, "lamp")).toBe(-1);
  });
});

describe("copies", () => {
  it("keep what they refer to among themselves, and get new ids and names", () => {
    const made = duplicate(room(), ["lamp", "glow"], [0.5, 0, 0])!;
    const l = apply(room(), made.op);
    expect(made.ids).toEqual(["lamp-2", "glow-2"]);
    expect(l.glows[1]).toMatchObject({ color_from: "lamp-2", rig: "brass", transform: { position: [1.5, 2, 0] } });
    expect(l.lights[1]!.name).toBe("Lamp 2");
    expect(l.rigs).toHaveLength(1);
  });
  it("bring their rig to a level without it, and let go of what is not there", () => {
    const clip = clipOf(room(), ["glow"])!;
    const l = apply(empty, paste(empty, readClip(JSON.stringify(clip))!, [0, 0, 0]).op);
    expect(l.rigs.map((r) => r.id)).toEqual(["brass"]);
    expect(l.glows[0]).toMatchObject({ rig: "brass" });
    expect(l.glows[0]).not.toHaveProperty("color_from");
    expect(readClip("{}")).toBeNull();
    expect(readClip("no json")).toBeNull();
  });
  it("stand in rows and grids, and on the other side of a mirror", () => {
    const l = apply(room(), repeat(room(), ["lamp"], [3, 1, 2], [2, 0, 1])!.op);
    expect(l.lights.map((x) => x.transform.position.join())).toEqual(["1,2,0", "1,2,1", "3,2,0", "3,2,1", "5,2,0", "5,2,1"]);
    const turned = apply(room(), aim(room(), "lamp", [5, 2, 0])!);
    const m = apply(turned, mirror(turned, ["lamp"], 0, 0)!.op).lights[1]!;
    expect(m.transform.position).toEqual([-1, 2, 0]);
    expect(forwardOf(m.transform.rotation)[0]).toBeCloseTo(-1);
  });
});

describe("moving", () => {
  it("takes zones by their boxes and leaves what is carried to its carrier", () => {
    let l = put(room(), "lights", { id: "child", parent: "wall", ...at(0, 0, 1) });
    expect(poseOf(l, l.lights[1]! as never).position).toEqual([0, 1.5, -1]);
    l = apply(l, move(l, ["hall", "wall", "child"], [1, 0, 0])!);
    expect(l.zones[0]!.boxes[0]!.min).toEqual([-4, 0, -5]);
    expect(l.lights[1]!.transform.position).toEqual([0, 0, 1]);
    expect(poseOf(l, l.lights[1]! as never).position).toEqual([1, 1.5, -1]);
  });
  it("sets each from its own value, and removes", () => {
    const l = put(room(), "lights", { id: "b", strength: 10 });
    const next = apply(l, setEach(l, ["lamp", "b"], "strength", (v) => (v as number) * 2)!);
    expect(next.lights.map((x) => x.strength)).toEqual([80, 20]);
    expect(ids(apply(l, removal(l, ["b", "wall#2"])!))).toEqual(["lamp", "glow", "hall", "brass"]);
    expect(removal(l, [])).toBeNull();
  });
});

describe("fixtures", () => {
  const sconces = () => {
    let l = room();
    for (let i = 0; i < 4; i++) l = put(l, "solids", { id: `sconce-${i}`, size: [0.1, 0.2, 0.1], transform: { position: [i, 2, -3], rotation: i === 3 ? [0, Math.SQRT1_2, 0, Math.SQRT1_2] : [0, 0, 0, 1] } });
    return put(l, "lights", { id: "s", kind: "spot", ...at(0, 2, -2.8) });
  };
  it("that look alike each get one, turned as they are, and only where there is none", () => {
    const l = sconces();
    expect(fixtureOf(l, "s")).toBe("sconce-0");
    expect(alike(l, "sconce-0", "shape")).toEqual(["sconce-0", "sconce-1", "sconce-2", "sconce-3"]);
    const next = apply(l, atEachAlike(l, ["s"], "sconce-0")!.op);
    expect(next.lights.slice(2).map((x) => x.transform.position)).toEqual([[1, 2, -2.8], [2, 2, -2.8], [3.2, 2, -3]]);
    expect(atEachAlike(next, ["s"], "sconce-0")).toBeNull();
  });
});

describe("openings", () => {
  it("leave the four pieces round them, of the wall's own volume less the hole's", () => {
    const made = opening(room(), "wall", [0.5, 1.6, -1.9], [0, 0, 1], 1, 1.2)!;
    const l = apply(room(), made.op);
    expect(l.solids).toHaveLength(4);
    const volume = l.solids.reduce((sum, s) => sum + s.size![0]! * s.size![1]! * s.size![2]!, 0);
    expect(volume).toBeCloseTo((4 * 3 - 1 * 1.2) * 0.2, 6);
    // Nothing of the wall is left in the hole.
    const covers = (p: number[]) => l.solids.some((s) => s.transform.position.every((c, i) => Math.abs(p[i]! - c) < s.size![i]! / 2));
    expect(covers([0.5, 1.6, -2])).toBe(false);
    expect(covers([0.5, 0.5, -2])).toBe(true);
    expect(covers([-1, 1.6, -2])).toBe(true);
  });
  it("down to the floor are doors", () => {
    expect(opening(room(), "wall", [0, 0.9, -1.9], [0, 0, 1], 1, 2.1)!.ids).toHaveLength(3);
  });
  it("need a box that is larger", () => {
    expect(opening(room(), "lamp", [0, 0, 0], [0, 0, 1], 1, 1)).toBeNull();
    expect(opening(room(), "wall", [0, 1.5, -1.9], [0, 0, 1], 9, 9)).toBeNull();
  });
});

describe("placing", () => {
  it("stands off the surface and looks away from it", () => {
    const l = apply(room(), placed(room(), { part: "lights", kind: "spot" }, [0, 3, 0], [0, -1, 0]).op);
    const light = l.lights[1]!;
    expect(light).toMatchObject({ id: "spot-light", name: "Spot light", kind: "spot", transform: { position: [0, 2.88, 0] } });
    expect(forwardOf(light.transform.rotation)[1]).toBeCloseTo(-1);
  });
  it("puts a volume of fog and motes on what they are placed on, with a size that can be outlined before", () => {
    const fog = (normal: number[]) => apply(room(), placed(room(), { part: "fog_volumes", kind: "fog" }, [0, 0, 0], normal).op).fog_volumes[0]!;
    expect(fog([0, 1, 0])).toMatchObject({ size: [4, 2, 4], transform: { position: [0, 1, 0] } });
    expect(fog([1, 0, 0]).transform.position).toEqual([2, 0, 0]);
  });
  it("puts a block on the floor, and makes wedges and cylinders closed", () => {
    expect(apply(room(), placed(room(), { part: "solids", kind: "box" }, [1, 0, 1], [0, 1, 0]).op).solids[1]!.transform.position).toEqual([1, 0.5, 1]);
    for (const kind of ["wedge", "cylinder"]) {
      const s = apply(room(), placed(room(), { part: "solids", kind }, [0, 0, 0], [0, 1, 0]).op).solids[1]!;
      for (const p of s.planes!) expect(Math.hypot(...p.normal)).toBeCloseTo(1);
      for (const i of [0, 1, 2]) expect(s.planes!.some((p) => p.normal[i]! > 0.5) && s.planes!.some((p) => p.normal[i]! < -0.5)).toBe(true);
    }
  });
});

describe("placing water", () => {
  const place = (l: Level) => apply(l, placed(l, { part: "solids", kind: "water" }, [0, 0, 0], [0, 1, 0]).op);
  it("brings a material of its own, once", () => {
    const twice = place(place(room()));
    const waters = twice.materials.filter((m) => m.water);
    expect(waters).toHaveLength(1);
    expect(twice.solids.slice(-2).map((s) => s.surface.material)).toEqual([waters[0]!.id, waters[0]!.id]);
    expect(twice.solids.at(-1)!.size).toEqual([3, 1, 3]);
  });
});

describe("finding", () => {
  it("goes by all words: names, zones, colours, states", () => {
    const l = put(room(), "lights", { id: "cold", kelvin: 9000, strength: 3, enabled: false, ...at(20, 0, 0) });
    const found = (q: string) => search(l, q).map((t) => t.id);
    expect(found("warm light")).toEqual(["lamp"]);
    expect(found("warm, in hall -glow")).toEqual(["lamp"]);
    expect(found("warm lights")).toEqual(["lamp"]);
    expect(found("the warm and orange lights")).toEqual(["lamp"]);
    expect(found("off")).toEqual(["cold"]);
    expect(found("cool dim")).toEqual(["cold"]);
    expect(found("9")).toEqual([]); // digits of a colour are not words
    expect(found("orange")).toEqual(["lamp", "glow"]);
    expect(found("brass lamp glow")).toEqual(["glow"]);
    expect(search(l, "finding", new Set(["wall"])).map((t) => t.id)).toEqual(["wall"]);
    expect(found("nothing like it")).toEqual([]);
    const m = put(put(l, "lights", { id: "plain", shadows: { cast: false } }), "lights", { id: "onion", enabled: false });
    expect(search(m, "shadow").map((t) => t.id)).toEqual(["lamp", "cold", "onion"]);
    expect(search(m, "shadowless").map((t) => t.id)).toEqual(["plain"]);
    expect(search(m, "lights with shadows -off").map((t) => t.id)).toEqual(["lamp"]);
    expect(search(m, "on light").map((t) => t.id)).toEqual(["lamp", "plain"]);
    expect(search(m, "onion").map((t) => t.id)).toEqual(["onion"]);
  });
  it("names colours", () => {
    expect(colorWords("#ff0000")).toEqual(["red", "warm"]);
    expect(colorWords("#2040ff")).toEqual(["blue", "cool"]);
    expect(colorWords("#ffffff")).toEqual(["white", "neutral"]);
    expect(colorWords("#201408")).toContain("dark");
    const [r, , b] = [1, 3, 5].map((i) => parseInt(kelvinHex(2700).slice(i, i + 2), 16)) as [number, number, number];
    expect(r).toBe(255);
    expect(b).toBeLessThan(160);
    expect(kelvinHex(6504).toLowerCase()).toMatch(/^#f[a-f0-9]f[a-f0-9]f[a-f0-9]$/); // about D65, which is white
  });
  it("lists rows by zone, blocks only where they are asked for", () => {
    const rows = (q: string, on: never[] = [], closed = {}) => rowsOf(room(), q, on, closed, new Set(["wall"])).map((r) => (r.is === "zone" ? `[${r.name}]` : r.thing.id));
    expect(rows("")).toEqual(["[Hall]", "lamp", "glow", "[Whole level]", "hall", "brass"]);
    expect(rows("", ["blocks"] as never[])).toEqual(["[Hall]", "wall"]);
    expect(rows("", ["findings"] as never[])).toEqual(["[Hall]", "wall"]);
    expect(rows("wall")).toEqual(["[Hall]", "wall"]);
    expect(rows("", [], { hall: true })).toEqual(["[Hall]", "[Whole level]", "hall", "brass"]);
    const list = rowsOf(room(), "", [], {}, new Set());
    expect(rangeOf(list, "lamp", "hall")).toEqual(["lamp", "glow", "hall"]);
    expect(rangeOf(list, "hall", "lamp")).toEqual(["hall", "glow", "lamp"]);
    expect(rangeOf(list, null, "glow")).toEqual(["glow"]);
  });
});

describe("meshes that show a geometry", () => {
  const kite = { id: "kite", positions: [0, 0, 0, 1, 0, 0, 0, 1, 0], indices: [0, 1, 2] };
  const yard = () => {
    let l = put(empty, "geometries", kite);
    l = put(l, "meshes", { id: "one", geometry: "kite", ...at(0, 0, 0) });
    l = put(l, "meshes", { id: "two", geometry: "kite", scale: [2, 2, 2], ...at(5, 0, 0) });
    l = put(l, "meshes", { id: "own", positions: [2, 0, 0, 3, 0, 0, 2, 1, 0], indices: [0, 1, 2], ...at(9, 0, 0) });
    return put(l, "lights", { id: "lamp", kind: "point", ...at(0.3, 0.3, 0.5) });
  };
  it("are alike with those of the same triangles and size, whether they share them or not", () => {
    expect(alike(yard(), "one", "shape")).toEqual(["one", "own"]);
    expect(alike(yard(), "two", "shape")).toEqual(["two"]);
  });
  it("share it with their copies in one level, and bring it to another", () => {
    const clip = withGeometries(yard(), clipOf(yard(), ["two"]))!;
    const here = paste(yard(), clip, [1, 0, 0]);
    expect(here.ids).toEqual(["two-2"]);
    const l = apply(yard(), here.op);
    expect(l.geometries).toHaveLength(1);
    expect(l.meshes.at(-1)).toMatchObject({ geometry: "kite", scale: [2, 2, 2] });
    const there = apply(empty, paste(empty, clip, [0, 0, 0]).op);
    expect(there.geometries).toMatchObject([{ id: "kite", positions: kite.positions }]);
    expect(there.meshes).toMatchObject([{ geometry: "kite" }]);
    // Another geometry of that id stays, and the copy brings its own.
    const other = put(empty, "geometries", { ...kite, positions: [0, 0, 0, 9, 0, 0, 0, 1, 0] });
    const beside = apply(other, paste(other, clip, [0, 0, 0]).op);
    expect(beside.geometries.map((g) => g.id)).toEqual(["kite", "kite-2"]);
    expect(beside.meshes[0]).toMatchObject({ geometry: "kite-2" });
  });
  it("take lights to each that is alike, by its scaled middle", () => {
    const made = atEachAlike(yard(), ["lamp"], "one")!;
    const l = apply(yard(), made.op);
    expect(l.lights.at(-1)!.transform.position[0]).toBeCloseTo(9 + 2 + 0.3, 6);
  });
});
