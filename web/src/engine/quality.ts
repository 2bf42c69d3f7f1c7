// How finely a frame is drawn, so that the view follows the hand on any machine: fewer pixels
// and samples while something moves, and as many as there is time for at rest. Both are found
// by what frames take, as a frame's cost is not only its pixels. A view that stays at rest is
// drawn whole in the end, however long that takes.

export type Fineness = { scale: number; samples: 0 | 4 };

export const full: Fineness = { scale: 1, samples: 4 };

export const movingMs = 90; // what a frame may take while something moves
export const restMs = 900; // and at rest
const wholeMs = 4000; // within which a whole picture is drawn at once after a move, and not after a coarser one
const least = { moving: 0.3, rest: 0.5 };

export class Quality {
  private moving: Fineness = { scale: 0.5, samples: 0 };
  private rest: Fineness = { scale: 0.5, samples: 0 };
  private wholeTook: number | null = null; // null before the first one
  slow = false; // a whole picture takes longer than a frame may while something moves

  /** What the next frame is drawn with. */
  fineness(moving: boolean): Fineness {
    return moving ? this.moving : this.rest;
  }

  /** Whether a whole picture comes soon enough to be drawn at once. */
  get comesWhole() {
    return this.wholeTook !== null && this.wholeTook < wholeMs;
  }

  /** Takes how long a frame took. One that is fast enough at rest tells nothing of moving, and
   *  the other way, but where it is faster than both need. */
  took(ms: number, f: Fineness, moving: boolean) {
    if (f.scale === full.scale && f.samples === full.samples) this.wholeTook = this.wholeTook === null ? 0 : ms; // the first also makes programs
    if (!moving && ms > movingMs) this.slow = true;
    if (moving || ms < movingMs) {
      this.moving = next(f, ms, movingMs, least.moving);
      this.slow = this.moving.scale < 1;
    }
    if (isFiner(f, this.rest)) {
      if (ms < restMs) this.rest = f; // a whole picture that takes long tells nothing of coarser ones
    } else if (!moving || ms > restMs || ms < movingMs) this.rest = next(moving ? this.rest : f, ms, restMs, least.rest);
  }
}

const isFiner = (a: Fineness, b: Fineness) => a.scale > b.scale || (a.scale === b.scale && a.samples > b.samples);

function next(f: Fineness, ms: number, mayMs: number, leastScale: number): Fineness {
  if (ms > mayMs) return f.samples ? { scale: 1, samples: 0 } : { scale: Math.max(leastScale, f.scale * Math.max(0.5, Math.sqrt(mayMs / ms))), samples: 0 };
  if (f.scale < 1) return ms < 0.6 * mayMs ? { scale: Math.min(1, f.scale * 1.3), samples: 0 } : f;
  // Four samples take up to four times as long.
  return f.samples === 0 && ms < mayMs / 4 ? { scale: 1, samples: 4 } : f;
}
