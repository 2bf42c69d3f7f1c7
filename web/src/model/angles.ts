import { Quaternion } from "three";

/** How a thing is turned: pan is degrees that -Z points from level -Z toward -X, tilt is up from the horizon, and roll is
 *  clockwise about that direction, as it looks. */
export type Turn = { pan: number; tilt: number; roll: number };

const degrees = (radians: number) => Number(((radians * 180) / Math.PI).toFixed(3)) + 0;

export function panTilt(q: readonly number[]): Turn {
  const [x, y, z, w] = q as [number, number, number, number];
  const f = [-2 * (x * z + w * y), -2 * (y * z - w * x), -(1 - 2 * (x * x + y * y))];
  const tilt = Math.asin(Math.min(1, Math.max(-1, f[1]!)));
  const level = Math.hypot(f[0]!, f[2]!);
  const pan = level < 1e-6 ? 0 : Math.atan2(-f[0]!, -f[2]!);
  const rest = aimed(pan, tilt).invert().multiply(new Quaternion(x, y, z, w));
  const roll = 2 * Math.atan2(-rest.z, rest.w);
  return { pan: degrees(pan), tilt: degrees(tilt), roll: degrees(Math.atan2(Math.sin(roll), Math.cos(roll))) };
}

export function fromPanTilt(pan: number, tilt: number, roll = 0): number[] {
  const half = (roll * Math.PI) / 360;
  return aimed((pan * Math.PI) / 180, (tilt * Math.PI) / 180)
    .multiply(new Quaternion(0, 0, -Math.sin(half), Math.cos(half)))
    .toArray();
}

function aimed(pan: number, tilt: number): Quaternion {
  const [a, b] = [pan / 2, tilt / 2];
  return new Quaternion(Math.cos(a) * Math.sin(b), Math.sin(a) * Math.cos(b), -Math.sin(a) * Math.sin(b), Math.cos(a) * Math.cos(b));
}
