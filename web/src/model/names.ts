import type { Document, Light } from "../api/client";
import { zoneAt } from "./zones";

/** A number in at most three digits. */
export function short(v: number): string {
  return v >= 10000 ? `${Math.round(v / 1000)} k` : String(Number(v.toPrecision(3)));
}

/** The zone that an entity states or stands in. */
export function zoneOf(level: Document["document"], e: Pick<Light, "zone" | "transform">): string {
  return e.zone || (zoneAt(level.zones, e.transform.position)?.id ?? "");
}
