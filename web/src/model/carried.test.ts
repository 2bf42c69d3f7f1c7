import { describe, expect, it } from "vitest";
import { carriedAtFirst, luxOf, torchOf } from "./carried";

describe("the lamp that is carried", () => {
  const torch = torchOf({ ...carriedAtFirst, candela: 100, coneDeg: 30, kelvin: 6504 });
  it("weakens by the square of the distance", () => {
    expect(luxOf(torch, 2, 0)[1] / luxOf(torch, 4, 0)[1]).toBeCloseTo(4, 9);
    expect(Math.max(...luxOf(torch, 1, 0))).toBeCloseTo(100, 0);
  });
  it("fades toward the edge of its cone, and ends there", () => {
    expect(luxOf(torch, 1, 17)[1]).toBeCloseTo(luxOf(torch, 1, 0)[1], 6);
    expect(luxOf(torch, 1, 25)[1]).toBeLessThan(luxOf(torch, 1, 20)[1]);
    expect(luxOf(torch, 1, 31)).toEqual([0, 0, 0]);
  });
});
