import { describe, expect, it } from "vitest";
import type { AirReport, Zone } from "../api/client";
import { airParts } from "../features/inspector/air";
import { DataUtils } from "three";
import { parseFog, type FogBlock } from "../features/data";
import { withChanges } from "./fog";
import { blend, settingAt, smoothstep, type Setting } from "./setting";
import { zoneAt } from "../model/zones";
import { specks, type Emitter } from "./specks";

const box = (half: number, at = 0) => ({ min: [at - half, -half, -half], max: [at + half, half, half] });
const zone = (id: string, half: number, priority = 0) => ({ id, priority, boxes: [box(half)], mode: "indoor", play: "none" }) as unknown as Zone;

const haze = (max: number) => ({ start_m: 5, end_m: 50, density: 0, max, sky_share: 1, nits: [1, 2, 3] });
const look = { enabled: true, exposure_ev: 4, tone: "filmic", headroom: 4, sharpen: 0, grade: { enabled: true, slope: [1, 1, 1], offset: [0, 0, 0], power: [1, 1, 1], saturation: 1 } };
const height = { base_m: 0, falloff_m: 2, density: 0.1, max: 0, nits: [0, 0, 0] };
const setting = (more: object = {}) => ({ zone: "", boxes: [], blend_m: 2, haze: haze(0.8), height, phase: 0, look, gains: [1, 1, 1], ...more }) as unknown as Setting;

describe("zones", () => {
  it("hold by priority, then by the smaller volume", () => {
    const all = [zone("yard", 10), zone("room", 2), zone("stage", 5, 3)];
    expect(zoneAt(all, [8, 0, 0])?.id).toBe("yard");
    expect(zoneAt(all, [1, 0, 0])?.id).toBe("stage");
    expect(zoneAt(all.slice(0, 2), [1, 0, 0])?.id).toBe("room");
    expect(zoneAt(all, [20, 0, 0])).toBeUndefined();
  });

  it("take over across their blend", () => {
    const own = setting({ zone: "room", boxes: [box(10)], haze: haze(0.2), look: { ...look, exposure_ev: 6, tone: "clamp" }, gains: [2, 1, 1] });
    const report = { air: { settings: [setting(), own] } } as unknown as AirReport;
    const at = (x: number) => settingAt(report, [zone("room", 10)], [x, 0, 0]);
    expect(at(30).haze.max).toBe(0.8);
    expect(at(9).haze.max).toBeCloseTo(0.5); // half way through two metres
    expect(at(9).look.exposure_ev).toBeCloseTo(5);
    expect(at(9).gains[0]).toBeCloseTo(1.5);
    expect(at(0).look.tone).toBe("clamp");
  });

  it("let a fog that one side lacks come by its greatest share", () => {
    const low = { ...height, max: 0.6, nits: [9, 9, 9] };
    const half = blend(setting({ height }), setting({ height: low }), 0.5);
    expect(half.height.max).toBeCloseTo(0.3);
    expect(half.height.nits).toEqual([9, 9, 9]);
    expect(blend(setting({ height: low }), setting({ height }), 1).height.max).toBe(0);
  });
});

describe("motes", () => {
  const cloud: Emitter = {
    id: "m", at: [1, 0, 0], right: [1, 0, 0], up: [0, 1, 0], axis: [0, 0, -1], form: "box", size: [4, 4, 4], rate_hz: 1, life_s: 4, drift: [0.5, 0, 0], nits: 1, color: [1, 1, 1], edge_m: 0, trail: 1, sway_m: 0, sway_s: 1, steady: false,
    motes: [{ start: [0, 0, 0], velocity: [0, 0.25, 0], size_m: 0.01, born_s: 1, end_s: 4, turn: 0 }],
  } as Emitter;

  it("are born, drift and fade as sin²", () => {
    const [half] = specks(cloud, 3); // two of its four seconds old
    expect(half!.at).toEqual([2, 0.5, 0]);
    expect(half!.strength).toBeCloseTo(1);
    expect(specks(cloud, 2)[0]!.strength).toBeCloseTo(0.5);
    expect(specks(cloud, 1)).toEqual([]);
    expect(specks(cloud, 7)).toEqual(specks(cloud, 3)); // a life later
  });

  it("are not drawn outside", () => {
    expect(specks({ ...cloud, drift: [2, 0, 0] }, 3)).toEqual([]);
    expect(specks({ ...cloud, form: "cone" }, 3)).toEqual([]); // a cone is no wider than nothing at its tip
  });
});

