import type { Level, Schemas } from "../api/client";
import { trianglesOf } from "./geometry";
import { colorOf, colorWords, placeOf, thingsOf, type Thing } from "./things";
import { zoneAt } from "./zones";

// Finding things by words, and things that are alike.

/** The words of states: a query that has one means just that, and not a name with these letters in it. */
const stateWords: ReadonlySet<string> = new Set(["on", "off", "dim", "shadow", "shadowless", "finding"]);

/** The states that a thing is in. */
function statesOf(t: Thing, findings: ReadonlySet<string>): Set<string> {
  const e = t.entity as { strength?: number; shadows?: { cast: boolean } };
  const all = [t.enabled ? "on" : "off"];
  if (e.strength !== undefined && e.strength < 10) all.push("dim");
  if (e.shadows) all.push(e.shadows.cast ? "shadow" : "shadowless");
  if (findings.has(t.id)) all.push("finding");
  return new Set(all);
}

/** What is said of a thing, for searching: its name, id, kind, zone, tags and colour. */
export function wordsOf(level: Level, t: Thing): string {
  const color = colorOf(level, t);
  const rig = level.rigs.find((r) => r.id === t.entity.rig);
  return [
    t.name,
    t.id,
    t.kind,
    t.part === "lights" ? "light" : "",
    zoneNameOf(level, t),
    rig ? `${rig.name ?? ""} ${rig.id}` : "",
    ...(t.entity.tags ?? []),
    ...(color ? [color, ...colorWords(color)] : []),
  ]
    .join(" ")
    .toLowerCase();
}

/** The name of the zone that a thing states or stands in; "" outside all. */
export function zoneNameOf(level: Level, t: Thing): string {
  const zone = zoneOfThing(level, t);
  return zone ? zone.name || zone.id : "";
}

export function zoneOfThing(level: Level, t: Thing) {
  if (t.entity.zone) return level.zones.find((z) => z.id === t.entity.zone);
  const place = t.part === "zones" || t.kind === "directional" ? null : placeOf(level, t);
  return place ? zoneAt(level.zones, place) : undefined;
}

const glue = new Set(["in", "and", "the", "with"]);

/** The things that all words of a query are said of. A word that begins with "-" is left out; "lights" is as good as "light". */
export function search(level: Level, query: string, findings: ReadonlySet<string> = new Set()): Thing[] {
  const words = query.toLowerCase().split(/[\s,]+/).filter((w) => w && !glue.has(w));
  const wanted = words.filter((w) => !w.startsWith("-"));
  const unwanted = words.filter((w) => w.length > 1 && w.startsWith("-")).map((w) => w.slice(1));
  const says = (said: string, w: string) => (/^[a-z0-9]+$/.test(w) && w.length <= 3 ? said.split(/[^a-z0-9#]+/).some((s) => s.startsWith(w)) : said.includes(w));
  const singular = (w: string) => (w.length > 3 && /[^s]s$/.test(w) ? w.slice(0, -1) : w);
  const stateOf = (w: string) => [w, singular(w)].find((x) => stateWords.has(x));
  return [...thingsOf(level).values()].filter((t) => {
    const said = wordsOf(level, t);
    const states = statesOf(t, findings);
    const has = (w: string) => {
      const state = stateOf(w);
      return state ? states.has(state) : says(said, w) || says(said, singular(w));
    };
    return wanted.every(has) && !unwanted.some(has);
  });
}

export type Likeness = "kind" | "colour" | "rig" | "shape" | "zone";

/** The ids of things that are like one of them. */
export function alike(level: Level, id: string, by: Likeness): string[] {
  const all = [...thingsOf(level).values()];
  const like = thingsOf(level).get(id);
  if (!like) return [];
  const key = keyOf(level, like, by);
  return key === "" ? [id] : all.filter((t) => keyOf(level, t, by) === key).map((t) => t.id);
}

function keyOf(level: Level, t: Thing, by: Likeness): string {
  switch (by) {
    case "kind":
      return t.kind;
    case "colour":
      return colorOf(level, t) ?? "";
    case "rig": {
      const rig = level.rigs.find((r) => r.id === t.entity.rig);
      return rig ? rig.preset || rig.id : "";
    }
    case "zone":
      return zoneOfThing(level, t)?.id ?? "";
    case "shape":
      return shapeOf(level, t);
  }
}

/** What a block or mesh is shaped like: equal for those with the same measures, wherever they
 *  stand. "" for what has no shape. */
export function shapeOf(level: Level, t: Thing): string {
  const round = (v: number) => Number(v.toFixed(3));
  if (t.part === "solids") {
    const s = t.entity as unknown as { size?: number[]; planes?: { normal: number[]; distance: number }[] };
    return s.planes?.length ? `planes ${JSON.stringify(s.planes.map((p) => [...p.normal.map(round), round(p.distance)]))}` : `box ${(s.size ?? []).map(round).join(" ")}`;
  }
  if (t.part === "meshes") {
    const { positions, indices, scale } = trianglesOf(level, t.entity as Schemas["Mesh"]);
    // The middle of a mesh may be anywhere: distances from its first vertex, in order, tell.
    const along = (i: number) => (positions[i]! - positions[i % 3]!) * scale[i % 3]!;
    let sum = 0;
    for (let i = 0; i < positions.length; i += 3) sum += ((i % 97) + 1) * Math.hypot(along(i), along(i + 1), along(i + 2));
    return `mesh ${positions.length} ${indices.length} ${sum.toPrecision(6)}`;
  }
  return "";
}
