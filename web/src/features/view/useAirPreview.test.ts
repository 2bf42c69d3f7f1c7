import { describe, expect, it } from "vitest";
import type { Level } from "../../api/client";
import { airDiffers } from "./useAirPreview";

const lamp = { id: "lamp", strength: 5, transform: { position: [0, 2, 0], rotation: [0, 0, 0, 1] } };
const halo = { id: "halo", parent: "lamp" };
const wind = {}, fog = {};
const lamps = [lamp], none: unknown[] = [];
const level = (part: object) => ({ glows: none, fog_volumes: none, beams: none, motes: none, fog, lights: lamps, solids: none, meshes: none, environment: { wind }, ...part }) as unknown as Level;
const moved = { ...lamp, transform: { ...lamp.transform, position: [1, 2, 0] } };

describe("what the air is made of", () => {
  const glows = [halo];
  const before = level({ glows });

  it("differs where something in it does", () => {
    expect(airDiffers(before, before)).toBe(false);
    expect(airDiffers(before, level({ glows }))).toBe(false);
    expect(airDiffers(before, level({ glows: [{ ...halo, size_m: 2 }] }))).toBe(true);
    expect(airDiffers(before, level({ glows, environment: { wind: {} } }))).toBe(true);
  });

  it("differs where a lamp moves that carries some of it", () => {
    expect(airDiffers(before, level({ glows, lights: [moved] }))).toBe(true);
    expect(airDiffers(before, level({ glows, lights: [{ ...lamp, strength: 9 }] }))).toBe(false);
    const alone = [{ id: "glow" }];
    expect(airDiffers(level({ glows: alone }), level({ glows: alone, lights: [moved] }))).toBe(false);
  });
});
