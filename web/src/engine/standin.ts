import type { Range } from "./picking";

// When blocks or meshes change, the lightmap is laid out again and has no light yet. Until it has, things
// keep the light that they had: each vertex takes the place in the lightmap of before that the same
// vertex of the same thing had there.

type Laid = { texels: Float32Array; ranges: readonly Range[] };

/** Places in the lightmap of before for the vertices of a changed scene. Those of things that are new, or have
 *  another number of vertices, have the page -1: no place. */
export function placesBefore(before: Laid, now: Laid): Float32Array<ArrayBuffer> {
  const out = new Float32Array(now.texels.length);
  const was = new Map(before.ranges.map((r) => [r.id, r]));
  for (const { id, first, count } of now.ranges) {
    const old = was.get(id);
    if (old?.count === count) out.set(before.texels.subarray(3 * old.first, 3 * (old.first + count)), 3 * first);
    else for (let i = first; i < first + count; i++) out[3 * i + 2] = -1;
  }
  return out;
}
