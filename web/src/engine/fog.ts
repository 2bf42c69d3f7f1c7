import { DataUtils } from "three";
import type { FogBlock } from "../features/data";
import type { Weight } from "./mix";

// Light in fog is a sum over sources, as the lightmap is. The service sends the
// sum; a source that is dragged, muted or flickers is sent once more by itself.

export type Change = { own: FogBlock; times: Weight };

const luminance = (r: number, g: number, b: number) => 0.2126 * r + 0.7152 * g + 0.0722 * b;
const most = 65504; // of half-floats

/** The light in fog with some sources' shares multiplied by channel. */
export function withChanges(all: FogBlock, changes: readonly Change[]): FogBlock {
  if (changes.length === 0) return all;
  const n = all.light.length;
  const light = new Float32Array(n), toward = new Float32Array(n);
  for (let i = 0; i < n; i++) {
    light[i] = DataUtils.fromHalfFloat(all.light[i]!);
    toward[i] = DataUtils.fromHalfFloat(all.toward[i]!);
  }
  let brighter = 1;
  for (const { own, times } of changes) {
    const k = own.scale / all.scale;
    brighter = Math.max(brighter, ...times);
    for (let i = 0; i < n; i += 4) {
      const [r, g, b] = [0, 1, 2].map((c) => DataUtils.fromHalfFloat(own.light[i + c]!) * k) as [number, number, number];
      const was = luminance(r, g, b);
      if (was <= 0) continue;
      const [dr, dg, db] = [r * (times[0] - 1), g * (times[1] - 1), b * (times[2] - 1)];
      light[i] = light[i]! + dr;
      light[i + 1] = light[i + 1]! + dg;
      light[i + 2] = light[i + 2]! + db;
      const more = (luminance(dr, dg, db) / was) * k;
      for (let c = 0; c < 3; c++) toward[i + c] = toward[i + c]! + more * DataUtils.fromHalfFloat(own.toward[i + c]!);
    }
  }
  const pack = (v: Float32Array, least: number) => Uint16Array.from(v, (x) => DataUtils.toHalfFloat(Math.min(Math.max(x / brighter, least), most)));
  return { ...all, scale: all.scale * brighter, light: pack(light, 0), toward: pack(toward, -most) };
}
