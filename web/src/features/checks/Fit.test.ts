import { describe, expect, it } from "vitest";
import type { Document, Schemas } from "../../api/client";
import { platformsOf } from "../../model/platforms";
import { operationOf } from "./Fit";

describe("a plan to fit", () => {
  it("is for the level's platform first, and for each other once", () => {
    const doc = (platform: string, also: string[]) => ({ document: { platform, also_for: also } }) as unknown as Document;
    expect(platformsOf(doc("pocket", ["baked-arena", "pocket"]))).toEqual(["pocket", "baked-arena"]);
    expect(platformsOf(doc("", []))).toEqual(["baked-arena"]);
  });
  it("is one change of the steps that are taken", () => {
    const step = (id: string) => ({ what: id, operation: { op: "remove", id } });
    const plan = { platforms: ["pocket"], steps: [step("a"), step("b"), step("c")] } as unknown as Schemas["FitPlan"];
    expect(operationOf(plan, [1])).toEqual({ op: "batch", label: "Fit pocket", steps: [step("a").operation, step("c").operation] });
    expect(operationOf(plan, [0, 1, 2])).toBeUndefined();
  });
});
