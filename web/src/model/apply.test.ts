import { describe, expect, it } from "vitest";
import type { Level, Operation } from "../api/client";
import { apply, freshID, merge } from "./apply";
import { entityDefaults, limitsOf, objectDefault } from "./schema";

const empty = () =>
  ({
    images: [], materials: [], zones: [], solids: [], geometries: [], meshes: [], rigs: [], lights: [], glows: [], fog_volumes: [], beams: [], motes: [], viewpoints: [], paths: [], probes: [], reflections: [], mixes: [], profiles: [], imports: [],
    environment: { sky: { kind: "solid" } }, look: { exposure_ev: 6 }, name: "Empty",
  }) as unknown as Level;
const add = (part: string, entity: Record<string, unknown>): Operation => ({ op: "add", part: part as "lights", entity });

describe("defaults", () => {
  it("are those of the schema, whole and without what may be absent", () => {
    const light = entityDefaults("lights");
    expect(light).toMatchObject({ enabled: true, kind: "point", strength: 100, falloff: "inverse_square", range_m: 0, transform: { position: [0, 0, 0], rotation: [0, 0, 0, 1] }, shadows: { cast: true, softness: 1 } });
    for (const absent of ["color", "kelvin", "flicker", "gobo", "parent"]) expect(light).not.toHaveProperty(absent);
    expect(entityDefaults("solids")).toMatchObject({ surface: { visible: true, casts_shadow: true } });
    expect(objectDefault(null, "environment.moon")).toMatchObject({ enabled: true });
  });
  it("come with limits", () => {
    expect(limitsOf("lights", "strength")).toMatchObject({ min: 0, max: 1e9, initial: 100 });
    expect(limitsOf("lights", "shadows.depth")).toMatchObject({ min: 0, max: 1, initial: 1 });
    expect(limitsOf(null, "look.exposure_ev").about).not.toBe("");
    expect(limitsOf("lights", "no.such")).toMatchObject({ min: -Infinity, max: Infinity });
  });
});

describe("operations", () => {
  it("add an entity over its defaults, at its place", () => {
    let l = apply(empty(), add("lights", { id: "a", strength: 5 }));
    l = apply(l, { op: "add", part: "lights", index: 0, entity: { id: "b", shadows: { cast: false } } });
    expect(l.lights.map((x) => x.id)).toEqual(["b", "a"]);
    expect(l.lights[0]).toMatchObject({ strength: 100, shadows: { cast: false, softness: 1 } });
  });
  it("set fields in a copy, deep ones too, and null puts the default back", () => {
    const l = apply(empty(), add("lights", { id: "a", color: "#ff0000", strength: 5 }));
    const next = apply(l, { op: "set", id: "a", fields: { "shadows.cast": false, color: null, strength: null } });
    expect(next.lights[0]).toMatchObject({ strength: 100, shadows: { cast: false, softness: 1 } });
    expect(next.lights[0]!.color).toBeUndefined();
    expect(l.lights[0]).toMatchObject({ color: "#ff0000", shadows: { cast: true } });
    expect(next.glows).toBe(l.glows);
  });
  it("make an object that was absent, with its defaults", () => {
    const l = apply(apply(empty(), add("lights", { id: "a" })), { op: "set", id: "a", fields: { "flicker.pattern": "candle" } });
    expect(l.lights[0]!.flicker).toMatchObject({ pattern: "candle", rate_hz: expect.any(Number) });
    expect(apply(l, { op: "set", id: "a", fields: { flicker: null } }).lights[0]!.flicker).toBeUndefined();
    expect(apply(empty(), { op: "set", fields: { "environment.sun.lux": 5 } }).environment.sun).toMatchObject({ lux: 5, enabled: true });
  });
  it("remove, and do nothing to what is gone", () => {
    const l = apply(empty(), add("glows", { id: "g" }));
    expect(apply(l, { op: "remove", id: "g" }).glows).toEqual([]);
    expect(apply(l, { op: "remove", id: "x" })).toBe(l);
    expect(apply(l, { op: "set", id: "x", fields: { a: 1 } })).toBe(l);
    expect(apply(l, { op: "batch", steps: [{ op: "remove", id: "g" }, add("glows", { id: "h" })] }).glows.map((g) => g.id)).toEqual(["h"]);
  });
});

describe("merging", () => {
  const set = (id: string, fields: Record<string, unknown>): Operation => ({ op: "set", id, fields });
  it("makes one set of two", () => {
    expect(merge(set("a", { x: 1, y: 2 }), set("a", { y: 3 }))).toEqual(set("a", { x: 1, y: 3 }));
    expect(merge(set("a", { "shadows.cast": false }), set("a", { shadows: {} }))).toEqual(set("a", { shadows: {} }));
  });
  it("keeps those of several things side by side", () => {
    const both = (n: number): Operation => ({ op: "batch", label: `to ${n}`, steps: [set("a", { x: n }), set("b", { x: n })] });
    expect(merge(both(1), both(2))).toEqual(both(2));
  });
  it("keeps the order of what adds and removes", () => {
    const made = merge(add("lights", { id: "a" }), set("a", { x: 1 }));
    expect(made.steps?.map((s) => s.op)).toEqual(["add", "set"]);
  });
});

describe("fresh ids", () => {
  it("are valid, and new to the level and to the batch", () => {
    const l = apply(apply(empty(), add("lights", { id: "lamp" })), add("glows", { id: "lamp-2" }));
    expect(freshID(l, "lamp")).toBe("lamp-3");
    expect(freshID(l, "lamp-2")).toBe("lamp-3");
    expect(freshID(l, "lamp", new Set(["lamp-3"]))).toBe("lamp-4");
    expect(freshID(l, "Große Lampe!")).toMatch(/^[a-z0-9][a-z0-9._-]{0,63}$/);
    expect(freshID(l, "***")).toBe("thing");
  });
});
