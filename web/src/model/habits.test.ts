// @vitest-environment jsdom
import { beforeEach, describe, expect, it } from "vitest";
import { bench } from "./bench";

describe("the bench", () => {
  beforeEach(() => localStorage.clear());
  it("keeps how a person works, and forgets what they work on, from level to level", () => {
    bench.set({ airOn: false, snapM: 0.25, selection: ["lamp"], exposure: 3 });
    bench.reset();
    expect(bench.get()).toMatchObject({ airOn: false, snapM: 0.25, selection: [], exposure: null });
    expect(JSON.parse(localStorage.getItem("grotta-bench") ?? "{}").state).toMatchObject({ airOn: false, snapM: 0.25 });
    expect(localStorage.getItem("grotta-bench")).not.toContain("lamp");
  });
});
