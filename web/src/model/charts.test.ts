import { describe, expect, it } from "vitest";
import type { Level } from "../api/client";
import { apply } from "./apply";
import { histogramOf, lightsByZone, texelsByThing } from "./charts";

const empty = {
  images: [], materials: [], zones: [], solids: [], geometries: [], meshes: [], rigs: [], lights: [], glows: [], fog_volumes: [], beams: [], motes: [], viewpoints: [], paths: [], probes: [], reflections: [], mixes: [], profiles: [], imports: [],
} as unknown as Level;

describe("charts", () => {
  it("sum the texels of things", () => {
    const square = [0, 0, 0, 10, 0, 0, 10, 8, 0, 0, 0, 0, 10, 8, 0, 0, 8, 0];
    const none = [0, 0, -1, 5, 0, -1, 5, 5, -1];
    const rows = texelsByThing(empty, [{ id: "wall", first: 0, count: 6 }, { id: "reed", first: 6, count: 3 }], [...square, ...none]);
    expect(rows).toEqual([{ id: "wall", name: "wall", value: 80 }]);
  });
  it("count the lights of zones", () => {
    let level = apply(empty, { op: "add", part: "zones", entity: { id: "hall", name: "Hall", boxes: [{ min: [0, 0, 0], max: [2, 2, 2] }] } });
    for (const [id, x, on] of [["a", 1, true], ["b", 1, true], ["c", 9, true], ["d", 1, false]] as const) level = apply(level, { op: "add", part: "lights", entity: { id, enabled: on, transform: { position: [x, 1, 1] } } });
    expect(lightsByZone(level)).toEqual([{ id: "hall", name: "Hall", value: 2 }, { id: "", name: "Outside all zones", value: 1 }]);
  });
  it("tell what is dark and what is full", () => {
    const h = histogramOf([0, 0, 0, 255, 255, 255, 255, 255, 128, 128, 128, 255, 255, 10, 10, 255], 4);
    expect(h.bins).toEqual([0.5, 0, 0.25, 0.25]);
    expect([h.dark, h.full]).toEqual([0.25, 0.5]);
  });
});
