import { describe, expect, it } from "vitest";
import { full, movingMs, Quality, restMs, type Fineness } from "./quality";

/** Draws frames on a machine that needs so long for the pixels of a full one, and for each frame
 *  beside them. */
function draw(q: Quality, pixelsMs: number, besideMs: number, moving: boolean, frames: number): { last: Fineness; ms: number } {
  let last: Fineness = { scale: 0, samples: 0 };
  let ms = 0;
  for (let i = 0; i < frames; i++) {
    last = q.fineness(moving);
    ms = besideMs + pixelsMs * last.scale ** 2 * (last.samples ? 3.5 : 1);
    q.took(ms, last, moving);
  }
  return { last, ms };
}

describe("the quality of frames", () => {
  it("is full on a fast machine, moving or not", () => {
    const q = new Quality();
    expect(draw(q, 2, 1, true, 8).last).toEqual({ scale: 1, samples: 4 });
    expect(draw(q, 2, 1, false, 2).last).toEqual({ scale: 1, samples: 4 });
    expect(q.slow).toBe(false);
  });
  it("keeps to its time while moving on a slow one, and is finer at rest", () => {
    const q = new Quality();
    const moving = draw(q, 400, 20, true, 12);
    expect(moving.ms).toBeLessThanOrEqual(movingMs * 1.2);
    expect(moving.last.samples).toBe(0);
    expect(q.slow).toBe(true);
    const rest = draw(q, 400, 20, false, 6);
    expect(rest.last).toEqual({ scale: 1, samples: 0 });
    expect(rest.ms).toBeLessThanOrEqual(restMs);
    expect(draw(q, 400, 20, true, 1).ms).toBeLessThanOrEqual(movingMs * 1.2); // what it learnt at rest does not slow the hand
  });
  it("never goes under a size at which nothing is told apart", () => {
    expect(draw(new Quality(), 60_000, 500, true, 8).last.scale).toBe(0.3);
    expect(draw(new Quality(), 60_000, 500, false, 8).last.scale).toBe(0.5);
  });
  it("stays coarse at rest after a whole picture that took long", () => {
    const q = new Quality();
    draw(q, 9000, 100, false, 8);
    q.took(9100, full, false);
    q.took(9100, full, false);
    expect(q.comesWhole).toBe(false);
    expect(q.fineness(false)).toEqual({ scale: 0.5, samples: 0 });
  });
  it("knows whether a whole picture comes soon, once there was one", () => {
    const q = new Quality();
    draw(q, 400, 20, false, 1); // not whole
    expect(q.comesWhole).toBe(false);
    q.took(1400, full, false);
    expect(q.comesWhole).toBe(true);
  });
  it("does not take the first whole picture for how long others take: its programs are made with it", () => {
    const q = new Quality();
    q.took(9100, full, false);
    expect(q.comesWhole).toBe(true);
    q.took(9100, full, false);
    expect(q.comesWhole).toBe(false);
  });
  it("follows a machine that becomes free", () => {
    const q = new Quality();
    draw(q, 900, 50, true, 8);
    expect(draw(q, 3, 1, true, 20).last).toEqual({ scale: 1, samples: 4 });
  });
});
