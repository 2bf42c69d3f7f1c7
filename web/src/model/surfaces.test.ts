import { expect, test } from "vitest";
import type { Level } from "../api/client";
import { materialAt, paint } from "./surfaces";

const level = {
  solids: [{ id: "wall", name: "Wall", surface: { material: "plaster" }, faces: [{ index: 2, material: "tiles" }] }],
  meshes: [{ id: "boat", surface: {} }],
} as unknown as Level;

test("a material is picked up from a face, a block or a mesh", () => {
  expect(materialAt(level, "wall", 2)).toBe("tiles");
  expect(materialAt(level, "wall", 3)).toBe("plaster");
  expect(materialAt(level, "wall", null)).toBe("plaster");
  expect(materialAt(level, "boat", null)).toBe("");
  expect(materialAt(level, "nobody", null)).toBe("");
});

test("a material is put on one face, or on a whole block with the faces of their own", () => {
  expect(paint(level, "wall", 3, "slate", "Slate")!.fields).toEqual({ faces: [{ index: 2, material: "tiles" }, { index: 3, material: "slate" }] });
  expect(paint(level, "wall", null, "slate", "Slate")!.fields).toEqual({ "surface.material": "slate", faces: [{ index: 2, material: "slate" }] });
  expect(paint(level, "nobody", null, "slate", "Slate")).toBeNull();
});
