import type { Document, Glow, Light } from "../api/client";

/** A number in at most three digits. */
export function short(v: number): string {
  return v >= 10000 ? `${Math.round(v / 1000)} k` : String(Number(v.toPrecision(3)));
}

/** The zone that an entity states or stands in, as core/level has it. */
export function zoneOf(level: Document["document"], e: Light | Glow): string {
  if (e.zone) return e.zone;
  const p = e.transform.position;
  let best = "";
  let rank: [number, number] = [-Infinity, 0];
  for (const z of level.zones) {
    if (!z.boxes.some((b) => p.every((v, i) => v >= b.min[i]! && v <= b.max[i]!))) continue;
    const volume = z.boxes.reduce((sum, b) => sum + b.max.reduce((v, m, i) => v * (m - b.min[i]!), 1), 0);
    if (z.priority > rank[0] || (z.priority === rank[0] && -volume > rank[1])) {
      best = z.id;
      rank = [z.priority, -volume];
    }
  }
  return best;
}
