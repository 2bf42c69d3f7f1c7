import type { AirReport, Zone } from "../api/client";
import { depthIn, zoneAt } from "../model/zones";

// Which fog and look hold for an eye, as core/air has it.

export type Setting = AirReport["air"]["settings"][number];

export const smoothstep = (a: number, b: number, x: number) => {
  if (b <= a) return x < a ? 0 : 1;
  const t = Math.min(Math.max((x - a) / (b - a), 0), 1);
  return t * t * (3 - 2 * t);
};

export function settingAt(report: AirReport, zones: readonly Zone[], eye: readonly number[]): Setting {
  const all = report.air.settings;
  const zone = zoneAt(zones, eye);
  const own = zone && all.slice(1).find((s) => s.zone === zone.id);
  if (!own) return all[0]!;
  const depth = Math.max(0, ...own.boxes.map((b) => depthIn(b, eye)));
  return blend(all[0]!, own, smoothstep(0, own.blend_m, depth));
}

/** Numbers go from one to the other; a choice changes half way. */
export function blend(a: Setting, b: Setting, t: number): Setting {
  const out = structuredClone(t >= 0.5 ? b : a);
  const mix = (x: number, y: number) => x + (y - x) * t;
  const all = <T extends readonly number[]>(x: T, y: T) => x.map((v, i) => mix(v, y[i]!)) as unknown as T;
  out.phase = mix(a.phase, b.phase);
  out.haze = fog(a.haze, b.haze, t);
  out.height = fog(a.height, b.height, t);
  const [p, q] = [a.look, b.look];
  out.look.exposure_ev = mix(p.exposure_ev, q.exposure_ev);
  out.look.headroom = mix(p.headroom, q.headroom);
  out.look.sharpen = mix(p.sharpen, q.sharpen);
  out.look.grade = { ...out.look.grade, slope: all(p.grade.slope, q.grade.slope), offset: all(p.grade.offset, q.grade.offset), power: all(p.grade.power, q.grade.power), saturation: mix(p.grade.saturation, q.grade.saturation) };
  out.gains = all(a.gains, b.gains);
  return out;
}

// A fog that one side lacks comes in by its greatest share, with its own values.
function fog<T extends { max: number; nits: number[] }>(a: T, b: T, t: number): T {
  if (a.max === 0) [a, b, t] = [b, a, 1 - t];
  if (b.max === 0) return { ...a, max: a.max * (1 - t) };
  const mixed = Object.fromEntries(
    Object.entries(a).map(([k, v]) => {
      const w = b[k as keyof T] as unknown;
      return [k, typeof v === "number" ? v + ((w as number) - v) * t : (v as number[]).map((x, i) => x + ((w as number[])[i]! - x) * t)];
    }),
  );
  return mixed as T;
}
