import type { Vector3 } from "three";
import type { Range } from "./picking";

/** How far outside a block the camera sees none of its inside: what is nearer to it than it draws is cut away. */
const nearM = 0.1;

/** The boxes round closed things. Their backs are not seen from outside, so they need not be drawn there. */
export class Backs {
  private readonly boxes: [low: number[], high: number[]][];

  constructor(ranges: readonly Range[], positions: ArrayLike<number>) {
    this.boxes = ranges
      .filter((r) => r.closed && r.count > 0)
      .map(({ first, count }) => {
        const [low, high] = [[Infinity, Infinity, Infinity], [-Infinity, -Infinity, -Infinity]];
        for (let i = 3 * first; i < 3 * (first + count); i++) {
          low[i % 3] = Math.min(low[i % 3]!, positions[i]! - nearM);
          high[i % 3] = Math.max(high[i % 3]!, positions[i]! + nearM);
        }
        return [low, high];
      });
  }

  /** Whether a closed thing may be seen from inside. */
  areSeenFrom({ x, y, z }: Pick<Vector3, "x" | "y" | "z">): boolean {
    return this.boxes.some(([low, high]) => [x, y, z].every((v, axis) => v > low[axis]! && v < high[axis]!));
  }
}
