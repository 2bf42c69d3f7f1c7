import { describe, expect, it, test } from "vitest";
import { outside, quantity, relative } from "./quantity";

describe("quantities", () => {
  it.each([
    ["120", "cd", 120],
    ["2*90", "°", 180],
    ["250cd", "cd", 250],
    ["1.5 m", "m", 1.5],
    ["20 °", "°", 20],
    ["150 cm", "m", 1.5],
    ["1/3", "", 0.333333333333],
    ["(3+1)/2 m", "m", 2],
    ["2 m + 30 cm", "m", 2.3],
    ["1,5", "m", 1.5],
    ["−4", "m", -4],
    ["1e3", "lx", 1000],
    ["3 klx", "lx", 3000],
    ["6.5kK", "K", 6500],
    ["50%", "×", 0.5],
    ["3 cd/m²", "nt", 3],
  ])("%s in %s is %d", (text, unit, want) => expect(quantity(text, unit)).toEqual({ value: want }));

  it.each([
    ["", "m", "A number is needed."],
    ["abc", "m", "“abc” is not a number."],
    ["2*", "m", "A number is missing at the end."],
    ["3 lx", "m", "“lx” is no unit here; there are m, cm, mm, km, ft, in."],
    ["(2", "m", "A bracket is not closed."],
    ["1/0", "m", "That has no finite value."],
    ["2 2", "m", "“2” is not understood."],
  ])("%s in %s says why not", (text, unit, why) => expect(quantity(text, unit)).toEqual({ error: why }));

  it("change what is there", () => {
    expect(relative("*1.5", "cd")!(40)).toBe(60);
    expect(relative("/2", "cd")!(40)).toBe(20);
    expect(relative("+10", "cd")!(40)).toBe(50);
    expect(relative("-=5", "cd")!(40)).toBe(35);
    expect(relative("-20%", "cd")!(40)).toBe(32);
    expect(relative("+10 %", "cd")!(40)).toBeCloseTo(44);
    expect(relative("+50 cm", "m")!(1)).toBe(1.5);
    expect(relative("-5", "m")).toBeNull();
    expect(relative("12", "m")).toBeNull();
    expect(relative("*x", "m")).toBeNull();
  });

  it("outside of the limits say which", () => {
    expect(outside(5, { min: 0, max: 4 }, "m")).toBe("At most 4 m is allowed.");
    expect(outside(-1, { min: 0, max: 4 }, "")).toBe("At least 0 is needed.");
    expect(outside(0, { min: 0, max: 4, exclusiveMin: true }, "m")).toBe("More than 0 m is needed.");
    expect(outside(3, { min: 0, max: 4 }, "m")).toBe("");
  });
});

test("units of the platform are taken where there are any", () => {
  const u = { u: 0.03125 };
  expect(quantity("64u", "m", u)).toEqual({ value: 2 });
  expect(quantity("64 u + 1 m", "m", u)).toEqual({ value: 3 });
  expect(relative("+=32u", "m", u)!(1)).toBe(2);
  expect(quantity("64u", "m")).toHaveProperty("error");
});
