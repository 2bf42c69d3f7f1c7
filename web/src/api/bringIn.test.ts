import { describe, expect, it } from "vitest";
import { bundlesOf } from "./bringIn";

const picked = (...paths: string[]) => paths.map((path) => ({ path, file: new File([], path.split("/").at(-1)!) }));
const names = (paths: string[]) => bundlesOf(picked(...paths)).map((b) => [b.main.path, ...b.beside.map((p) => p.path)]);

describe("files that are brought in", () => {
  it("are sorted into what is read and what belongs to it", () => {
    expect(names(["hall/hall.gltf", "hall/hall.bin", "hall/wood.png"])).toEqual([["hall/hall.gltf", "hall/hall.bin", "hall/wood.png"]]);
    expect(names(["a.glb", "b.glb"])).toEqual([["a.glb"], ["b.glb"]]);
    expect(names(["a.glb", "a.png"])).toEqual([["a.glb"]]);
    expect(names(["crate.obj", "crate.mtl"])).toEqual([["crate.obj", "crate.mtl"]]);
    expect(names(["picture.png"])).toEqual([["picture.png"]]);
  });
});
