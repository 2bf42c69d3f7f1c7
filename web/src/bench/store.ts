import { create } from "zustand";
import type { Ledger, Variant } from "../api/client";

// What the bench is doing right now and nobody else needs to know: selection,
// view, and values that are being dragged. All that is saved is in the level.

export type ViewMode = "unlit" | "final" | "light" | "brightness" | "texels";
export type Panel = "mixer" | "findings" | "ledger" | "history" | "presets" | "shots";
export type Vec = [number, number, number];
export type CameraGoal = { position: Vec; target: Vec; fov?: number; serial: number };

/** A value of a light that is being dragged: shown, not yet saved. */
export type Live = { strength?: number; color?: string };

type BenchState = {
  selected: string | null;
  mode: ViewMode;
  markers: boolean;
  panel: Panel;
  live: Record<string, Live>;
  muted: Record<string, boolean>;
  solo: Record<string, boolean>;
  exposure: number | null;
  goal: CameraGoal | null;
  ledger: { point: Vec; answer: Ledger | null } | null;
  placing: { kind: "rig"; owner: string; name: string; version: number } | { kind: "sun-at" | "sun-on"; name: "sun" } | null;
  autoBake: boolean;
  lookOn: boolean;
  airOn: boolean;
  playing: boolean; // motes drift
  sheet: "light" | "air" | "look"; // which of the level's values are shown
  comparing: { viewpoint: string; before: Variant } | null;
  display: string; // platform whose display is shown; none shows all light
};

const fresh: BenchState = {
  selected: null,
  mode: "final",
  markers: true,
  panel: "mixer",
  live: {},
  muted: {},
  solo: {},
  exposure: null,
  goal: null,
  ledger: null,
  placing: null,
  autoBake: true,
  lookOn: true,
  airOn: true,
  playing: false,
  display: "",
  sheet: "light",
  comparing: null,
};

export const useBench = create<BenchState>(() => fresh);
export const bench = {
  /** The spot that was asked last. */
  asked: () => useBench.getState().ledger?.point ?? null,
  set: (part: Partial<BenchState>) => useBench.setState(part),
  reset: () => useBench.setState(fresh, true),
  live: (id: string, value: Live) => useBench.setState((s) => ({ live: { ...s.live, [id]: { ...s.live[id], ...value } } })),
  settle: (id: string) =>
    useBench.setState((s) => {
      const { [id]: _, ...rest } = s.live;
      return { live: rest };
    }),
  fly: (position: Vec, target: Vec, fov?: number) =>
    useBench.setState((s) => ({ goal: { position, target, fov, serial: (s.goal?.serial ?? 0) + 1 } })),
};

/** Where the view's camera stands now; the view fills it in. It moves every frame,
 *  so it is no state. */
export const camera: { now: (() => { position: Vec; rotation: [number, number, number, number]; fov_deg: number }) | null } = { now: null };
