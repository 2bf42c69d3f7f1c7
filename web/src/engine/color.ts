// Colours as code and as light.

/** "#rrggbb" as linear Rec. 709 (IEC 61966-2-1). */
export function linear(hex: string): [number, number, number] {
  const n = parseInt(hex.slice(1), 16);
  const decode = (v: number) => (v <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4);
  return [decode(((n >> 16) & 255) / 255), decode(((n >> 8) & 255) / 255), decode((n & 255) / 255)];
}

const encodedChannel = (x: number) => Math.round(255 * (x <= 0.0031308 ? x * 12.92 : 1.055 * x ** (1 / 2.4) - 0.055));

const encoded = (c: readonly number[]) => "#" + c.slice(0, 3).map((x) => encodedChannel(x).toString(16).padStart(2, "0")).join("");

const luminance = (c: readonly number[]) => 0.2126 * c[0]! + 0.7152 * c[1]! + 0.0722 * c[2]!;

/** A colour brought toward another one by a share, as bright as it was; core/level has the same. */
export function tinted(hex: string, toward: string, share: number): string {
  const was = linear(hex), to = linear(toward);
  const k = (share * luminance(was)) / luminance(to);
  return encoded(was.map((w, i) => Math.min(w * (1 - share) + to[i]! * k, 1)));
}

/** Linear Rec. 709 as "#rrggbb", brightened so that its largest channel is full. */
export function swatch(c: readonly number[]): string {
  const most = Math.max(c[0]!, c[1]!, c[2]!, 1e-9);
  return encoded(c.map((v) => v / most));
}
