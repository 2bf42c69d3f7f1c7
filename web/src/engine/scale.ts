// The scale of false colours: blue over grey to yellow, darker to lighter in even steps of
// perceived lightness. It is a straight line in OKLab (Björn Ottosson, 2020) without red or
// green, so that people with the common kinds of colour blindness read it too.

const dark = { l: 0.25, b: -0.13 };
const light = { l: 0.95, b: 0.15 };

/** The colour at 0 to 1 of the scale, linear Rec. 709. */
export function scaleAt(x: number): [number, number, number] {
  const l = dark.l + (light.l - dark.l) * x;
  const b = dark.b + (light.b - dark.b) * x;
  const [p, q, r] = [(l + 0.2158037573 * b) ** 3, (l - 0.0638541728 * b) ** 3, (l - 1.291485548 * b) ** 3] as const;
  return [4.0767416621 * p - 3.3077115913 * q + 0.2309699292 * r, -1.2684380046 * p + 2.6097574011 * q - 0.3413193965 * r, -0.0041960863 * p - 0.7034186147 * q + 1.707614701 * r].map((v) => Math.min(1, Math.max(0, v))) as [number, number, number];
}

/** The same in a shader: vec3 scaleAt(float x). */
export const scaleGLSL = `
  vec3 scaleAt(float x) {
    float l = mix(${dark.l}, ${light.l}, x), b = mix(${dark.b}, ${light.b}, x);
    vec3 c = vec3(l + 0.2158037573 * b, l - 0.0638541728 * b, l - 1.291485548 * b);
    c = c * c * c;
    return clamp(vec3(4.0767416621 * c.x - 3.3077115913 * c.y + 0.2309699292 * c.z, -1.2684380046 * c.x + 2.6097574011 * c.y - 0.3413193965 * c.z, -0.0041960863 * c.x - 0.7034186147 * c.y + 1.707614701 * c.z), 0.0, 1.0);
  }`;

/** The scale as a CSS gradient, or in so many bands. */
export function scaleCSS(bands: number): string {
  const hex = (x: number) => `rgb(${scaleAt(x).map((v) => Math.round(255 * (v <= 0.0031308 ? v * 12.92 : 1.055 * v ** (1 / 2.4) - 0.055))).join(" ")})`;
  const stops = Array.from({ length: bands }, (_, i) => `${hex(i / bands)} ${(100 * i) / bands}% ${(100 * (i + 1)) / bands}%`);
  return `linear-gradient(90deg, ${stops.join(", ")})`;
}

/** Brightness is shown in bands of a factor of two, from 2^first lux on. */
export const brightnessBands = { first: -3, count: 12 };
/** Density too, from 1 texel a metre on. */
export const densityBands = { first: 0, count: 6 };
/** Shadows at a surface: a band for each number from 1 on. */
export const shadowBands = 8;
