import type { Zone } from "../api/client";

type Box = Zone["boxes"][number];

/** How far inside a box a point is, in metres; under 0 outside. */
export const depthIn = (b: { min: readonly number[]; max: readonly number[] }, p: readonly number[]) => Math.min(...[0, 1, 2].map((i) => Math.min(p[i]! - b.min[i]!, b.max[i]! - p[i]!)));

const volumeOf = (boxes: readonly Box[]) => boxes.reduce((sum, b) => sum + b.max.reduce((v, m, i) => v * (m - b.min[i]!), 1), 0);

/** The zone that holds at a point: the highest priority, then the smallest volume. */
export function zoneAt(zones: readonly Zone[], p: readonly number[]): Zone | undefined {
  let best: Zone | undefined;
  for (const z of zones) {
    if (!z.boxes.some((b) => depthIn(b, p) >= 0)) continue;
    if (!best || z.priority > best.priority || (z.priority === best.priority && volumeOf(z.boxes) < volumeOf(best.boxes))) best = z;
  }
  return best;
}
