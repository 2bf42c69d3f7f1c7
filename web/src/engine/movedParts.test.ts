import { BufferAttribute, BufferGeometry, Matrix4, Vector3 } from "three";
import { describe, expect, it } from "vitest";
import { MovedParts } from "./movedParts";

const twoPoints = () => {
  const g = new BufferGeometry();
  g.setAttribute("position", new BufferAttribute(new Float32Array([1, 0, 0, 5, 5, 5]), 3));
  g.setAttribute("normal", new BufferAttribute(new Float32Array([1, 0, 0, 0, 1, 0]), 3));
  return g;
};
const ranges = [
  { id: "a", first: 0, count: 1 },
  { id: "b", first: 1, count: 1 },
];
const numbers = (g: BufferGeometry, name: string) => [...g.getAttribute(name).array].map((v) => Math.round(v * 1e5) / 1e5 + 0);

describe("things of a mesh that are moved", () => {
  it("moves from where they were read, however often", () => {
    const g = twoPoints();
    const parts = new MovedParts(g, ranges);
    for (const x of [1, 2, 3]) expect(parts.set([{ id: "a", matrix: new Matrix4().makeTranslation(x, 0, 0) }])).toBe(true);
    expect(numbers(g, "position")).toEqual([4, 0, 0, 5, 5, 5]);
  });

  it("turns normals and keeps their length where a thing grows", () => {
    const g = twoPoints();
    new MovedParts(g, ranges).set([{ id: "a", matrix: new Matrix4().makeRotationY(Math.PI / 2).scale(new Vector3(2, 2, 2)) }]);
    expect(numbers(g, "normal")).toEqual([0, 0, -1, 0, 1, 0]);
  });

  it("puts back what is moved no more, to the bit", () => {
    const g = twoPoints();
    const parts = new MovedParts(g, ranges);
    const before = [...g.getAttribute("position").array];
    parts.set([{ id: "b", matrix: new Matrix4().makeTranslation(0.1, 0.2, 0.3) }]);
    expect(parts.set([])).toBe(true);
    expect([...g.getAttribute("position").array]).toEqual(before);
    expect(parts.set([])).toBe(false);
  });

  it("leaves alone what it does not have", () => {
    expect(new MovedParts(twoPoints(), ranges).set([{ id: "c", matrix: new Matrix4() }])).toBe(false);
  });
});
