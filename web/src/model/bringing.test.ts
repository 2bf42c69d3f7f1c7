import { describe, expect, it } from "vitest";
import type { Level } from "../api/client";
import { apply } from "./apply";
import { placed, reordered } from "./edits";
import { lightList } from "./lightList";
import { applyMix, keepMix } from "./mixes";
import { breakRigs, makeRig, rigsLike, rigsOf } from "./rigs";
import { facesOf, paint, setFaces } from "./surfaces";

const empty = {
  images: [], materials: [], zones: [], solids: [], geometries: [], meshes: [], rigs: [], lights: [], glows: [], fog_volumes: [], beams: [], motes: [], viewpoints: [], paths: [], probes: [], reflections: [], mixes: [], profiles: [], imports: [],
} as unknown as Level;
const add = (level: Level, part: string, entity: Record<string, unknown>) => apply(level, { op: "add", part: part as "lights", entity });

describe("rigs", () => {
  let level = add(empty, "lights", { id: "lamp", name: "Lamp", strength: 10 });
  level = add(level, "glows", { id: "halo" });
  level = add(level, "zones", { id: "room" });
  it("are made of what can be in one", () => {
    expect(makeRig(level, ["lamp", "room"])).toBeNull();
    const made = makeRig(level, ["lamp", "halo", "room"])!;
    const next = apply(level, made.op);
    expect(next.rigs[0]!.name).toBe("Lamp rig");
    expect([next.lights[0]!.rig, next.glows[0]!.rig]).toEqual(["rig", "rig"]);
    expect(rigsOf(next, ["halo"])).toEqual(["rig"]);
  });
  it("are alike where they have as many things of each kind", () => {
    let many = level;
    for (const [rig, kinds] of [["a", ["point", "spot"]], ["b", ["point", "spot"]], ["c", ["point"]], ["d", ["spot", "spot"]]] as const) {
      many = add(many, "rigs", { id: rig });
      kinds.forEach((kind, i) => (many = add(many, "lights", { id: `${rig}${i}`, kind, rig })));
    }
    expect(rigsLike(many, "a", new Set())).toEqual(["b"]);
    expect(rigsLike(many, "a", new Set(["b"]))).toEqual([]);
    expect(rigsLike(many, "c", new Set())).toEqual([]);
  });
  it("leave their light behind when they are broken up", () => {
    let rigged = add(level, "rigs", { id: "r", key_color: "#ff8800", key_strength: 2 });
    rigged = apply(rigged, { op: "set", id: "lamp", fields: { rig: "r" } });
    const made = breakRigs(rigged, ["lamp"])!;
    expect(made.ids).toEqual(["lamp"]);
    const next = apply(rigged, made.op);
    expect(next.rigs).toEqual([]);
    expect([next.lights[0]!.color, next.lights[0]!.strength]).toEqual(["#ff8800", 20]);
    expect(breakRigs(level, ["lamp"])).toBeNull();
  });
});

describe("surfaces", () => {
  const level = add(empty, "solids", { id: "box", name: "Crate", size: [1, 1, 1] });
  it("take a material face by face, or all at once", () => {
    const one = apply(level, paint(level, "box", 2, "oak", "Oak")!);
    expect(facesOf(one, ["box#2"])[0]!.surface.material).toBe("oak");
    expect(facesOf(one, ["box#3"])[0]!.surface.material).toBeUndefined();
    const all = apply(one, paint(one, "box", null, "tin", "Tin")!);
    expect([facesOf(all, ["box#2"])[0]!.surface.material, facesOf(all, ["box#3"])[0]!.surface.material]).toEqual(["tin", "tin"]);
    expect(paint(level, "none", null, "tin", "Tin")).toBeNull();
  });
  it("change without the others of their block", () => {
    const next = apply(level, setFaces(facesOf(level, ["box#0", "box#4"]), { density: 12 }, "finer"));
    expect(next.solids[0]!.faces!.map((f) => [f.index, f.density])).toEqual([[0, 12], [4, 12]]);
  });
});

describe("mixes", () => {
  const level = add(add(empty, "lights", { id: "a", strength: 10, kelvin: 2700 }), "lights", { id: "b", strength: 20 });
  it("bring lights back", () => {
    const kept = apply(level, keepMix(level, "Evening"));
    expect(applyMix(kept, kept.mixes[0]!)).toBeNull();
    const changed = apply(kept, { op: "batch", steps: [{ op: "set", id: "a", fields: { strength: 1, kelvin: null, color: "#ff0000" } }, { op: "remove", id: "b" }] });
    const op = applyMix(changed, kept.mixes[0]!)!;
    expect(op.steps).toEqual([{ op: "set", id: "a", fields: { strength: 10, color: null, kelvin: 2700 } }]);
  });
});

describe("lists and stairs", () => {
  it("write lights as a table with units", () => {
    const level = add(add(empty, "lights", { id: "a", name: "Lamp\tone", strength: 10.00004, transform: { position: [1, 2, 3] } }), "lights", { id: "s", kind: "spot" });
    const rows = lightList(level, null).split("\n").map((r) => r.split("\t"));
    expect(rows[0]!.slice(0, 4)).toEqual(["id", "name", "kind", "on"]);
    expect(rows[1]!.slice(0, 7)).toEqual(["a", "Lamp one", "point", "yes", "1", "2", "3"]);
    expect(rows[1]![11]).toBe("cd");
    expect(rows.every((r) => r.length === rows[0]!.length)).toBe(true);
    expect(lightList(level, ["s"]).split("\n")).toHaveLength(2);
  });
  it("order things", () => {
    const level = add(add(add(empty, "viewpoints", { id: "a" }), "viewpoints", { id: "b" }), "viewpoints", { id: "c" });
    expect(apply(level, reordered(level, "viewpoints", "c", 0)).viewpoints.map((v) => v.id)).toEqual(["c", "a", "b"]);
  });
  it("place stairs as blocks that stand on the floor and on each other", () => {
    const made = placed(empty, { part: "solids", kind: "stairs" }, [0, 0, 0], [0, 1, 0]);
    const level = apply(empty, made.op);
    expect(level.solids).toHaveLength(made.ids.length);
    const tops = level.solids.map((s) => s.transform.position[1]! + s.size![1]! / 2);
    expect(tops).toEqual([...tops].sort((a, b) => a - b));
    for (const s of level.solids) expect(s.transform.position[1]! - s.size![1]! / 2).toBeCloseTo(0, 6);
  });
});
