import { Matrix4, Quaternion, Vector3 } from "three";
import { describe, expect, it } from "vitest";
import { movedWaters, setWaters, waterOfVertices, waterUniforms } from "./shaders/water";

const box = (id: string) => ({
  id,
  planes: [
    [1, 0, 0, 3],
    [-1, 0, 0, -1],
    [0, 1, 0, 1],
    [0, -1, 0, 0],
    [0, 0, 1, 1],
    [0, 0, -1, 1],
  ] as [number, number, number, number][],
  fades: [1, 0.5, 0.2] as [number, number, number],
  waveM: 0.02,
  lengthM: 1.2,
});
const holds = (planes: readonly (readonly number[])[], at: [number, number, number]) => planes.every(([x, y, z, d]) => x! * at[0] + y! * at[1] + z! * at[2] <= d! + 1e-6);

describe("water in the view", () => {
  it("is where it is dragged, turned and drawn out to", () => {
    const by = new Matrix4().compose(new Vector3(10, 0, 0), new Quaternion().setFromAxisAngle(new Vector3(0, 1, 0), Math.PI / 2), new Vector3(2, 1, 1));
    const [moved, still] = movedWaters([box("a"), box("b")], [{ id: "a", matrix: by }]);
    expect(still).toEqual(box("b"));
    for (const at of [
      [1.1, 0.5, 0.9],
      [2.9, 0.1, -0.9],
      [3.1, 0.5, 0],
      [2, 1.1, 0],
      [0.9, 0.5, 0],
    ] as [number, number, number][]) {
      const there = new Vector3(...at).applyMatrix4(by).toArray() as [number, number, number];
      expect(holds(moved!.planes, there)).toBe(holds(box("a").planes, at));
    }
  });

  it("goes to the card as far as there is room", () => {
    const u = waterUniforms();
    setWaters(u, Array.from({ length: 20 }, (_, i) => box(`w${i}`)));
    expect(u.waterCount.value).toBe(8);
    expect(u.waterPlanesOf.value[7]!.toArray()).toEqual([42, 48]);
    setWaters(u, []);
    expect(u.waterCount.value).toBe(0);
  });

  it("is told by its vertices", () => {
    expect([...waterOfVertices([box("a"), box("b")], [{ id: "x", first: 0, count: 2 }, { id: "b", first: 2, count: 2 }, { id: "a", first: 4, count: 1 }], 6)]).toEqual([0, 0, 2, 2, 1, 0]);
  });
});
