/** Where -Z points: degrees from -Z toward -X, and up from the horizon. */
export function panTilt(q: readonly number[]): { pan: number; tilt: number } {
  const [x, y, z, w] = q as [number, number, number, number];
  const f = [-2 * (x * z + w * y), -2 * (y * z - w * x), -(1 - 2 * (x * x + y * y))];
  const tilt = (Math.asin(Math.min(1, Math.max(-1, f[1]!))) * 180) / Math.PI;
  const level = Math.hypot(f[0]!, f[2]!);
  const pan = level < 1e-6 ? 0 : (Math.atan2(-f[0]!, -f[2]!) * 180) / Math.PI;
  return { pan: Number(pan.toFixed(3)), tilt: Number(tilt.toFixed(3)) };
}

export function fromPanTilt(pan: number, tilt: number): number[] {
  const a = (pan * Math.PI) / 360;
  const b = (tilt * Math.PI) / 360;
  return [Math.cos(a) * Math.sin(b), Math.sin(a) * Math.cos(b), -Math.sin(a) * Math.sin(b), Math.cos(a) * Math.cos(b)];
}
