import { describe, expect, it } from "vitest";
import type { Level, Report } from "../../api/client";
import { metersOf } from "./Meters";

const level = { lights: [{ enabled: true }, { enabled: true }, { enabled: false }] } as unknown as Level;
const report = (findings: unknown[] = [], budget: unknown[] = []) => ({ findings, budget, lightmap: { pages: 2, bytes: 3_500_000 } }) as unknown as Report;

const perTexel = { bytes_per_texel: 8, thin_wall_m: 0 };

describe("the meters of a platform", () => {
  it("count what is on, and stand for the limits that it has", () => {
    const meters = metersOf(level, report(), { ...perTexel, lights: { max: 4, why: "" }, lightmap_pages: { max: 1, why: "" }, lightmap_bytes: { max: 8e6, why: "" } });
    expect(meters.map((m) => `${m.name} ${m.shown}`)).toEqual(["Lights 2 of 4", "Pages 2 of 1", "Bytes 3.5 of 8.0 MB"]);
    expect(metersOf(level, undefined, perTexel)).toEqual([]);
    const lights = { ...perTexel, lights: { max: 4, why: "" } };
    expect(metersOf(level, report([], [{ rule: "limits.lights", now: 1, most: 4 }]), lights)[0]!.shown, "as the checks count").toBe("1 of 4");
    expect(metersOf(level, undefined, lights)[0]!.shown, "before they did").toBe("2 of 4");
  });
  it("show the worst overlap where it is over the limit", () => {
    const limits = { ...perTexel, shadow_overlap: { max: 5, reserve: 1, why: "" } };
    expect(metersOf(level, report([{ rule: "limits.shadow-overlap", count: 6 }]), limits)[0]).toMatchObject({ now: 6, most: 4, keptFree: 1, shown: "6 of 4" });
    expect(metersOf(level, report(), limits)[0]!.shown).toBe("at most 4");
  });
  it("show the build by its minutes, or by a bound", () => {
    const build = { rule: "limits.build-time", now: 11.04, most: 10 };
    expect(metersOf(level, report([], [build]), perTexel)[0]).toMatchObject({ name: "Build", now: 11, most: 10, shown: "11 of 10 min" });
    expect(metersOf(level, report([], [{ ...build, now: 2.5, at_most: true }]), perTexel)[0]!.shown).toBe("at most 3 of 10 min");
  });
});
