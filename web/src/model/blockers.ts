import { Quaternion, Vector3 } from "three";
import type { Level, Schemas } from "../api/client";
import { poseOf } from "./world";

type Solid = Schemas["Solid"];

/** Whether a block is there for its shadow alone. */
export const isBlocker = (s: Solid): boolean => !s.surface.visible && s.surface.casts_shadow && s.enabled;

const hatchM = 0.25;

/** The edges of the blockers of a level, and a hatching of their largest faces, as pairs of points:
 *  they are not drawn otherwise. Blocks that are given by planes have no lines. */
export function blockerLines(level: Level): number[] {
  const out: number[] = [];
  for (const s of level.solids) {
    if (!isBlocker(s) || !s.size?.length || (s.planes?.length ?? 0) > 0) continue;
    const pose = poseOf(level, s as never);
    const turn = new Quaternion(...pose.rotation);
    const put = (p: readonly number[]) => out.push(...new Vector3(p[0]!, p[1]!, p[2]!).applyQuaternion(turn).add(new Vector3(...pose.position)).toArray());
    for (const [a, b] of linesOf(s.size)) {
      put(a);
      put(b);
    }
  }
  return out;
}

/** The lines of a box about its middle: twelve edges, then diagonals across the two largest faces. */
export function linesOf(size: readonly number[]): [number[], number[]][] {
  const half = size.map((v) => v / 2);
  const corner = (n: number) => [0, 1, 2].map((i) => (n & (1 << i) ? half[i]! : -half[i]!));
  const lines: [number[], number[]][] = [];
  for (let n = 0; n < 8; n++) for (const bit of [1, 2, 4]) if (!(n & bit)) lines.push([corner(n), corner(n | bit)]);
  const thin = [0, 1, 2].reduce((best, i) => (size[i]! < size[best]! ? i : best), 0);
  const [u, v] = [0, 1, 2].filter((i) => i !== thin) as [number, number];
  const [w, h] = [size[u]!, size[v]!];
  const step = Math.max(hatchM, (w + h) / 200); // no more lines than can be told apart
  for (let d = step; d < w + h; d += step) {
    // Where x + y = d crosses the face's borders.
    const [x0, x1] = [Math.max(0, d - h), Math.min(w, d)];
    for (const side of [-half[thin]!, half[thin]!]) {
      const at = (x: number) => {
        const p = [0, 0, 0];
        p[thin] = side;
        p[u] = x - half[u]!;
        p[v] = d - x - half[v]!;
        return p;
      };
      lines.push([at(x0), at(x1)]);
    }
  }
  return lines;
}
