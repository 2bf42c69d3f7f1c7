import { BufferAttribute, DoubleSide, Ray as ThreeRay, Vector3, type BufferGeometry, type Mesh } from "three";
import { MeshBVH } from "three-mesh-bvh";
import type { Vec } from "../model/world";
import type { Ray } from "./handles";

/** A place on a surface, and the thing that it is of. */
export type Picked = { point: Vec; normal: Vec; entity: string };
/** Vertices of a thing over which no outline is drawn: it would take too long. */
const mostOutlined = 60_000;

/** The vertices of a thing. closed: its backs are seen from inside alone, or not at all. */
export type Range = { id: string; first: number; count: number; closed?: boolean };

// Finds what a ray meets, by an index over the triangles that are shown. What is hidden is
// neither drawn nor met.
export class Picking {
  private mesh: Mesh<BufferGeometry> | null = null;
  private index: MeshBVH | null = null;
  private ranges: readonly Range[] = [];
  private hidden: ReadonlySet<string> = new Set();
  private behind = false; // vertices moved since the index was made
  /** How many vertices of closed things the index of the mesh begins with. */
  closed = 0;

  take(mesh: Mesh<BufferGeometry>, ranges: readonly Range[]) {
    this.mesh = mesh;
    this.ranges = ranges;
    this.build();
  }

  dispose() {
    this.mesh = null;
    this.index = null;
  }

  /** Whether something is hidden. */
  get hides(): boolean {
    return this.hidden.size > 0;
  }

  /** Takes what is hidden; true if that changed anything. */
  hide(ids: ReadonlySet<string>): boolean {
    if (ids.size === this.hidden.size && [...ids].every((id) => this.hidden.has(id))) return false;
    this.hidden = ids;
    this.build();
    return true;
  }

  /** Vertices moved: the index follows when it is asked next. */
  moved() {
    this.behind = true;
  }

  private current(): MeshBVH | null {
    if (this.behind) this.index?.refit();
    this.behind = false;
    return this.index;
  }

  private build() {
    const g = this.mesh?.geometry;
    if (!g) return;
    const shown = this.ranges.filter((r) => !this.hidden.has(r.id));
    shown.sort((a, b) => Number(b.closed ?? false) - Number(a.closed ?? false));
    const length = (ranges: readonly Range[]) => ranges.reduce((n, r) => n + r.count, 0);
    const count = length(shown);
    this.closed = length(shown.filter((r) => r.closed));
    const vertices = new Uint32Array(count);
    let at = 0;
    for (const r of shown) for (let i = 0; i < r.count; i++) vertices[at++] = r.first + i;
    g.setIndex(new BufferAttribute(vertices, 1));
    // indirect keeps the order of the index, so that what is drawn does not change with it.
    g.setDrawRange(0, Infinity); // the index is of all
    this.behind = false;
    this.index = count > 0 ? new MeshBVH(g, { indirect: true }) : null;
  }

  first(ray: Ray): Picked | null {
    const hit = this.current()?.raycastFirst(toThree(ray), DoubleSide);
    return hit?.face ? this.picked(hit.point, hit.face.a, ray) : null;
  }

  /** The first surface within a distance that is of none of some things. */
  firstWithin(ray: Ray, farM: number, passed: ReadonlySet<string>): { distance: number; normal: Vec } | null {
    const hits = this.current()?.raycast(toThree(ray), DoubleSide, 0, farM) ?? [];
    const hit = hits.sort((a, b) => a.distance - b.distance).find((h) => h.face && !passed.has(this.entityOf(h.face.a)));
    return hit?.face ? { distance: hit.distance, normal: this.picked(hit.point, hit.face.a, ray).normal } : null;
  }

  all(ray: Ray): Picked[] {
    const hits = this.current()?.raycast(toThree(ray), DoubleSide) ?? [];
    const seen = new Set<string>();
    return hits
      .sort((a, b) => a.distance - b.distance)
      .flatMap((hit) => {
        const picked = hit.face ? this.picked(hit.point, hit.face.a, ray) : null;
        if (!picked || seen.has(picked.entity)) return [];
        seen.add(picked.entity);
        return [picked];
      });
  }

  private picked(point: Vector3, vertex: number, ray: Ray): Picked {
    const normals = this.mesh!.geometry.getAttribute("normal");
    const normal = new Vector3().fromBufferAttribute(normals, vertex);
    if (normal.dot(new Vector3(...ray.direction)) > 0) normal.negate(); // seen from behind
    return { point: point.toArray() as Vec, normal: normal.toArray() as Vec, entity: this.entityOf(vertex) };
  }

  /** The box round everything that is shown. */
  bounds(): { low: Vec; high: Vec } {
    const g = this.mesh?.geometry;
    g?.computeBoundingBox();
    const box = g?.boundingBox;
    return box && !box.isEmpty() ? { low: box.min.toArray() as Vec, high: box.max.toArray() as Vec } : { low: [-2, 0, -2], high: [2, 2, 2] };
  }

  /** The edges of things as pairs of points: where two of their faces meet at an angle, or end. */
  edges(ids: readonly string[]): number[] {
    const g = this.mesh?.geometry;
    if (!g || ids.length === 0) return [];
    const position = g.getAttribute("position").array;
    const normal = g.getAttribute("normal").array;
    const out: number[] = [];
    for (const range of this.ranges.filter((r) => ids.includes(r.id))) {
      if (range.count > mostOutlined) continue;
      const seen = new Map<string, { at: number[]; normal: number[]; count: number; bent: boolean }>();
      for (let i = range.first; i < range.first + range.count; i++) {
        const j = (i - range.first) % 3 === 2 ? i - 2 : i + 1;
        const [a, b] = [[0, 1, 2].map((k) => position[3 * i + k]!), [0, 1, 2].map((k) => position[3 * j + k]!)];
        const n = [0, 1, 2].map((k) => normal[3 * i + k]!);
        const names = [a, b].map((p) => p.map((x) => Math.round(x * 1e3)).join()).sort();
        const was = seen.get(names.join(" "));
        if (!was) seen.set(names.join(" "), { at: [...a, ...b], normal: n, count: 1, bent: false });
        else {
          was.count++;
          was.bent ||= was.normal.reduce((sum, x, k) => sum + x * n[k]!, 0) < 0.9;
        }
      }
      for (const e of seen.values()) if (e.count === 1 || e.bent) out.push(...e.at);
    }
    return out;
  }

  /** The thing that a vertex is of; the ranges are in order. */
  private entityOf(vertex: number): string {
    let [low, high] = [0, this.ranges.length - 1];
    while (low < high) {
      const middle = (low + high + 1) >> 1;
      if (this.ranges[middle]!.first <= vertex) low = middle;
      else high = middle - 1;
    }
    return this.ranges[low]?.id ?? "";
  }
}

const toThree = (r: Ray) => new ThreeRay(new Vector3(...r.origin), new Vector3(...r.direction).normalize());
