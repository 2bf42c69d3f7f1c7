// Colours as code and as light.

/** "#rrggbb" as linear Rec. 709 (IEC 61966-2-1). */
export function linear(hex: string): [number, number, number] {
  const n = parseInt(hex.slice(1), 16);
  const decode = (v: number) => (v <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4);
  return [decode(((n >> 16) & 255) / 255), decode(((n >> 8) & 255) / 255), decode((n & 255) / 255)];
}

/** Linear Rec. 709 as "#rrggbb", brightened so that its largest channel is full. */
export function swatch(c: readonly number[]): string {
  const most = Math.max(c[0]!, c[1]!, c[2]!, 1e-9);
  const encode = (v: number) => {
    const x = v / most;
    return Math.round(255 * (x <= 0.0031308 ? x * 12.92 : 1.055 * x ** (1 / 2.4) - 0.055));
  };
  return "#" + c.slice(0, 3).map((v) => encode(v).toString(16).padStart(2, "0")).join("");
}
