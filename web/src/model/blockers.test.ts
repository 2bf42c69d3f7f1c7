import { describe, expect, it } from "vitest";
import type { Level } from "../api/client";
import { apply } from "./apply";
import { blockerLines, linesOf } from "./blockers";
import { placed } from "./edits";

const empty = {
  images: [], materials: [], zones: [], solids: [], geometries: [], meshes: [], rigs: [], lights: [], glows: [], fog_volumes: [], beams: [], motes: [], viewpoints: [], paths: [], probes: [], reflections: [], mixes: [], profiles: [], imports: [],
} as unknown as Level;

describe("blockers", () => {
  it("are hatched on their largest faces, within them", () => {
    const lines = linesOf([2, 1, 0.1]);
    const hatches = lines.slice(12);
    expect(hatches.length).toBeGreaterThan(10);
    for (const p of hatches.flat()) {
      expect(Math.abs(p[2]!)).toBeCloseTo(0.05, 9);
      expect(Math.abs(p[0]!)).toBeLessThanOrEqual(1 + 1e-9);
      expect(Math.abs(p[1]!)).toBeLessThanOrEqual(0.5 + 1e-9);
    }
    expect(linesOf([400, 300, 1]).length).toBeLessThan(500);
  });
  it("show where they stand, and other blocks do not", () => {
    let level = apply(empty, placed(empty, { part: "solids", kind: "blocker" }, [3, 1, 0], [0, 0, 1]).op);
    const alone = blockerLines(level).length;
    expect(alone).toBeGreaterThan(12 * 6);
    level = apply(level, placed(level, { part: "solids", kind: "box" }, [0, 0, 0], [0, 1, 0]).op);
    expect(blockerLines(level)).toHaveLength(alone);
    const xs = blockerLines(level).filter((_, i) => i % 3 === 0);
    expect([Math.min(...xs), Math.max(...xs)]).toEqual([2.5, 3.5]);
  });
});
