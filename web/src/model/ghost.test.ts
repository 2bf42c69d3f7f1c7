import { expect, test } from "vitest";
import { ghostOf } from "./ghost";

test("a ghost tells its lights and where it stands", () => {
  const lamp = { op: "add", part: "lights", entity: { id: "point-light", kind: "point", transform: { position: [1, 2, 3] } } } as const;
  expect(ghostOf({ op: lamp, ids: ["point-light"] })).toMatchObject({ lights: ["point-light"], at: [1, 2, 3] });
  const glow = { op: "add", part: "glows", entity: { id: "glow", transform: { position: [0, 1, 0] } } } as const;
  expect(ghostOf({ op: { op: "batch", label: "Both", steps: [glow, lamp] }, ids: ["glow", "point-light"] })).toMatchObject({ lights: ["point-light"], at: [0, 1, 0] });
});
