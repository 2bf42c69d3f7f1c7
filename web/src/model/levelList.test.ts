import { describe, expect, it } from "vitest";
import type { LevelInfo } from "../api/client";
import { bakedWords, checkedWords, shownLevels } from "./levelList";

const info = (part: Partial<LevelInfo>): LevelInfo => ({ id: "x", name: "Level", owner: "maren", role: "owner", revision: 3, changed: "2026-01-01T00:00:00Z", solids: 1, meshes: 0, lights: 0, bytes: 1, ...part });

describe("a list of levels", () => {
  const mill = info({ name: "Paper Mill", changed: "2026-01-03T00:00:00Z", lights: 9, checked: { errors: 0, warnings: 5 } });
  const yard = info({ name: "Tram Yard", owner: "ivo", changed: "2026-01-02T00:00:00Z", lights: 15, checked: { errors: 1, warnings: 0 }, platform: "night-city" });
  const bare = info({ name: "Bare" });
  const all = [bare, yard, mill];

  it("is searched by words in any order", () => {
    expect(shownLevels(all, "mill paper", "name")).toEqual([mill]);
    expect(shownLevels(all, "IVO night", "name")).toEqual([yard]);
    expect(shownLevels(all, "none", "name")).toEqual([]);
  });
  it("is sorted", () => {
    expect(shownLevels(all, "", "changed")).toEqual([mill, yard, bare]);
    expect(shownLevels(all, "", "name")).toEqual([bare, mill, yard]);
    expect(shownLevels(all, "", "lights")).toEqual([yard, mill, bare]);
    expect(shownLevels(all, "", "findings")).toEqual([yard, mill, bare]);
  });
  it("says how its levels stand", () => {
    expect(bakedWords(bare)).toBe("not baked");
    expect(bakedWords(info({ baked: "good", baked_revision: 3 }))).toBe("baked good");
    expect(bakedWords(info({ baked: "good", baked_revision: 2 }))).toBe("baked good, changed since");
    expect([bare, yard, mill].map((l) => checkedWords(l))).toEqual(["not checked", "1 refused", "5 warnings"]);
    expect(checkedWords(info({ checked: { errors: 0, warnings: 0 } }))).toBe("nothing to mend");
  });
});
