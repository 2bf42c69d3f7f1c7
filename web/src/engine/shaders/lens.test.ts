import { expect, test } from "vitest";
import { gaussWeights, mostSigma } from "./lens";

test.each([0.3, 1, 2.5, mostSigma])("a blur of sigma %f keeps all light and is as wide as it says", (sigma) => {
  const weights = gaussWeights(sigma);
  const both = (of: (i: number) => number) => weights.reduce((sum, w, i) => sum + (i ? 2 : 1) * w * of(i), 0);
  expect(both(() => 1)).toBeCloseTo(1, 12);
  if (sigma >= 1) expect(Math.abs(Math.sqrt(both((i) => i * i)) / sigma - 1)).toBeLessThan(0.02);
  for (let i = 1; i < weights.length; i++) expect(weights[i]!).toBeLessThanOrEqual(weights[i - 1]!);
});
