// Colours as code and as light.

/** The three channels of "#rrggbb" or "#rrrrggggbbbb", from 0 to 1 as they are encoded. */
export function channels(hex: string): [number, number, number] {
  const digits = hex.length > 7 ? 4 : 2;
  const channel = (i: number) => parseInt(hex.slice(1 + i * digits, 1 + (i + 1) * digits), 16) / (16 ** digits - 1);
  return [channel(0), channel(1), channel(2)];
}

/** "#rrggbb" or "#rrrrggggbbbb" as linear Rec. 709 (IEC 61966-2-1). */
export function linear(hex: string): [number, number, number] {
  const [r, g, b] = channels(hex);
  const decode = (v: number) => (v <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4);
  return [decode(r), decode(g), decode(b)];
}

/** A colour code as style sheets and colour inputs take it: eight bits for each channel. */
export function shortHex(hex: string): string {
  return hex.length <= 7 ? hex : "#" + channels(hex).map((v) => Math.round(255 * v).toString(16).padStart(2, "0")).join("");
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
