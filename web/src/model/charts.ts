import type { Level } from "../api/client";
import { zoneOfThing } from "./find";
import { thingsOf } from "./things";

// Numbers for the charts of the bench.

export type Row = { id: string; name: string; value: number };

/** Texels that things take in the lightmap, by the area of their triangles on its pages; the most
 *  first. texels are page coordinates in texels, three values a vertex, page -1 or -2 for none. */
export function texelsByThing(level: Level, ranges: readonly { id: string; first: number; count: number }[], texels: ArrayLike<number>): Row[] {
  const sums = new Map<string, number>();
  for (const r of ranges) {
    let sum = 0;
    for (let v = r.first; v + 2 < r.first + r.count; v += 3) {
      const [a, b, c] = [3 * v, 3 * v + 3, 3 * v + 6];
      if (texels[a + 2]! < -0.5) continue;
      sum += Math.abs((texels[b]! - texels[a]!) * (texels[c + 1]! - texels[a + 1]!) - (texels[c]! - texels[a]!) * (texels[b + 1]! - texels[a + 1]!)) / 2;
    }
    if (sum > 0) sums.set(r.id, (sums.get(r.id) ?? 0) + sum);
  }
  const names = thingsOf(level);
  return [...sums].map(([id, value]) => ({ id, name: names.get(id)?.name ?? id, value: Math.round(value) })).sort((a, b) => b.value - a.value);
}

/** How many lights that are on stand in each zone. */
export function lightsByZone(level: Level): Row[] {
  const counts = new Map<string, Row>();
  for (const light of level.lights) {
    const thing = thingsOf(level).get(light.id)!;
    if (!light.enabled) continue;
    const zone = light.kind === "directional" ? undefined : zoneOfThing(level, thing);
    const id = zone?.id ?? "";
    const row = counts.get(id) ?? { id, name: zone ? zone.name || zone.id : light.kind === "directional" ? "Whole level" : "Outside all zones", value: 0 };
    counts.set(id, { ...row, value: row.value + 1 });
  }
  return [...counts.values()].sort((a, b) => b.value - a.value);
}

export type Histogram = { bins: number[]; dark: number; full: number };

/** How bright the pixels of a picture are, in steps of what the eye sees as even (the encoded luma);
 *  dark and full are the shares of pixels with all channels at the bottom, or any at the top. */
export function histogramOf(rgba: ArrayLike<number>, bins: number): Histogram {
  const out: Histogram = { bins: Array.from({ length: bins }, () => 0), dark: 0, full: 0 };
  const count = rgba.length / 4;
  for (let i = 0; i < rgba.length; i += 4) {
    const [r, g, b] = [rgba[i]!, rgba[i + 1]!, rgba[i + 2]!];
    const luma = (0.2126 * r + 0.7152 * g + 0.0722 * b) / 256;
    out.bins[Math.min(bins - 1, Math.floor(luma * bins))]! += 1 / count;
    if (r < 2 && g < 2 && b < 2) out.dark += 1 / count;
    if (r > 253 || g > 253 || b > 253) out.full += 1 / count;
  }
  return out;
}
