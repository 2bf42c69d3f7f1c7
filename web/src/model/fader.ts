// The fader is logarithmic over five decades under the top of its kind, with zero
// at its foot.
const decades = 5;
export function toFader(v: number, top: number): number {
  return v <= 0 ? 0 : Math.min(1, Math.max(0.01, 1 + Math.log10(v / top) / decades));
}
export function fromFader(f: number, top: number): number {
  return f < 0.01 ? 0 : Number((top * 10 ** ((f - 1) * decades)).toPrecision(3));
}
