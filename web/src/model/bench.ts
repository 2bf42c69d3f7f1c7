import { create } from "zustand";
import { persist } from "zustand/middleware";
import type { Ledger, LightLine, PresetInfo, Variant } from "../api/client";
import { carriedAtFirst, type Carried } from "./carried";
import type { DiscName } from "./discs";
import type { Placeable } from "./edits";
import type { Ghost } from "./ghost";
import type { ViewMode } from "./viewModes";

// What the bench is doing right now and nobody else needs to know: selection, tool, view, and
// values that are being dragged. All that is saved is in the level.

export type Stage = "level" | "mood" | "lights" | "surfaces" | "look" | "checks" | "handover";
export type Panel = "mixer" | "findings" | "ledger" | "history" | "presets" | "shots" | "charts" | "talk";
export type Vec = [number, number, number];
export type CameraGoal = { position: Vec; target: Vec; fov?: number; serial: number };

/** What a click in the view does. */
export type Tool =
  | { is: "select" }
  | { is: "ask" }
  | { is: "comment" }
  | { is: "line"; from: { point: Vec; normal: Vec } | null }
  | { is: "pick-material" }
  | { is: "paint"; material: string; word: string }
  | { is: "aim" }
  | { is: "opening" }
  | { is: "place"; what: Placeable; word: string }
  | { is: "rig"; owner: string; name: string; version: number }
  | { is: "disc-at"; of: DiscName } // stands where the sky is clicked
  | { is: "disc-on"; of: DiscName }; // strikes what is clicked

/** A value of a light that is being dragged: shown, not yet saved. Once it is let go it stays
 *  until the service's light has it. */
export type Live = { strength?: number; color?: string; enabled?: boolean; settled?: true | undefined };

/** A spot that was asked what lights it, and what came back. */
export type Asked = { point: Vec; normal: Vec; answer: Ledger | null };

/** What proves a finding in space: a way, and boxes in which it is so. */
export type Evidence = { path: readonly (readonly number[])[]; region: readonly { min: readonly number[]; max: readonly number[] }[] };

type BenchState = {
  selection: string[]; // the last one is the one that single actions are about
  hovered: string | null;
  tool: Tool;
  ghost: Ghost | null;
  hidden: Record<string, true>; // in this view alone
  locked: Record<string, true>;
  mode: ViewMode;
  markers: boolean;
  panel: Panel;
  live: Record<string, Live>;
  muted: Record<string, boolean>;
  solo: Record<string, boolean>;
  exposure: number | null;
  goal: CameraGoal | null;
  ledger: Asked | null;
  kept: Asked | null; // an earlier answer, to hold against the newest
  line: { from: Vec; to: Vec; normal: Vec; answer: LightLine | null } | null;
  rule: string; // whose findings alone are shown; "" for all
  evidence: Evidence | null; // of the finding that is looked at
  thread: string | null; // of comments, that is open
  remark: { at: Vec | null; entity: string } | null; // a comment that is being written, and where it hangs
  stage: Stage;
  walking: boolean; // as the player, with feet on the ground
  eyeM: number;
  carried: Carried; // by the player who walks
  unitM: number; // metres in a unit of the platform
  namingMix: boolean;
  renaming: string | null; // the thing whose name is typed in the outliner
  trying: PresetInfo | null; // shown in the view for as long as it is pointed at
  autoBake: boolean;
  lookOn: boolean;
  airOn: boolean;
  mirrorsOn: boolean;
  playing: boolean; // motes drift
  sheet: "light" | "air" | "look"; // which of the level's values are shown
  comparing: { viewpoint: string; before: Variant; words: string } | null;
  display: string; // platform whose display is shown; none shows all light
  snapM: number; // grid that dragged and nudged things keep to; 0 for none
  ownAxes: boolean; // handles along the thing's own axes
  dialog: "palette" | "keys" | "repeat" | "tour" | "paste" | "fit" | null;
  folded: { left: boolean; right: boolean; drawer: boolean };
};

const fresh: BenchState = {
  selection: [],
  hovered: null,
  tool: { is: "select" },
  ghost: null,
  hidden: {},
  locked: {},
  mode: "final",
  markers: true,
  panel: "mixer",
  live: {},
  muted: {},
  solo: {},
  exposure: null,
  goal: null,
  ledger: null,
  kept: null,
  line: null,
  rule: "",
  evidence: null,
  thread: null,
  remark: null,
  stage: "level",
  walking: false,
  eyeM: 1.65,
  carried: carriedAtFirst,
  unitM: 1,
  namingMix: false,
  renaming: null,
  trying: null,
  autoBake: true,
  lookOn: true,
  airOn: true,
  mirrorsOn: true,
  playing: false,
  sheet: "light",
  comparing: null,
  display: "",
  snapM: 0.05,
  ownAxes: false,
  dialog: null,
  folded: { left: false, right: false, drawer: false },
};

/** What a person has set up to work by: it is kept in the browser, for every level. */
const habitsOf = ({ markers, autoBake, lookOn, airOn, mirrorsOn, snapM, ownAxes, eyeM, folded }: BenchState) => ({ markers, autoBake, lookOn, airOn, mirrorsOn, snapM, ownAxes, eyeM, folded });

export const useBench = create<BenchState>()(persist(() => fresh, { name: "grotta-bench", partialize: habitsOf }));

/** How a click changes a selection: alone, with Shift or Ctrl. */
export type Adding = "replace" | "toggle" | "add";

export function selectionAfter(now: readonly string[], ids: readonly string[], how: Adding): string[] {
  if (how === "replace") return [...ids];
  const rest = now.filter((id) => !ids.includes(id));
  if (how === "toggle" && ids.every((id) => now.includes(id))) return rest;
  return [...rest, ...ids];
}

export const bench = {
  /** The spot that was asked last. */
  asked: () => useBench.getState().ledger?.point ?? null,
  get: () => useBench.getState(),
  set: (part: Partial<BenchState>) => {
    useBench.setState(part);
  },
  reset: () => {
    useBench.setState((s) => ({ ...fresh, ...habitsOf(s) }), true);
  },
  select: (ids: readonly string[], how: Adding = "replace") => useBench.setState((s) => ({ selection: selectionAfter(s.selection, ids, how) })),
  live: (id: string, value: Live) => useBench.setState((s) => ({ live: { ...s.live, [id]: { ...s.live[id], ...value, settled: undefined } } })),
  settle: (id: string) => useBench.setState((s) => (s.live[id] ? { live: { ...s.live, [id]: { ...s.live[id], settled: true } } } : {})),
  dropSettled: () =>
    useBench.setState((s) => {
      const left = Object.entries(s.live).filter(([, v]) => !v.settled);
      return left.length < Object.keys(s.live).length ? { live: Object.fromEntries(left) } : {};
    }),
  fly: (position: Vec, target: Vec, fov?: number) => useBench.setState((s) => ({ goal: { position, target, fov, serial: (s.goal?.serial ?? 0) + 1 } })),
};

/** The one thing that actions on a single thing are about: the last selected. */
export const usePrimary = () => useBench((s) => s.selection.at(-1) ?? null);

/** The pixels of the view's last frame, small, as RGBA; the view fills it in. */
export const picture: { read: (() => Uint8ClampedArray | null) | null } = { read: null };

/** Where the view's camera stands now; the view fills it in. It moves every frame, so it is
 *  no state. */
export const camera: {
  now: (() => { position: Vec; rotation: [number, number, number, number]; fov_deg: number }) | null;
  frame: ((low: Vec, high: Vec) => void) | null;
} = { now: null, frame: null };
