import type { AirReport } from "../api/client";
import { smoothstep } from "./setting";

// Where motes are at a time, as core/air has it.

export type Emitter = AirReport["air"]["motes"][number];
type Mote = Emitter["motes"][number];
export type Speck = { at: [number, number, number]; sizeM: number; strength: number };

const trailStepS = 1 / 480;

const dot = (a: readonly number[], b: readonly number[]) => a[0]! * b[0]! + a[1]! * b[1]! + a[2]! * b[2]!;

export function specks(e: Emitter, seconds: number): Speck[] {
  const out: Speck[] = [];
  for (const m of e.motes) {
    const age = (((seconds - m.born_s) % e.life_s) + e.life_s) % e.life_s;
    for (let k = 0; k < e.trail; k++) {
      const s = speck(e, m, age - k * trailStepS);
      if (s) out.push(s);
    }
  }
  return out;
}

function speck(e: Emitter, m: Mote, age: number): Speck | null {
  if (age < 0 || age > m.end_s) return null;
  const local = m.start.map((s, i) => s + m.velocity[i]! * age);
  const swing = e.steady ? e.sway_m * Math.sin(2 * Math.PI * (age / e.sway_s + m.turn)) : 0;
  const off = [0, 1, 2].map((i) => e.right[i]! * (local[0]! + swing) + e.up[i]! * local[1]! + e.axis[i]! * (local[2]! + 0.6 * swing) + e.drift[i]! * age);
  const sine = e.steady ? 1 : Math.sin((Math.PI * age) / e.life_s);
  const strength = ((sine * sine) / e.trail) * smoothstep(0, e.edge_m, depth(e, [dot(off, e.right), dot(off, e.up), dot(off, e.axis)]));
  if (!(strength > 0)) return null;
  return { at: [e.at[0]! + off[0]!, e.at[1]! + off[1]!, e.at[2]! + off[2]!], sizeM: m.size_m, strength };
}

/** How far inside the border, in metres. */
function depth(e: Emitter, [x, y, z]: [number, number, number]): number {
  const [w, h, l] = e.size as [number, number, number];
  if (e.form === "box") return Math.min(w / 2 - Math.abs(x), h / 2 - Math.abs(y), l / 2 - Math.abs(z));
  if (e.form === "cone") return Math.min((w / 2) * (z / l) - Math.hypot(x, y), z, l - z);
  return Math.min(w / 2 - Math.abs(x), h / 2 - Math.abs(y), z, l - z);
}
