import { expect, test } from "vitest";
import { linear, swatch, tinted } from "./color";

test("a tint keeps the luminance and takes the hue, as core/level has it", () => {
  const luminance = (hex: string) => linear(hex).reduce((sum, v, i) => sum + v * [0.2126, 0.7152, 0.0722][i]!, 0);
  expect(luminance(tinted("#4c7a33", "#c0702a", 0.5))).toBeCloseTo(luminance("#4c7a33"), 2);
  expect(tinted("#4c7a33", "#c0702a", 0)).toBe("#4c7a33");
  expect(swatch([0.5, 0.5, 0.5])).toBe("#ffffff");
});
