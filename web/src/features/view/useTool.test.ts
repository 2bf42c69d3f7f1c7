import { expect, test } from "vitest";
import type { Thing } from "../../model/things";
import { meantBy } from "./useTool";

const thing = (part: string) => ({ id: part, part, kind: "" }) as unknown as Thing;
const picked = (...parts: string[]) => meantBy(parts.map(thing)).map((t) => t.id);

test("a box round lamps picks them and the air about them, a lamp last; then other markers, then blocks", () => {
  expect(picked("lights", "viewpoints", "glows", "solids", "zones")).toEqual(["glows", "lights"]);
  expect(picked("viewpoints", "solids")).toEqual(["viewpoints"]);
  expect(picked("solids", "meshes")).toEqual(["solids", "meshes"]);
  expect(picked()).toEqual([]);
});
