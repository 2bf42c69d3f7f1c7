import { describe, expect, it } from "vitest";
import type { Level, LightmapState, Source } from "../api/client";
import { apply } from "./apply";
import { sees, stripItems, stripsOf } from "./strips";

const empty = {
  images: [], materials: [], zones: [], solids: [], geometries: [], meshes: [], rigs: [], lights: [], glows: [], fog_volumes: [], beams: [], motes: [], viewpoints: [], paths: [], probes: [], reflections: [], mixes: [], profiles: [], imports: [],
} as unknown as Level;
const source = (id: string, more: Partial<Source> = {}): Source => ({ id, name: id, kind: "point", color: [1, 1, 1], strength: 1, weight: [1, 1, 1], ...more });

describe("strips of the mixer", () => {
  let level = empty;
  for (const [part, entity] of [
    ["zones", { id: "kitchen", name: "Kitchen", boxes: [{ min: [0, 0, 0], max: [4, 3, 4] }] }],
    ["rigs", { id: "r", name: "Lantern" }],
    ["lights", { id: "stove", transform: { position: [1, 1, 1] } }],
    ["lights", { id: "gate", rig: "r", transform: { position: [20, 1, 0] } }],
  ] as const)
    level = apply(level, { op: "add", part, entity });
  const sources = [source("ambient:level", { kind: "ambient" }), source("stove"), source("gate")];
  const names = (items: ReturnType<typeof stripItems>) => items.map((i) => (i.is === "group" ? `[${i.name}]` : i.source.id));

  it("stand once for a group of sources", () => {
    const state = { sources: [source("sky:0", { group: "sky", kind: "sky" }), source("sky:1", { group: "sky", kind: "sky" }), source("ambient:attic", { kind: "ambient", strength: 0 }), source("a")] } as unknown as LightmapState;
    expect(stripsOf(state).map((s) => s.id)).toEqual(["sky", "a"]);
  });
  it("are grouped by zone, rig or kind", () => {
    const all = () => true;
    expect(names(stripItems(level, sources, "zone", "", all))).toEqual(["[Whole level]", "ambient:level", "[Kitchen]", "stove", "[Outside all zones]", "gate"]);
    expect(names(stripItems(level, sources, "rig", "", all))).toEqual(["[Whole level]", "ambient:level", "[No rig]", "stove", "[Lantern]", "gate"]);
    expect(names(stripItems(level, sources, "kind", "ga", all))).toEqual(["[point]", "gate"]);
  });
  it("leave out what the camera does not see", () => {
    const camera = { position: [1, 1, 6], rotation: [0, 0, 0, 1], fov_deg: 60 };
    expect(names(stripItems(level, sources, "zone", "", (p) => sees(camera, 1.6, p)))).toEqual(["[Whole level]", "ambient:level", "[Kitchen]", "stove"]);
  });
});

describe("what a camera sees", () => {
  const half = Math.SQRT1_2;
  it("lies before it, within its angle", () => {
    const ahead = { position: [0, 0, 0], rotation: [0, 0, 0, 1], fov_deg: 60 };
    expect([[0, 0, -5], [0, 0, 5], [0, 3, -5], [0, 3.4, -5], [4.4, 0, -5], [6, 0, -5]].map((p) => sees(ahead, 1.5, p))).toEqual([true, false, true, false, true, false]);
  });
  it("turns with it", () => {
    const left = { position: [0, 0, 0], rotation: [0, half, 0, half], fov_deg: 60 }; // a quarter turn about y: looks along -x
    expect([[-5, 0, 0], [5, 0, 0], [0, 0, -5]].map((p) => sees(left, 1, p))).toEqual([true, false, false]);
  });
});
