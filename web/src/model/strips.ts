import type { Level, LightmapState, Source } from "../api/client";
import { stripOf } from "../engine/weights";
import { zoneOfThing } from "./find";
import { placeOf, thingsOf } from "./things";

// The strips of the mixer, and how they are grouped.

export type Grouping = "zone" | "rig" | "kind";

export type StripItem = { is: "group"; name: string; ids: string[] } | { is: "strip"; source: Source; rig: string };

/** One source for each strip: of a group, such as the patches of a sky, the first stands for all. */
export function stripsOf(state: LightmapState | undefined): Source[] {
  const strips = new Map<string, Source>();
  for (const s of state?.sources ?? []) {
    if (s.kind === "ambient" && s.strength === 0 && s.id !== "ambient:level") continue;
    const id = stripOf(s);
    if (!strips.has(id)) strips.set(id, { ...s, id });
  }
  return [...strips.values()];
}

/** Strips whose name has all the words, in their groups. What lights the level as a whole comes
 *  first. seen tells of a place whether the camera sees it; what has no place is always seen. */
export function stripItems(level: Level, sources: readonly Source[], by: Grouping, search: string, seen: (place: readonly number[]) => boolean): StripItem[] {
  const words = search.toLowerCase().split(/\s+/).filter(Boolean);
  const groups = new Map<string, { source: Source; rig: string }[]>([["Whole level", []]]);
  const rigNames = new Map(level.rigs.map((r) => [r.id, r.name || r.id]));
  for (const source of sources) {
    if (!words.every((w) => source.name.toLowerCase().includes(w))) continue;
    const thing = thingsOf(level).get(source.id);
    const light = thing?.part === "lights" && thing.kind !== "directional" ? thing : undefined;
    const place = light && placeOf(level, light);
    if (place && !seen(place)) continue;
    const rig = thing?.entity.rig ?? "";
    const zone = light && zoneOfThing(level, light);
    const name = !light ? "Whole level" : by === "kind" ? light.kind : by === "rig" ? (rigNames.get(rig) ?? "No rig") : zone ? zone.name || zone.id : "Outside all zones";
    groups.set(name, [...(groups.get(name) ?? []), { source, rig }]);
  }
  return [...groups].flatMap(([name, list]): StripItem[] =>
    list.length === 0 ? [] : [{ is: "group", name, ids: list.map((s) => s.source.id) }, ...list.map((s): StripItem => ({ is: "strip", ...s }))],
  );
}

/** Whether a camera sees a place: within its picture and a tenth around it, however far. */
export function sees(camera: { position: readonly number[]; rotation: readonly number[]; fov_deg: number }, aspect: number, place: readonly number[]): boolean {
  const [x, y, z, w] = camera.rotation as [number, number, number, number];
  const d = place.map((v, i) => v - camera.position[i]!) as [number, number, number];
  // Into the camera's space: turned by the inverse of its rotation.
  const [tx, ty, tz] = [2 * (-y * d[2] + z * d[1]), 2 * (-z * d[0] + x * d[2]), 2 * (-x * d[1] + y * d[0])];
  const own = [d[0] + w * tx + -y * tz + z * ty, d[1] + w * ty + -z * tx + x * tz, d[2] + w * tz + -x * ty + y * tx];
  if (own[2]! >= 0) return false;
  const half = Math.tan((camera.fov_deg * Math.PI) / 360) * 1.1 * -own[2]!;
  return Math.abs(own[1]!) <= half && Math.abs(own[0]!) <= half * aspect;
}
