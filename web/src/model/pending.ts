import type { Level, LightmapState } from "../api/client";
import { channels } from "../engine/color";
import type { Live } from "./bench";
import { colorOf, thingsOf } from "./things";

/** What the level says of each light and the service's mix does not have yet: edits that are
 *  on their way show at once. */
export function pendingLive(level: Level, state: LightmapState | undefined): Record<string, Live> {
  if (!state) return {};
  const out: Record<string, Live> = {};
  const rigs = new Map(level.rigs.map((r) => [r.id, r.key_strength]));
  const sources = new Map(state.sources.map((s) => [s.id, s]));
  for (const light of level.lights) {
    const s = sources.get(light.id);
    if (!s || light.follows !== "none") continue;
    const strength = light.strength * (rigs.get(light.rig ?? "") ?? 1);
    const on = s.weight.some((w) => w !== 0);
    const live: Live = {};
    if (Math.abs(strength - s.strength) > 1e-4 * Math.max(strength, s.strength)) live.strength = strength;
    if (light.enabled !== on && s.strength > 0) live.enabled = light.enabled;
    const hex = light.color && colorOf(level, thingsOf(level).get(light.id)!);
    if (hex && !sameHex(hex, s.color)) live.color = hex;
    if (Object.keys(live).length > 0) out[light.id] = live;
  }
  return out;
}

/** Whether a colour code is a linear colour, to what a code can tell. */
function sameHex(hex: string, color: readonly number[]): boolean {
  const encode = (x: number) => Math.round(255 * (x <= 0.0031308 ? x * 12.92 : 1.055 * x ** (1 / 2.4) - 0.055));
  return channels(hex).every((v, i) => Math.abs(Math.round(255 * v) - encode(color[i]!)) <= 1);
}
