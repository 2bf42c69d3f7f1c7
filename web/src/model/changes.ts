import type { Change } from "../api/client";

// What differs between two states of a level, in words.

/** A value in a few characters. */
export function valueWords(v: unknown): string {
  if (v === undefined || v === null) return "none";
  if (typeof v === "number") return String(Number(v.toPrecision(4)));
  if (typeof v === "boolean") return v ? "on" : "off";
  if (typeof v === "string") return v.length > 24 ? `${v.slice(0, 22)}…` : v || "none";
  if (Array.isArray(v) && v.length <= 4 && v.every((x) => typeof x === "number")) return v.map((x) => String(Number(x.toPrecision(3)))).join(", ");
  return Array.isArray(v) ? `${v.length} entries` : "other values";
}

/** From one value to another: a whole thing, such as the sun, comes or goes. */
function stepWords(from: unknown, to: unknown): string {
  const [was, is] = [from, to].map((v) => typeof v === "object" && v !== null && !Array.isArray(v));
  if (was && is) return "other values";
  if (was || is) return was ? "removed" : "added";
  return `${valueWords(from)} → ${valueWords(to)}`;
}

/** A field's path as words: "shadows.cast" as "shadows cast", "range_m" as "range m". */
export const pathWords = (path: string) => path.replace(/^environment\./, "").replace(/[._]/g, " ");

/** What became of a thing, in a line. */
export function changeWords(c: Change): string {
  if (c.kind === "add") return "added";
  if (c.kind === "remove") return "removed";
  return (c.fields ?? []).map((f) => `${pathWords(f.path)}: ${stepWords(f.from, f.to)}`).join(", ");
}

export const moodParts = ["sky", "stars", "sun", "moon", "ambient", "fog", "wind", "mode", "look"] as const;
export type MoodPart = (typeof moodParts)[number];

/** The level's own fields that would change, or a zone's, by the parts of a mood. */
export function changesByPart(changes: readonly Change[]): Map<MoodPart, { path: string; step: string }[]> {
  const out = new Map<MoodPart, { path: string; step: string }[]>();
  for (const f of changes.find((c) => !c.id || c.part === "zones")?.fields ?? []) {
    const path = f.path.replace(/^environment\./, "");
    const part = moodParts.find((m) => path === m || path.startsWith(`${m}.`));
    if (!part) continue;
    out.set(part, [...(out.get(part) ?? []), { path: pathWords(path.slice(part.length + 1)) || part, step: stepWords(f.from, f.to) }]);
  }
  return out;
}
