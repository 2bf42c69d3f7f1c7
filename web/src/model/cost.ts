import type { Level, Schemas } from "../api/client";
import { thingsOf, type Thing } from "./things";

// What things cost the platform: lights by their shadows and how far they reach, surfaces by their texels.

export type Cost = { thing: Thing; text: string };

/** Things by what they cost, the most first: lights that cast shadows, then other lights, each by how far they reach; then what takes
 *  texels. What is off costs nothing. texels are those of things by their ids. */
export function costliest(level: Level, texels: ReadonlyMap<string, number>): Cost[] {
  const ranked = [...thingsOf(level).values()].flatMap((thing) => {
    if (!thing.enabled) return [];
    if (thing.part === "lights") {
      const light = thing.entity as unknown as Schemas["Light"];
      const reach = light.kind === "directional" || light.range_m === 0 ? Infinity : light.range_m;
      const text = `${light.shadows.cast ? "shadow " : ""}${reach === Infinity ? "∞" : Number(reach.toPrecision(3))} m`;
      return [{ thing, text, rank: light.shadows.cast ? 2 : 1, amount: reach }];
    }
    const amount = texels.get(thing.id) ?? 0;
    return amount > 0 ? [{ thing, text: `${Math.round(amount).toLocaleString("en")} texels`, rank: 0, amount }] : [];
  });
  return ranked.sort((a, b) => b.rank - a.rank || (a.amount === b.amount ? 0 : b.amount - a.amount));
}
