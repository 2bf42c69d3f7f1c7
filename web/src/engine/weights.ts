import type { Source } from "../api/client";
import type { Weight } from "./mix";
import { linear } from "./color";
import type { Live } from "../model/bench";

/** What each source is mixed with now: saved values, under what is being dragged,
 *  muted or soloed. */
export function weightOf(source: Source, live: Live | undefined, muted: boolean, silenced: boolean): Weight {
  if (muted || silenced || live?.enabled === false) return [0, 0, 0];
  if (!live) return source.weight as unknown as Weight;
  const c = live.color ? linear(live.color) : source.color;
  const on = live.enabled || source.weight.some((w) => w !== 0) || source.strength === 0;
  const k = on ? (live.strength ?? source.strength) : 0;
  return [c[0]! * k, c[1]! * k, c[2]! * k];
}

/** The strip that a source belongs to: its group's, or its own. */
export const stripOf = (s: Source): string => s.group || s.id;