describe("the block of fog", () => {
  it("is read with its places and scale", () => {
    const [w, h, d] = [2, 1, 3];
    const data = new ArrayBuffer(4 * (3 + 8 + 1) + 2 * 2 * 4 * w * h * d);
    const view = new DataView(data);
    [w, h, d, 0, 2, 1, 3, 0, 0, 0, 0].forEach((v, i) => view.setUint32(4 * i, v, true));
    view.setFloat32(44, 0.25, true);
    view.setUint16(48, 7, true);
    const fog = parseFog(data, 12, 2);
    expect(fog).toMatchObject({ revision: 12, size: [2, 1, 3], places: [[0, 2, 1, 3], [0, 0, 0, 0]], scale: 0.25 });
    expect([fog.light.length, fog.toward.length, fog.light[0]]).toEqual([24, 24, 7]);
  });
});

describe("parts of the air", () => {
  it("each have their fields, every one once", () => {
    const level = { lights: [], images: [], fog_volumes: [], glows: [], beams: [], motes: [] } as never;
    for (const p of airParts) expect(new Set(p.fields(level).map((f) => f.path + f.label)).size).toBe(p.fields(level).length);
  });

  it("smoothstep has no slope at its ends, and steps where there is no width", () => {
    expect([smoothstep(0, 2, 0), smoothstep(0, 2, 1), smoothstep(0, 2, 2)]).toEqual([0, 0.5, 1]);
    expect([smoothstep(0, 0, -1), smoothstep(0, 0, 0)]).toEqual([0, 1]);
  });
});

describe("light in fog", () => {
  const block = (scale: number, light: number[], toward: number[]): FogBlock => {
    const pack = (v: number[]) => Uint16Array.from(v, (x) => DataUtils.toHalfFloat(x / scale));
    return { revision: 1, size: [2, 1, 1], places: [[0, 2, 1, 1]], scale, light: pack(light), toward: pack(toward) };
  };
  const read = (b: FogBlock, part: "light" | "toward") => [...b[part]].map((h) => DataUtils.fromHalfFloat(h) * b.scale);
  // Two sources: 6 lx red from above in the first cell, 2 lx white along x in both.
  const all = block(0.01, [8, 2, 2, 0, 2, 2, 2, 0], [2, 1.2756, 0, 0, 2, 0, 0, 0]);
  const red = block(0.005, [6, 0, 0, 0, 0, 0, 0, 0], [0, 1.2756, 0, 0, 0, 0, 0, 0]);

  it("is a sum: a source that is muted goes, with its direction", () => {
    const now = withChanges(all, [{ own: red, times: [0, 0, 0] }]);
    read(now, "light").forEach((v, i) => expect(v).toBeCloseTo([2, 2, 2, 0, 2, 2, 2, 0][i]!, 2));
    read(now, "toward").forEach((v, i) => expect(v).toBeCloseTo([2, 0, 0, 0, 2, 0, 0, 0][i]!, 2));
  });

  it("grows past what it was packed for", () => {
    const bright = block(8 / 60000, [8, 2, 2, 0, 2, 2, 2, 0], [2, 1.2756, 0, 0, 2, 0, 0, 0]);
    const now = withChanges(bright, [{ own: red, times: [10, 10, 10] }]);
    expect(read(now, "light")[0]).toBeCloseTo(62, 0);
    expect(read(now, "toward")[1]).toBeCloseTo(12.756, 1);
    expect(read(now, "light")[4]).toBeCloseTo(2, 2);
  });

  it("is as it was where nothing changes", () => expect(withChanges(all, [])).toBe(all));
});
