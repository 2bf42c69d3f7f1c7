import { describe, expect, it } from "vitest";
import { scaleAt, scaleCSS } from "./scale";

// CIE L* from relative luminance, by its definition.
const lightness = ([r, g, b]: readonly number[]) => {
  const y = 0.2126 * r! + 0.7152 * g! + 0.0722 * b!;
  return y > 216 / 24389 ? 116 * Math.cbrt(y) - 16 : (y * 24389) / 27;
};

describe("the scale of false colours", () => {
  it("grows lighter in even steps", () => {
    const steps = Array.from({ length: 11 }, (_, i) => lightness(scaleAt(i / 10)));
    const diffs = steps.slice(1).map((v, i) => v - steps[i]!);
    for (const d of diffs) expect(d).toBeGreaterThan(4);
    expect(Math.max(...diffs) / Math.min(...diffs)).toBeLessThan(1.6);
  });
  it("goes from blue to yellow", () => {
    const [r, g, b] = scaleAt(0);
    expect(b).toBeGreaterThan(2 * Math.max(r, g));
    const [r1, g1, b1] = scaleAt(1);
    expect(b1).toBeLessThan(0.6 * Math.min(r1, g1));
  });
  it("is written in bands", () => {
    expect(scaleCSS(4).match(/%/g)).toHaveLength(8);
  });
});
