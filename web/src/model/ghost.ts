import type { Operation } from "../api/client";

/** What a click would place, shown under the pointer before it: the operation that adds it, the
 *  lights among what it adds, whether some of it is in the air, and where the first thing stands. */
export type Ghost = { op: Operation; ids: readonly string[]; lights: readonly string[]; inAir: boolean; at: readonly number[] };

/** The parts of a level that shine or hang in the air. */
export const partsOfAir = ["glows", "fog_volumes", "beams", "motes"] as const;

export function ghostOf({ op, ids }: { op: Operation; ids: readonly string[] }): Ghost {
  const added = (op.op === "batch" ? (op.steps ?? []) : [op]).filter((s) => s.op === "add");
  const entities = added.map((s) => ({ part: s.part, ...(s.entity as { id: string; transform?: { position?: number[] } }) }));
  return { op, ids, lights: entities.filter((e) => e.part === "lights").map((e) => e.id), inAir: entities.some((e) => partsOfAir.some((p) => p === e.part)), at: entities[0]?.transform?.position ?? [0, 0, 0] };
}
