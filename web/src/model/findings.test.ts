import { describe, expect, it } from "vitest";
import type { Finding, Level } from "../api/client";
import { byRule, filtered, fixAll, spentText, unwaive, waive } from "./findings";

const finding = (rule: string, more: Partial<Finding> = {}): Finding => ({ rule, family: "links", severity: "warning", message: "", why: "", entities: [], ...more });
const remove = (id: string) => ({ op: "remove" as const, id });

describe("findings", () => {
  it("are left out by severity, by family, and where they are waived", () => {
    const all = [finding("a.a"), finding("a.b", { severity: "error" }), finding("b.a", { family: "play" }), finding("b.b", { waived: "so" })];
    const rules = (shown: Parameters<typeof filtered>[1]) => filtered(all, shown).map((f) => f.rule);
    expect(rules({ severity: "", family: "", rule: "", waived: false })).toEqual(["a.a", "a.b", "b.a"]);
    expect(rules({ severity: "error", family: "", rule: "", waived: false })).toEqual(["a.b"]);
    expect(rules({ severity: "", family: "play", rule: "", waived: true })).toEqual(["b.a"]);
    expect(rules({ severity: "", family: "", rule: "", waived: true })).toHaveLength(4);
  });
  it("of one rule stand together", () => {
    expect(byRule([finding("a.a"), finding("b.b"), finding("a.a")]).map((g) => `${g.rule} ${g.findings.length}`)).toEqual(["a.a 2", "b.b 1"]);
  });
  it("are settled together, each fix once, and none that is waived", () => {
    const all = [finding("a.a", { fix: remove("x") }), finding("a.b", { fix: remove("x") }), finding("a.c", { fix: remove("y"), waived: "so" }), finding("a.d")];
    expect(fixAll(all)?.steps).toEqual([remove("x")]);
    expect(fixAll([finding("a.d")])).toBeUndefined();
  });
  it("are waived under a free id, and taken back", () => {
    const level = { waivers: [{ id: "waived-a-a", rule: "a.a", about: ["lamp"], reason: "so" }] } as unknown as Level;
    expect(waive(level, finding("a.a", { entities: ["lamp"], zone: "hall" }), "meant", "maren").entity).toEqual({ id: "waived-a-a-2", rule: "a.a", about: ["lamp"], zone: "hall", reason: "meant", by: "maren" });
    expect(unwaive(level, finding("a.a", { entities: ["lamp"] })).steps).toEqual([remove("waived-a-a")]);
    expect(unwaive(level, finding("a.a", { entities: ["lamp", "post"] })).steps).toEqual([]);
  });
  it("say how much of a limit is taken, small numbers not rounded away", () => {
    const spent = (now: number, most: number, at_most = false) => spentText({ what: "build", rule: "limits.build-time", why: "", now, most, at_most });
    expect(spent(0.17, 30, true)).toBe("at most 0.17 of 30");
    expect(spent(15, 48)).toBe("15 of 48");
    expect(spent(12_400, 34_000_000)).toBe("12 k of 34.0 M");
  });
});
