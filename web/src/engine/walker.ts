import type { Vec } from "../model/world";

// Walks through the level as a player does: feet on the ground, up steps, down by gravity,
// along walls. What it meets is found by rays; times are seconds, lengths metres.

/** Metres to the first thing in the way along a unit direction, and its normal; null where there is
 *  nothing so near. */
export type Probe = (from: Vec, direction: Vec, farM: number) => { distance: number; normal: Vec } | null;

export const body = { radiusM: 0.3, stepM: 0.45, walkMps: 2.8, runMps: 6, gravity: 9.81, mostFallMps: 30 } as const;

const tickS = 1 / 60; // steps are small, so that nothing is passed through
const skinM = 0.01;

/** How deep ground is looked for under the feet. */
export const mostDropM = 500;

export class Walker {
  private fallMps = 0;

  constructor(
    /** Where the feet are. */
    readonly feet: Vec,
    public eyeM: number,
    private readonly probe: Probe,
  ) {}

  get eye(): Vec {
    return [this.feet[0], this.feet[1] + this.eyeM, this.feet[2]];
  }

  /** Goes on for some seconds toward a direction of the ground plane, at most of unit length. True
   *  where that moved it. */
  step(seconds: number, toward: readonly [number, number], run: boolean): boolean {
    const was = [...this.feet];
    for (let left = Math.min(seconds, 0.25); left > 1e-6; left -= tickS) this.tick(Math.min(left, tickS), toward, run ? body.runMps : body.walkMps);
    return this.feet.some((v, i) => Math.abs(v - was[i]!) > 1e-5);
  }

  private tick(dt: number, toward: readonly [number, number], speed: number) {
    const by: [number, number] = [toward[0] * speed * dt, toward[1] * speed * dt];
    // Along what is met: twice, for corners.
    for (let turn = 0; turn < 3; turn++) {
      const normal = this.inTheWay(by);
      if (!normal) break;
      const into = by[0] * normal[0] + by[1] * normal[1];
      if (turn === 2) by[0] = by[1] = 0;
      else {
        by[0] -= into * normal[0];
        by[1] -= into * normal[1];
      }
    }
    this.feet[0] += by[0];
    this.feet[2] += by[1];
    this.stand(dt);
  }

  /** The level normal of what a move over the ground would run into; null where it is free. */
  private inTheWay(by: readonly [number, number]): [number, number] | null {
    const length = Math.hypot(by[0], by[1]);
    if (length < 1e-9) return null;
    const direction: Vec = [by[0] / length, 0, by[1] / length];
    for (const height of [body.stepM + 0.05, this.eyeM * 0.6, this.eyeM]) {
      const hit = this.probe([this.feet[0], this.feet[1] + height, this.feet[2]], direction, length + 2 * body.radiusM);
      if (!hit) continue;
      const flat = Math.hypot(hit.normal[0], hit.normal[2]);
      if (flat < 0.5) continue; // a slope or a ceiling
      // How near the body comes to the surface itself, which may be met at a slant.
      const straight = Math.abs(hit.normal[0] * direction[0] + hit.normal[2] * direction[2]) / flat;
      if ((hit.distance - length) * straight >= body.radiusM) continue;
      // Away from what is met, whichever side of it the normal shows.
      const sign = hit.normal[0] * direction[0] + hit.normal[2] * direction[2] > 0 ? -1 : 1;
      return [(sign * hit.normal[0]) / flat, (sign * hit.normal[2]) / flat];
    }
    return null;
  }

  /** Stands on the ground that is near enough, or falls. */
  private stand(dt: number) {
    const top: Vec = [this.feet[0], this.feet[1] + body.stepM, this.feet[2]];
    const falls = this.fallMps * dt + 0.5 * body.gravity * dt * dt;
    const reach = body.stepM + Math.max(falls, this.fallMps > 0 ? 0 : body.stepM);
    const ground = this.probe(top, [0, -1, 0], reach + skinM);
    if (ground) {
      this.feet[1] = top[1] - ground.distance;
      this.fallMps = 0;
      return;
    }
    if (!this.probe(top, [0, -1, 0], mostDropM)) {
      this.fallMps = 0; // nothing to land on, as beyond the level's edge: nobody falls without end
      return;
    }
    this.feet[1] -= falls;
    this.fallMps = Math.min(this.fallMps + body.gravity * dt, body.mostFallMps);
  }
}
