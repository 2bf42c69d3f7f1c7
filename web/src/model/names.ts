import type { Document, Light } from "../api/client";
import { zoneAt } from "./zones";

/** A number in at most three digits. */
export function short(v: number): string {
  return v >= 10000 ? `${Math.round(v / 1000)} k` : String(Number(v.toPrecision(3)));
}

/** The same in a unit, which takes the prefix of thousands: 42 kcd. */
export const shortIn = (v: number, unit: string) => (v >= 10000 ? `${short(v)}${unit}` : `${short(v)} ${unit}`);

/** The zone that an entity states or stands in. */
export function zoneOf(level: Document["document"], e: Pick<Light, "zone" | "transform">): string {
  return e.zone || (zoneAt(level.zones, e.transform.position)?.id ?? "");
}
