import { flickerAt } from "../engine/flicker";
import { Quaternion, Vector3 } from "three";
import { describe, expect, it } from "vitest";
import type { Document, Light, Source } from "../api/client";
import { fromPanTilt, panTilt } from "./angles";
import { fromFader, toFader } from "./fader";
import { lightKinds, topOf, unitOf } from "../ui/kinds";
import { short, zoneOf } from "./names";
import { aimDisc, anglesOf } from "./discs";
import { stripOf, weightOf } from "../engine/weights";
import { reachLines } from "../engine/reach";

const source = (part: Partial<Source>): Source => ({ id: "a", name: "A", kind: "point", color: [1, 0.5, 0.25], strength: 40, weight: [40, 20, 10], ...part }) as Source;

describe("weights", () => {
  it("are the saved ones where nothing is dragged", () => {
    expect(weightOf(source({}), undefined, false, false)).toEqual([40, 20, 10]);
  });
  it("follow the hand", () => {
    expect(weightOf(source({}), { strength: 10 }, false, false)).toEqual([10, 5, 2.5]);
    expect(weightOf(source({}), { color: "#ffffff" }, false, false)).toEqual([40, 40, 40]);
  });
  it("are nothing when muted, silenced, or when the light is off", () => {
    expect(weightOf(source({}), { strength: 10 }, true, false)).toEqual([0, 0, 0]);
    expect(weightOf(source({}), undefined, false, true)).toEqual([0, 0, 0]);
    expect(weightOf(source({ weight: [0, 0, 0] }), { strength: 10 }, false, false)).toEqual([0, 0, 0]);
  });
  it("of a group stand on one strip", () => {
    expect(stripOf(source({ id: "sky:003", group: "sky" }))).toBe("sky");
    expect(stripOf(source({}))).toBe("a");
  });
});

describe("faders", () => {
  it("go both ways over five decades", () => {
    for (const v of [0, 0.5, 3, 42, 2000]) expect(fromFader(toFader(v, 2000), 2000)).toBeCloseTo(v, -Math.floor(Math.log10(Math.max(v, 1))) + 1);
    expect(toFader(0, 2000)).toBe(0);
    expect(toFader(1e9, 2000)).toBe(1);
  });
  it("have a unit and a top for every kind", () => {
    for (const k of [...lightKinds, "sun", "moon", "sky", "emissive", "ambient"]) {
      expect(unitOf(k), k).not.toBe("");
      expect(topOf(k), k).toBeGreaterThan(0);
    }
  });
});

describe("the sun", () => {
  it("stands by its angles: north is -z, east is +x", () => {
    expect(anglesOf([0, 0, -1])).toEqual({ azimuth: 0, altitude: 0 });
    expect(anglesOf([1, 1, 0])).toEqual({ azimuth: 90, altitude: 45 });
    expect(anglesOf([-2, 0, 0])).toEqual({ azimuth: 270, altitude: 0 });
  });
  it("is put there by one edit that lets go of place and time", () => {
    const op = aimDisc("sun", { north_deg: 10 } as never, [1, 0, 0]);
    expect(op.fields).toEqual({ "environment.sun.azimuth_deg": 80, "environment.sun.altitude_deg": 0, "environment.sun.place": null });
  });
});

describe("pan and tilt", () => {
  it("go both ways", () => {
    for (const [pan, tilt] of [[0, 0], [30, -45], [-120, 10], [179, 60]] as const) {
      const back = panTilt(fromPanTilt(pan, tilt));
      expect(back.pan).toBeCloseTo(pan, 2);
      expect(back.tilt).toBeCloseTo(tilt, 2);
    }
    expect(panTilt([-Math.SQRT1_2, 0, 0, Math.SQRT1_2]).tilt).toBeCloseTo(-90, 3);
  });
  it("leave the roll as it is", () => {
    for (const roll of [-170, -35, 0, 90, 180]) {
      const back = panTilt(fromPanTilt(30, -20, roll));
      expect(back).toEqual({ pan: 30, tilt: -20, roll });
    }
    // Clockwise as it looks: what was up is to the right.
    const up = new Vector3(0, 1, 0).applyQuaternion(new Quaternion(...(fromPanTilt(0, 0, 90) as [number, number, number, number])));
    expect(up.x).toBeCloseTo(1, 6);
  });
});

describe("names and zones", () => {
  it("keep three digits", () => {
    expect([short(0.1234), short(42), short(12345)]).toEqual(["0.123", "42", "12 k"]);
  });
  it("find the zone by statement, priority, then volume", () => {
    const box = (n: number) => [{ min: [-n, -n, -n], max: [n, n, n] }];
    const level = {
      zones: [
        { id: "yard", priority: 0, boxes: box(10) },
        { id: "room", priority: 0, boxes: box(2) },
        { id: "stage", priority: 5, boxes: box(4) },
      ],
    } as unknown as Document["document"];
    const at = (p: number[], zone?: string) => zoneOf(level, { zone, transform: { position: p } } as unknown as Light);
    expect(at([9, 0, 0])).toBe("yard");
    expect(at([1, 0, 0])).toBe("stage");
    expect(at([99, 0, 0])).toBe("");
    expect(at([1, 0, 0], "room")).toBe("room");
  });
});

describe("the reach of a light", () => {
  const light = (part: Partial<Light>): Light =>
    ({ kind: "point", range_m: 6, inner_deg: 20, outer_deg: 40, width_m: 2, height_m: 1, length_m: 1, transform: { position: [1, 2, 3], rotation: [0, 0, 0, 1] }, ...part }) as Light;
  it("is drawn for every kind, in pairs of points", () => {
    for (const kind of lightKinds) {
      const lines = reachLines(light({ kind }));
      expect(lines.length, kind).toBeGreaterThan(0);
      expect(lines.length % 6, kind).toBe(0);
      expect(lines.every(Number.isFinite), kind).toBe(true);
    }
  });
  it("is a ball of the range round a point light", () => {
    const lines = reachLines(light({}));
    for (let i = 0; i < lines.length; i += 3) expect(Math.hypot(lines[i]! - 1, lines[i + 1]! - 2, lines[i + 2]! - 3)).toBeCloseTo(6, 5);
  });
  it("is nothing where a point light has no end", () => {
    expect(reachLines(light({ range_m: 0 }))).toEqual([]);
  });
});

describe("flicker", () => {
  // What core/level gives for the same light at the same times.
  const same: Record<string, [number, number][]> = {
    candle: [[0, 0.806174494054], [0.37, 0.840733542415], [3.3, 0.798489164961], [12.25, 0.909946966188]],
    pulse: [[0, 1], [0.37, 0.917557050458], [3.3, 0.6], [12.25, 0.8]],
  };
  for (const [pattern, values] of Object.entries(same)) {
    it(`of a ${pattern} is the service's`, () => {
      for (const [at, want] of values) expect(flickerAt({ pattern: pattern as "candle", rate_hz: 5, depth: 0.4 }, at, "vat-lamp")).toBeCloseTo(want, 10);
    });
  }

  it("of a failing tube dips all the way, and is mostly on", () => {
    const all = Array.from({ length: 400 }, (_, i) => flickerAt({ pattern: "faulty", rate_hz: 5, depth: 0.9 }, i / 40, "tube"));
    expect(new Set(all.map((v) => v.toFixed(6)))).toEqual(new Set(["1.000000", "0.100000"]));
    expect(all.filter((v) => v === 1).length).toBeGreaterThan(200);
  });
});
