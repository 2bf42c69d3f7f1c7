import { describe, expect, it } from "vitest";
import type { Vec } from "../model/world";
import { body, Walker, type Probe } from "./walker";

/** A level of boxes, each by its low and high corner; rays meet their outsides. */
function boxes(...list: [Vec, Vec][]): Probe {
  return (from, direction, far) => {
    let best: ReturnType<Probe> = null;
    for (const [low, high] of list) {
      let [near, axis, out] = [-Infinity, -1, Infinity];
      for (const i of [0, 1, 2] as const) {
        if (Math.abs(direction[i]) < 1e-12) {
          if (from[i] < low[i] || from[i] > high[i]) out = -Infinity;
          continue;
        }
        const [a, b] = [(low[i] - from[i]) / direction[i], (high[i] - from[i]) / direction[i]].sort((x, y) => x - y) as [number, number];
        if (a > near) [near, axis] = [a, i];
        out = Math.min(out, b);
      }
      if (near > out || near < 0 || near > far || (best && near > best.distance)) continue;
      const normal: Vec = [0, 0, 0];
      normal[axis as 0 | 1 | 2] = -Math.sign(direction[axis as 0 | 1 | 2]);
      best = { distance: near, normal };
    }
    return best;
  };
}

const floor: [Vec, Vec] = [[-20, -1, -20], [20, 0, 20]];
const walk = (w: Walker, seconds: number, toward: [number, number], run = false) => {
  for (let t = 0; t < seconds; t += 0.05) w.step(0.05, toward, run);
};

describe("walking", () => {
  it("goes at its pace on the floor", () => {
    const w = new Walker([0, 0, 0], 1.7, boxes(floor));
    walk(w, 1, [1, 0]);
    expect(w.feet[0]).toBeCloseTo(body.walkMps, 1);
    expect(w.feet[1]).toBeCloseTo(0, 6);
    expect(w.eye[1]).toBeCloseTo(1.7, 6);
    walk(w, 1, [0, -1], true);
    expect(w.feet[2]).toBeCloseTo(-body.runMps, 1);
    expect(w.step(0.05, [0, 0], false)).toBe(false);
  });
  it("does not fall where there is nothing to land on", () => {
    const w = new Walker([0, 3, 0], 1.7, boxes([[30, -1, 30], [40, 0, 40]]));
    walk(w, 2, [1, 0]);
    expect(w.feet[1]).toBeCloseTo(3, 6);
    expect(w.feet[0]).toBeGreaterThan(5);
  });
  it("falls as things fall, and lands", () => {
    const w = new Walker([0, 5, 0], 1.7, boxes(floor));
    walk(w, 0.5, [0, 0]);
    expect(5 - w.feet[1]).toBeGreaterThan(0.5 * body.gravity * 0.45 ** 2);
    expect(5 - w.feet[1]).toBeLessThan(0.5 * body.gravity * 0.55 ** 2);
    walk(w, 2, [0, 0]);
    expect(w.feet[1]).toBeCloseTo(0, 6);
  });
  it("goes up steps, and not up walls", () => {
    const stairs = boxes(floor, [[2, 0, -2], [3, 0.3, 2]], [[3, 0, -2], [6, 0.6, 2]], [[5, 0, -2], [6, 3, 2]]);
    const w = new Walker([0, 0, 0], 1.7, stairs);
    walk(w, 3, [1, 0]);
    expect(w.feet[1]).toBeCloseTo(0.6, 6);
    expect(w.feet[0]).toBeLessThanOrEqual(5 - body.radiusM + 0.01);
    expect(w.feet[0]).toBeGreaterThan(4.5);
  });
  it("slides along a wall, and stops in a corner", () => {
    const corner = boxes(floor, [[2, 0, -20], [3, 3, 20]], [[-20, 0, -6], [20, 3, -5]]);
    const w = new Walker([0, 0, 0], 1.7, corner);
    const slant: [number, number] = [Math.SQRT1_2, -Math.SQRT1_2];
    walk(w, 1.5, slant);
    expect(w.feet[0]).toBeCloseTo(2 - body.radiusM, 1);
    expect(w.feet[2]).toBeLessThan(-2);
    walk(w, 4, slant);
    expect(w.feet[0]).toBeCloseTo(2 - body.radiusM, 1);
    expect(w.feet[2]).toBeCloseTo(-5 + body.radiusM, 1);
  });
});
