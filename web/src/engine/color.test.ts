import { expect, test } from "vitest";
import { linear, swatch, tinted } from "./color";

test("a tint keeps the luminance and takes the hue, as core/level has it", () => {
  const luminance = (hex: string) => linear(hex).reduce((sum, v, i) => sum + v * [0.2126, 0.7152, 0.0722][i]!, 0);
  expect(luminance(tinted("#4c7a33", "#c0702a", 0.5))).toBeCloseTo(luminance("#4c7a33"), 2);
  expect(tinted("#4c7a33", "#c0702a", 0)).toBe("#4c7a33");
  expect(swatch([0.5, 0.5, 0.5])).toBe("#ffffff");
});

test("sRGB is decoded", () => {
  expect(linear("#000000")).toEqual([0, 0, 0]);
  expect(linear("#ffffff")).toEqual([1, 1, 1]);
  expect(linear("#808080")[0]).toBeCloseTo(0.21586, 4);
});

test("colours come back as swatches of full brightness", () => {
  for (const hex of ["#ff8040", "#40ff00", "#ffffff"]) expect(swatch(linear(hex).map((v) => v * 0.3))).toBe(hex);
  expect(swatch([0, 0, 0])).toBe("#000000");
});
