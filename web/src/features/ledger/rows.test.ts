import { describe, expect, it } from "vitest";
import { pairRows, ratioOf, wayText, type Contribution } from "./rows";

const light = (luminance: number) => ({ luminance, r: luminance, g: luminance, b: luminance });
const source = (id: string, direct: number, bounced: number, blocked = false): Contribution => ({
  id,
  name: id,
  kind: "light",
  direct: light(direct),
  bounced: light(bounced),
  blocked,
  blocked_by: [],
  share: 0,
  standard_error: 0,
  visible: blocked ? 0 : 1,
});

describe("two spots", () => {
  it("have each source once, the brightest at either first", () => {
    const rows = pairRows([source("lamp", 1, 0), source("sky", 0, 3), source("hidden", 0, 0, true)], [source("lamp", 8, 1), source("torch", 2, 0), source("dark", 0, 0)]);
    expect(rows.map((r) => r.id)).toEqual(["lamp", "sky", "torch", "hidden"]);
    expect(rows[0]!.a!.direct.luminance).toBe(1);
    expect(rows[0]!.b!.direct.luminance).toBe(8);
    expect(rows[1]!.b).toBeUndefined();
    expect(rows[2]!.a).toBeUndefined();
  });

  it("name all that is in the way of a source at each", () => {
    const behind = (...ids: string[]) => ({ ...source("lamp", 0, 0, true), blocked_by: ids.map((id) => ({ id, point: [0, 0, 0] })) });
    expect(wayText({ id: "lamp", name: "lamp", a: behind("wall", "post"), b: behind("crate") })).toBe("A: wall, post; B: crate");
    expect(wayText({ id: "lamp", name: "lamp", a: source("lamp", 1, 0) })).toBe("");
  });

  it("say how they differ", () => {
    expect(ratioOf(2, 5)).toBe("× 2.5");
    expect(ratioOf(0.002, 3)).toBe("× 1500");
    expect(ratioOf(0, 5)).toBe("B alone");
    expect(ratioOf(5, 0)).toBe("A alone");
    expect(ratioOf(0, 0)).toBe("=");
  });
});
