import { useEffect, useState } from "react";
import { takeAirPreview, type AirReport, type Level } from "../../api/client";
import { merge } from "../../model/apply";
import { partsOfAir, type Ghost } from "../../model/ghost";
import type { Session } from "../session";
import { useNewest, type Question } from "./useNewest";

// The air while something in it is dragged, or is about to be placed: glows, fog, beams, motes.

const parts = [...partsOfAir, "fog"] as const;

const carriers = ["lights", "solids", "meshes"] as const;

/** Whether one of the things that may carry others stands elsewhere in another level. */
function carrierMoves(a: Level, b: Level): boolean {
  return carriers.some((part) => {
    if (a[part] === b[part]) return false;
    const before = new Map(a[part].map((e) => [e.id, e]));
    return b[part].some((e) => {
      const was = before.get(e.id);
      return was !== undefined && was !== e && JSON.stringify(was.transform) !== JSON.stringify(e.transform);
    });
  });
}

/** Whether two levels differ in what the air is made of, or in where that hangs. */
export function airDiffers(a: Level, b: Level): boolean {
  if (a === b) return false;
  if (parts.some((p) => a[p] !== b[p]) || a.environment.wind !== b.environment.wind) return true;
  return partsOfAir.some((p) => b[p].some((e) => e.parent)) && carrierMoves(a, b);
}

function questionOf({ doc, saved, pending }: Session, ghost: Ghost | null): Question | null {
  const newest = pending.at(-1);
  if (doc && saved && newest) return airDiffers(saved.document, doc.document) ? { newest, whole: pending.reduce(merge) } : null;
  return ghost?.inAir ? { newest: ghost.op, whole: ghost.op } : null;
}

/** The air as it would be, until what was saved is read; null where nothing of it changes. */
export function useAirPreview(session: Session, ghost: Ghost | null, read: AirReport | undefined): AirReport | null {
  const id = session.doc?.level.id ?? "";
  const [preview, setPreview] = useState<AirReport | null>(null);
  const question = questionOf(session, ghost);
  useNewest(id, question, async ({ whole }, signal) => {
    const report = await takeAirPreview(id, whole, signal);
    if (report && !signal.aborted) setPreview(report);
  });

  // What is saved shows as it was dragged until the air of its revision is there.
  const isRead = session.waiting === 0 && read?.revision === session.doc?.level.revision;
  const holds = question !== null || !isRead;
  useEffect(() => {
    if (!holds) setPreview(null); // also one that comes late
  }, [holds, preview]);
  return holds ? preview : null;
}
