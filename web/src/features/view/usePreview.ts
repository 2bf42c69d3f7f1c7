import { useEffect, useRef } from "react";
import { takePreview, type Level } from "../../api/client";
import { parsePreview, type Preview } from "../../engine/layers";
import { merge } from "../../model/apply";
import { discNames, type Disc } from "../../model/discs";
import type { Ghost } from "../../model/ghost";
import type { Session } from "../session";
import { useNewest, type Question } from "./useNewest";

// The light of what is being dragged or about to be placed, before it is saved: the service
// makes the direct light of that one source, at draft.

/** Fields whose change leaves a light's layer as it is. */
const mixed = new Set(["strength", "color", "kelvin", "enabled", "name", "tags", "note", "zone", "flicker", "fog_share", "bake", "rig"]);

/** The sources whose light has another shape in one level than in another. */
export function reshaped(saved: Level, shown: Level): string[] {
  if (saved === shown) return [];
  const before = new Map(saved.lights.map((l) => [l.id, l as unknown as Record<string, unknown>]));
  const ids = shown.lights.flatMap((l) => {
    const was = before.get(l.id);
    if (was === (l as unknown)) return [];
    const now = l as unknown as Record<string, unknown>;
    const changed = !was || Object.keys(now).some((k) => !mixed.has(k) && JSON.stringify(now[k]) !== JSON.stringify(was[k]));
    return changed ? [l.id] : [];
  });
  const shapeOf = (d: Disc | undefined) => JSON.stringify(d && [d.azimuth_deg, d.altitude_deg, d.north_deg, d.angular_deg, d.place]);
  return [...ids, ...discNames.filter((name) => shown.environment[name] && shapeOf(saved.environment[name]) !== shapeOf(shown.environment[name]))];
}

const mostSources = 3;

function questionOf({ doc, saved, pending, inGesture }: Session, ghost: Ghost | null): (Question & { sources: string[] }) | null {
  const newest = pending.at(-1);
  if (doc && saved && newest && inGesture && pending.length === 1) {
    const sources = reshaped(saved.document, doc.document).slice(0, mostSources);
    if (sources.length > 0) return { newest, whole: pending.reduce(merge), sources };
  }
  if (ghost && pending.length === 0 && ghost.lights.length > 0) return { newest: ghost.op, whole: ghost.op, sources: ghost.lights.slice(0, mostSources) };
  return null;
}

/** Calls back with every preview that arrives, but for those of a change that was taken back meanwhile. */
export function usePreview(session: Session, ghost: Ghost | null, take: (p: Preview) => void) {
  const id = session.doc?.level.id ?? "";
  const now = useRef({ session, ghost });
  useEffect(() => {
    now.current = { session, ghost };
  });
  useNewest(id, questionOf(session, ghost), async ({ whole, sources }, signal) => {
    const asked = now.current.session.saved?.level.revision;
    const isTakenBack = () => now.current.session.waiting === 0 && !now.current.ghost && now.current.session.saved?.level.revision === asked;
    for (const source of sources) {
      const data = await takePreview(id, whole, source, signal).catch(() => null);
      if (data && !signal.aborted && !isTakenBack()) take(parsePreview(data));
    }
  });
}
