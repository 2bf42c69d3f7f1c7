import type { Document, Operation } from "../api/client";

// The two bright discs of the sky.

export type DiscName = "sun" | "moon";
export type Disc = NonNullable<Document["document"]["environment"]["sun"]>;
export const discNames: readonly DiscName[] = ["sun", "moon"];

export const titleOf = { sun: "Sun", moon: "Moon" } as const;

/** The fields of a disc that is new in the sky. */
export const newDisc = (name: DiscName): Record<string, unknown> => (name === "sun" ? { "environment.sun.lux": 60000 } : { "environment.moon.lux": 0.2, "environment.moon.kelvin": 4100 });

/** The azimuth, clockwise from the level's north (-Z), and altitude of a
 *  direction, in degrees. */
export function anglesOf(direction: readonly number[]): { azimuth: number; altitude: number } {
  const [x, y, z] = direction as [number, number, number];
  const length = Math.hypot(x, y, z) || 1;
  const azimuth = ((Math.atan2(x, -z) * 180) / Math.PI + 360) % 360;
  return { azimuth: Number(azimuth.toFixed(2)), altitude: Number(((Math.asin(y / length) * 180) / Math.PI).toFixed(2)) };
}

/** The edit that puts a disc in a direction; a place and time give way to it. One that is not there yet is added. */
export function aimDisc(name: DiscName, disc: Disc | undefined, toward: readonly number[]): Operation {
  const { azimuth, altitude } = anglesOf(toward);
  return {
    op: "set",
    label: `${titleOf[name]} at ${azimuth.toFixed(0)}°, ${altitude.toFixed(0)}° high`,
    fields: {
      ...(disc ? {} : newDisc(name)),
      [`environment.${name}.azimuth_deg`]: azimuth - (disc?.north_deg ?? 0),
      [`environment.${name}.altitude_deg`]: altitude,
      [`environment.${name}.place`]: null,
    },
  };
}

/** The direction to where a disc stands, by its azimuth from -Z toward +X and its altitude. */
export function directionOf(azimuthDeg: number, altitudeDeg: number): [number, number, number] {
  const a = (azimuthDeg * Math.PI) / 180;
  const h = (altitudeDeg * Math.PI) / 180;
  return [Math.cos(h) * Math.sin(a), Math.sin(h), -Math.cos(h) * Math.cos(a)];
}
