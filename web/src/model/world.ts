import { Quaternion, Vector3 } from "three";
import type { Level, Schemas } from "../api/client";

// Where things stand once those that carry them are taken into account.

export type Vec = [number, number, number];
export type Pose = { position: Vec; rotation: [number, number, number, number] };
type Placed = { id: string; parent?: string; transform: Schemas["Transform"] };

const carriers = new WeakMap<Level, Map<string, Placed>>();

function carriersOf(level: Level): Map<string, Placed> {
  let all = carriers.get(level);
  if (!all) {
    const lists = [level.solids, level.meshes, level.lights, level.glows, level.fog_volumes, level.beams, level.motes, level.viewpoints, level.paths, level.probes, level.reflections] as unknown as Placed[][];
    const wanted = new Set(lists.flatMap((list) => list.flatMap((e) => (e.parent ? [e.parent] : []))));
    all = new Map(wanted.size > 0 ? lists.flatMap((list) => list.filter((e) => wanted.has(e.id)).map((e) => [e.id, e] as const)) : []);
    carriers.set(level, all);
  }
  return all;
}

/** The pose of an entity in the level's space. */
export function poseOf(level: Level, e: Placed): Pose {
  const own: Pose = { position: e.transform.position as Vec, rotation: e.transform.rotation as Pose["rotation"] };
  const parent = e.parent ? carriersOf(level).get(e.parent) : undefined;
  if (!parent) return own;
  const by = poseOf(level, parent);
  const turn = new Quaternion(...by.rotation);
  const at = new Vector3(...own.position).applyQuaternion(turn);
  return {
    position: [by.position[0] + at.x, by.position[1] + at.y, by.position[2] + at.z],
    rotation: turn.multiply(new Quaternion(...own.rotation)).toArray() as Pose["rotation"],
  };
}

/** A pose of the level's space as the transform of an entity that may be carried. */
export function toLocal(level: Level, e: Pick<Placed, "parent">, pose: Pose): Pose {
  const parent = e.parent ? carriersOf(level).get(e.parent) : undefined;
  if (!parent) return pose;
  const by = poseOf(level, parent);
  const back = new Quaternion(...by.rotation).invert();
  const at = new Vector3(...pose.position).sub(new Vector3(...by.position)).applyQuaternion(back);
  return { position: at.toArray() as Vec, rotation: back.multiply(new Quaternion(...pose.rotation)).toArray() as Pose["rotation"] };
}

/** The rotation that turns -Z to a direction, with +Y kept up as far as that goes. */
export function lookRotation(direction: readonly number[]): Pose["rotation"] {
  const length = Math.hypot(direction[0]!, direction[1]!, direction[2]!) || 1;
  const [x, y, z] = [direction[0]! / length, direction[1]! / length, direction[2]! / length];
  const yaw = Math.hypot(x, z) < 1e-9 ? 0 : Math.atan2(-x, -z);
  const pitch = Math.asin(Math.min(1, Math.max(-1, y)));
  const turn = new Quaternion().setFromAxisAngle(new Vector3(0, 1, 0), yaw).multiply(new Quaternion().setFromAxisAngle(new Vector3(1, 0, 0), pitch));
  return turn.toArray() as Pose["rotation"];
}

export const forwardOf = (rotation: readonly number[]): Vec => new Vector3(0, 0, -1).applyQuaternion(new Quaternion(...(rotation as Pose["rotation"]))).toArray() as Vec;

/** A number without the noise of computing: a tenth of a millimetre, or of a degree's thousandth. */
export const tidy = (v: number) => Number(v.toFixed(4)) + 0;
export const tidyVec = (v: readonly number[]) => v.map(tidy);
/** A rotation without that noise. */
export const tidyTurn = (q: readonly number[]) => q.map((x) => Number(x.toFixed(6)));
