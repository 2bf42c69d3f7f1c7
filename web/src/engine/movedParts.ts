import { Matrix3, Vector3, type BufferAttribute, type BufferGeometry } from "three";
import type { Moved } from "../model/moved";
import type { Range } from "./picking";

// Brings things of a mesh to where they are dragged, and back.

export class MovedParts {
  private readonly still = new Map<string, { range: Range; positions: Float32Array; normals: Float32Array }>(); // as they were read

  constructor(
    private readonly geometry: BufferGeometry,
    private readonly ranges: readonly Range[],
  ) {}

  /** Takes all that stands elsewhere than it was read; true if that changed anything. */
  set(moved: readonly Moved[]): boolean {
    const now = new Set(moved.map((m) => m.id));
    const back = [...this.still.keys()].filter((id) => !now.has(id));
    const positions = this.geometry.getAttribute("position") as BufferAttribute;
    const normals = this.geometry.getAttribute("normal") as BufferAttribute;
    const place = new Vector3();
    for (const id of back) this.putBack(id);
    let any = back.length > 0;
    for (const { id, matrix } of moved) {
      const of = this.still.get(id) ?? this.read(id);
      if (!of) continue;
      any = true;
      const turn = new Matrix3().getNormalMatrix(matrix);
      for (let i = 0; i < of.range.count; i++) {
        place.fromArray(of.positions, 3 * i).applyMatrix4(matrix).toArray(positions.array, 3 * (of.range.first + i));
        place.fromArray(of.normals, 3 * i).applyMatrix3(turn).normalize().toArray(normals.array, 3 * (of.range.first + i));
      }
      this.changed(of.range);
    }
    return any;
  }

  /** Whether something stands elsewhere than it was read. */
  get any(): boolean {
    return this.still.size > 0;
  }

  /** Puts everything back. */
  restore() {
    this.set([]);
  }

  private read(id: string) {
    const range = this.ranges.find((r) => r.id === id);
    if (!range) return null;
    const part = (name: string) => (this.geometry.getAttribute(name).array as Float32Array).slice(3 * range.first, 3 * (range.first + range.count));
    const of = { range, positions: part("position"), normals: part("normal") };
    this.still.set(id, of);
    return of;
  }

  private putBack(id: string) {
    const { range, positions, normals } = this.still.get(id)!;
    this.geometry.getAttribute("position").array.set(positions, 3 * range.first);
    this.geometry.getAttribute("normal").array.set(normals, 3 * range.first);
    this.changed(range);
    this.still.delete(id);
  }

  private changed(range: Range) {
    for (const name of ["position", "normal"]) {
      const a = this.geometry.getAttribute(name) as BufferAttribute;
      a.addUpdateRange(3 * range.first, 3 * range.count);
      a.needsUpdate = true;
    }
  }
}
