import type { Schemas } from "../../api/client";

export type Contribution = Schemas["Contribution"];

/** What a source gives a spot, direct and bounced, in lux. */
export const luxOf = (c: Contribution | undefined) => (c ? c.direct.luminance + c.bounced.luminance : 0);

/** Those that give a spot light, or would if nothing were in the way. */
export const countedOf = (sources: readonly Contribution[]) => sources.filter((c) => luxOf(c) > 0 || c.blocked);

/** A source at two spots; one may be missing. */
export type PairRow = { id: string; name: string; a?: Contribution; b?: Contribution };

/** The sources of two spots, each once, the one that gives either of them most first. */
export function pairRows(a: readonly Contribution[], b: readonly Contribution[]): PairRow[] {
  const rows = new Map<string, PairRow>();
  for (const c of countedOf(a)) rows.set(c.id, { id: c.id, name: c.name, a: c });
  for (const c of countedOf(b)) rows.set(c.id, { ...rows.get(c.id), id: c.id, name: c.name, b: c });
  const most = (r: PairRow) => Math.max(luxOf(r.a), luxOf(r.b));
  return [...rows.values()].sort((r, s) => most(s) - most(r));
}

/** How the second spot's light is to the first's, in few letters. */
export function ratioOf(a: number, b: number): string {
  if (a === b) return "=";
  if (a === 0) return "B alone";
  if (b === 0) return "A alone";
  return `× ${Number((b / a).toPrecision(2))}`;
}

/** All that is in the way at either spot, for a tooltip. */
export function wayText({ a, b }: PairRow): string {
  const at = (name: string, c: Contribution | undefined) => (c?.blocked_by.length ? [`${name}: ${c.blocked_by.map((x) => x.id).join(", ")}`] : []);
  return [...at("A", a), ...at("B", b)].join("; ");
}
