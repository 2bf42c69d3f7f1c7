import { describe, expect, it } from "vitest";
import type { Change } from "../api/client";
import { changesByPart, changeWords, valueWords } from "./changes";

describe("changes in words", () => {
  it("are short", () => {
    expect([undefined, 0.123456, true, "a name that is far too long for it", [1, 2.34567, 3], [..."abcdefg"], {}].map(valueWords)).toEqual(["none", "0.1235", "on", "a name that is far too…", "1, 2.35, 3", "7 entries", "other values"]);
  });
  it("say what became of a thing", () => {
    const base = { part: "lights", id: "lamp", name: "Lamp" };
    expect(changeWords({ ...base, kind: "add" })).toBe("added");
    expect(changeWords({ ...base, kind: "set", fields: [{ path: "shadows.cast", from: true, to: false }, { path: "strength", from: 10, to: 40 }] })).toBe("shadows cast: on → off, strength: 10 → 40");
  });
  it("say that a whole thing came or went", () => {
    const whole = (from: unknown, to: unknown) => changeWords({ kind: "set", name: "Level", fields: [{ path: "environment.sun", from, to }] });
    expect(whole({ strength: 1 }, null)).toBe("sun: removed");
    expect(whole(undefined, { strength: 1 })).toBe("sun: added");
    expect(whole({ strength: 1 }, { strength: 2 })).toBe("sun: other values");
  });
  it("are grouped by the parts of a mood", () => {
    const changes: Change[] = [
      { kind: "set", name: "Level", fields: [{ path: "environment.sky.luminance", from: 1, to: 2 }, { path: "fog.haze.density", from: 0, to: 0.1 }, { path: "note", from: "", to: "x" }] },
      { kind: "set", id: "lamp", part: "lights", name: "Lamp", fields: [{ path: "strength", from: 1, to: 2 }] },
    ];
    expect([...changesByPart(changes)]).toEqual([
      ["sky", [{ path: "luminance", step: "1 → 2" }]],
      ["fog", [{ path: "haze density", step: "0 → 0.1" }]],
    ]);
  });
});
