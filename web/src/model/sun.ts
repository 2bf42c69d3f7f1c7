import type { Document, Operation } from "../api/client";

type Sun = NonNullable<Document["document"]["environment"]["sun"]>;

/** The azimuth, clockwise from the level's north (-Z), and altitude of a
 *  direction, in degrees. */
export function anglesOf(direction: readonly number[]): { azimuth: number; altitude: number } {
  const [x, y, z] = direction as [number, number, number];
  const length = Math.hypot(x, y, z) || 1;
  const azimuth = ((Math.atan2(x, -z) * 180) / Math.PI + 360) % 360;
  return { azimuth: Number(azimuth.toFixed(2)), altitude: Number(((Math.asin(y / length) * 180) / Math.PI).toFixed(2)) };
}

/** The edit that puts the sun in a direction; a place and time give way to it. */
export function aimSun(sun: Sun | undefined, toSun: readonly number[]): Operation {
  const { azimuth, altitude } = anglesOf(toSun);
  return {
    op: "set",
    label: `Sun at ${azimuth.toFixed(0)}°, ${altitude.toFixed(0)}° high`,
    fields: {
      "environment.sun.azimuth_deg": azimuth - (sun?.north_deg ?? 0),
      "environment.sun.altitude_deg": altitude,
      "environment.sun.place": null,
    },
  };
}

/** The direction to where the sun stands, by its azimuth from -Z toward +X and its altitude. */
export function directionOf(azimuthDeg: number, altitudeDeg: number): [number, number, number] {
  const a = (azimuthDeg * Math.PI) / 180;
  const h = (altitudeDeg * Math.PI) / 180;
  return [Math.cos(h) * Math.sin(a), Math.sin(h), -Math.cos(h) * Math.cos(a)];
}
