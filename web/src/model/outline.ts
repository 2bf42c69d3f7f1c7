import type { Level } from "../api/client";
import type { Cost } from "./cost";
import { search, zoneOfThing } from "./find";
import { taken, thingsOf, type Kind, type Thing } from "./things";

// The rows of the outliner: things by zone, under headings that fold.

export type Filter = "lights" | "air" | "blocks" | "views" | "off" | "findings";
export const everyKind: readonly Filter[] = ["lights", "air", "blocks", "views"];
export const filters: readonly Filter[] = [...everyKind, "off", "findings"];

export type Row = { is: "zone"; id: string; name: string; count: number; open: boolean } | { is: "thing"; thing: Thing; cost?: string };

const kindsOf: Record<"lights" | "air" | "blocks" | "views", readonly Kind[]> = {
  lights: ["point", "spot", "dome", "directional", "box", "rect", "tube", "rig"],
  air: ["glow", "fog volume", "beam", "motes"],
  blocks: ["block", "mesh"],
  views: ["viewpoint", "zone", "probes", "reflection", "path"],
};

/** What is listed where nobody asks for more: a level's blocks would hide its lights. */
const usual: readonly Filter[] = ["lights", "air", "views"];

export function rowsOf(level: Level, query: string, on: readonly Filter[], closed: Readonly<Record<string, boolean>>, findings: ReadonlySet<string>): Row[] {
  const found = query.trim() ? search(level, query, findings) : [...thingsOf(level).values()];
  const groups = on.filter((f) => f in kindsOf) as (keyof typeof kindsOf)[];
  const asked = query.trim() !== "" || on.includes("off") || on.includes("findings");
  const shown = (groups.length > 0 ? groups : asked ? (Object.keys(kindsOf) as (keyof typeof kindsOf)[]) : usual).flatMap((g) => kindsOf[g as keyof typeof kindsOf]);
  const wanted = new Set(shown);
  const things = found.filter((t) => wanted.has(t.kind) && (!on.includes("off") || !t.enabled) && (!on.includes("findings") || findings.has(t.id)));
  const zones = [...level.zones.map((z) => ({ id: z.id, name: z.name || z.id })), { id: "", name: "Whole level" }];
  const byZone = new Map<string, Thing[]>();
  for (const t of things) {
    const zone = t.part === "zones" || t.part === "rigs" ? "" : (zoneOfThing(level, t)?.id ?? "");
    byZone.set(zone, [...(byZone.get(zone) ?? []), t]);
  }
  return zones.flatMap((z): Row[] => {
    const inside = byZone.get(z.id);
    if (!inside) return [];
    const open = !closed[z.id];
    return [{ is: "zone", id: z.id, name: z.name, count: inside.length, open }, ...(open ? inside.map((thing): Row => ({ is: "thing", thing })) : [])];
  });
}

/** The things of some rows in one list, by what they cost. What costs nothing is left out. */
export function rowsByCost(rows: readonly Row[], costs: readonly Cost[]): Row[] {
  const wanted = new Set(rows.flatMap((r) => (r.is === "thing" ? [r.thing.id] : [])));
  const things = costs.filter((c) => wanted.has(c.thing.id));
  return things.length === 0 ? [] : [{ is: "zone", id: "", name: "Costly first", count: things.length, open: true }, ...things.map((c): Row => ({ is: "thing", thing: c.thing, cost: c.text }))];
}

/** Which row is a thing's, or -1. A side of a block stands in its block's row. */
export function indexOf(rows: readonly Row[], id: string): number {
  const thing = taken(id).id;
  return rows.findIndex((r) => r.is === "thing" && r.thing.id === thing);
}

/** The ids from one row to another, for a selection with Shift. */
export function rangeOf(rows: readonly Row[], from: string | null, to: string): string[] {
  const ids = rows.flatMap((r) => (r.is === "thing" ? [r.thing.id] : []));
  const [a, b] = [from === null ? -1 : ids.indexOf(from), ids.indexOf(to)];
  if (a < 0 || b < 0) return [to];
  const range = ids.slice(Math.min(a, b), Math.max(a, b) + 1);
  return a <= b ? range : range.reverse();
}
