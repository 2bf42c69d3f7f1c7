import { expect, it } from "vitest";
import { short, shortIn } from "./names";

it("writes numbers in at most three digits, thousands as a prefix of the unit", () => {
  expect([0, 0.12345, 130, 9000].map(short)).toEqual(["0", "0.123", "130", "9000"]);
  expect(shortIn(900, "cd")).toBe("900 cd");
  expect(shortIn(42000, "cd")).toBe("42 kcd");
});
