import { Matrix4, Quaternion, Vector3 } from "three";
import type { Level, Schemas } from "../api/client";
import { poseOf } from "./world";

// What changed of blocks and meshes since the picture was read: they follow the hand before the service
// has laid the level out again.

/** A thing that stands elsewhere, and the matrix that brings its vertices there, column by column. */
export type Moved = { id: string; matrix: Matrix4 };
/** What moved, and what is there no more. */
export type Change = { moved: readonly Moved[]; gone: readonly string[] };
export const unchanged: Change = { moved: [], gone: [] };

type Body = Schemas["Solid"] | Schemas["Mesh"];

export function changeBetween(before: Level, now: Level): Change {
  if (before.solids === now.solids && before.meshes === now.meshes) return unchanged;
  const bodies = new Map<string, Body>([...now.solids, ...now.meshes].map((b) => [b.id, b]));
  const moved: Moved[] = [];
  const gone: string[] = [];
  for (const was of [...before.solids, ...before.meshes]) {
    const is = bodies.get(was.id);
    if (was.enabled && !is?.enabled) gone.push(was.id);
    if (!is || (is === was && !is.parent)) continue;
    const [from, to] = [placing(before, was), placing(now, is)];
    if (!from.equals(to)) moved.push({ id: was.id, matrix: to.multiply(from.invert()) });
  }
  return moved.length + gone.length > 0 ? { moved, gone } : unchanged;
}

/** What brings a body of size 1 to its place. */
function placing(level: Level, body: Body): Matrix4 {
  const { position, rotation } = poseOf(level, body);
  const scale = "scale" in body ? body.scale : "size" in body ? body.size : undefined;
  return new Matrix4().compose(new Vector3(...position), new Quaternion(...rotation), new Vector3(...(scale ?? [1, 1, 1])));
}
