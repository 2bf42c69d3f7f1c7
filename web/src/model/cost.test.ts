import { expect, it } from "vitest";
import type { Level } from "../api/client";
import { apply } from "./apply";
import { costliest } from "./cost";

it("ranks lights by shadows and reach, then surfaces by texels", () => {
  const put = (l: Level, part: "lights" | "solids", entity: Record<string, unknown>) => apply(l, { op: "add", part, entity });
  let l = { lights: [], solids: [], glows: [], fog_volumes: [], beams: [], motes: [], meshes: [], zones: [], viewpoints: [], probes: [], reflections: [], rigs: [], paths: [] } as unknown as Level;
  l = put(l, "solids", { id: "floor" });
  l = put(l, "solids", { id: "wall" });
  l = put(l, "solids", { id: "unlit" });
  l = put(l, "lights", { id: "far", range_m: 20, shadows: { cast: false } });
  l = put(l, "lights", { id: "near", range_m: 4 });
  l = put(l, "lights", { id: "off", range_m: 90, enabled: false });
  l = put(l, "lights", { id: "endless", range_m: 0 });
  l = put(l, "lights", { id: "wide", range_m: 12.25 });
  const found = costliest(l, new Map([["floor", 1200.4], ["wall", 3600]]));
  expect(found.map((c) => c.thing.id)).toEqual(["endless", "wide", "near", "far", "wall", "floor"]);
  expect(found.map((c) => c.text)).toEqual(["shadow ∞ m", "shadow 12.3 m", "shadow 4 m", "20 m", "3,600 texels", "1,200 texels"]);
});
