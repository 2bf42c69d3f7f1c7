import type { LevelInfo } from "../api/client";
import { counted } from "../ui/counted";

// What a list of levels shows, and in what order.

export type Order = "changed" | "name" | "lights" | "findings";

export const orders: [Order, string][] = [
  ["changed", "last changed"],
  ["name", "name"],
  ["lights", "most lights"],
  ["findings", "most findings"],
];

const findings = (l: LevelInfo) => (l.checked ? 1000 * l.checked.errors + l.checked.warnings : -1);

const compare: Record<Order, (a: LevelInfo, b: LevelInfo) => number> = {
  changed: (a, b) => b.changed.localeCompare(a.changed),
  name: (a, b) => a.name.localeCompare(b.name),
  lights: (a, b) => b.lights - a.lights,
  findings: (a, b) => findings(b) - findings(a),
};

/** Levels that have all the words in their name, owner or platform, in an order. */
export function shownLevels(all: readonly LevelInfo[], search: string, order: Order): LevelInfo[] {
  const words = search.toLowerCase().split(/\s+/).filter(Boolean);
  const text = (l: LevelInfo) => `${l.name} ${l.owner} ${l.platform ?? ""}`.toLowerCase();
  return all.filter((l) => words.every((w) => text(l).includes(w))).sort(compare[order]);
}

/** How far a level's light is baked. */
export function bakedWords(l: LevelInfo): string {
  if (!l.baked) return "not baked";
  return l.baked_revision === l.revision ? `baked ${l.baked}` : `baked ${l.baked}, changed since`;
}

/** What the check said of a level as it is: what weighs most, or all of it. */
export function checkedWords(l: LevelInfo, all = false): string {
  if (!l.checked) return "not checked";
  const { errors, warnings } = l.checked;
  const parts = [errors > 0 && `${errors} refused`, warnings > 0 && counted(warnings, "warning")].filter(Boolean);
  return parts.slice(0, all ? 2 : 1).join(", ") || "nothing to mend";
}
