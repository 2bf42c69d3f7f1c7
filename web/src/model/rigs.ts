import type { Level, Operation } from "../api/client";
import { freshID } from "./apply";
import { selectedThings } from "./edits";

// Rigs: a fixture, its lights and what goes with them, as one.

const inRigs = new Set(["lights", "glows", "beams", "motes", "fog_volumes", "solids", "meshes"]);

/** Makes one rig of what is selected; null where there are not two things that can be in one. */
export function makeRig(level: Level, ids: readonly string[]): { op: Operation; ids: string[] } | null {
  const members = selectedThings(level, ids).filter((t) => inRigs.has(t.part));
  if (members.length < 2) return null;
  const id = freshID(level, "rig");
  const lamp = members.find((t) => t.part === "lights") ?? members[0]!;
  const name = `${lamp.name} rig`;
  const steps: Operation[] = [{ op: "add", part: "rigs", entity: { id, name } }, ...members.map((t): Operation => ({ op: "set", id: t.id, fields: { rig: id } }))];
  return { op: { op: "batch", label: `Make ${name} of ${members.length} things`, steps }, ids: [id] };
}

/** The rigs that are selected, or that what is selected belongs to. */
export function rigsOf(level: Level, ids: readonly string[]): string[] {
  return [...new Set(selectedThings(level, ids).flatMap((t) => (t.part === "rigs" ? [t.id] : t.entity.rig ? [t.entity.rig] : [])))];
}

/** Breaks rigs up: their members stay, and lights keep the colour and strength that they had
 *  from the rig. */
export function breakRigs(level: Level, ids: readonly string[]): { op: Operation; ids: string[] } | null {
  const rigs = level.rigs.filter((r) => rigsOf(level, ids).includes(r.id));
  if (rigs.length === 0) return null;
  const members: string[] = [];
  const steps: Operation[] = [];
  for (const rig of rigs) {
    for (const light of level.lights.filter((l) => l.rig === rig.id)) {
      const fields: Record<string, unknown> = {};
      if (!light.color && !light.kelvin && rig.key_color) fields.color = rig.key_color;
      if (!light.color && !light.kelvin && !rig.key_color && rig.key_kelvin) fields.kelvin = rig.key_kelvin;
      if (rig.key_strength !== 1) fields.strength = Number((light.strength * rig.key_strength).toPrecision(6));
      if (Object.keys(fields).length > 0) steps.push({ op: "set", id: light.id, fields });
    }
    for (const part of inRigs) members.push(...(level[part as "lights"] as { id: string; rig?: string }[]).filter((e) => e.rig === rig.id).map((e) => e.id));
    steps.push({ op: "remove", id: rig.id });
  }
  return { op: { op: "batch", label: `Break up ${rigs.length === 1 ? rigs[0]!.name || rigs[0]!.id : `${rigs.length} rigs`}`, steps }, ids: members };
}

/** What a rig is made of, as a text to compare: as many things of each kind, which is what rigs that follow one preset
 *  have in common. */
function makeOf(level: Level, rig: string): string {
  return [...inRigs].map((part) => (level[part as "lights"] as { rig?: string; kind?: string }[]).filter((e) => e.rig === rig).map((e) => e.kind ?? "-").join()).join(";");
}

/** The other rigs that are made as one is, but for some. */
export function rigsLike(level: Level, rig: string, without: ReadonlySet<string>): string[] {
  const make = makeOf(level, rig);
  return level.rigs.map((r) => r.id).filter((id) => id !== rig && !without.has(id) && makeOf(level, id) === make);
}
