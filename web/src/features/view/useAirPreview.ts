import { useEffect, useRef, useState } from "react";
import { takeAirPreview, type AirReport, type Level, type Operation } from "../../api/client";
import { merge } from "../../model/apply";
import type { Ghost } from "../../model/ghost";
import type { Session } from "../session";

// The air while something in it is dragged, or is about to be placed: glows, fog, beams, motes. One question is under way
// at a time, about the newest state.

const parts = ["glows", "fog_volumes", "beams", "motes", "fog"] as const;

/** Whether two levels differ in what the air is made of. */
export const airDiffers = (a: Level, b: Level) => a !== b && (parts.some((p) => a[p] !== b[p]) || a.environment.wind !== b.environment.wind);

/** The change that is asked about: whole, and the newest part of it, by which it is known. */
function questionOf({ doc, saved, pending }: Session, ghost: Ghost | null): { newest: Operation; whole: Operation } | null {
  const newest = pending.at(-1);
  if (doc && saved && newest) return airDiffers(saved.document, doc.document) ? { newest, whole: pending.reduce(merge) } : null;
  return ghost?.inAir ? { newest: ghost.op, whole: ghost.op } : null;
}

/** The air as it would be, until what was saved is read; null where nothing of it changes. */
export function useAirPreview(session: Session, ghost: Ghost | null, read: AirReport | undefined): AirReport | null {
  const id = session.doc?.level.id ?? "";
  const [preview, setPreview] = useState<AirReport | null>(null);
  const [arrived, setArrived] = useState(0);
  const busy = useRef<AbortController | null>(null);
  const asked = useRef<Operation | null>(null);
  const question = questionOf(session, ghost);

  useEffect(() => {
    if (!question || busy.current || asked.current === question.newest) return;
    const control = new AbortController();
    busy.current = control;
    asked.current = question.newest;
    void takeAirPreview(id, question.whole, control.signal)
      .catch(() => null)
      .then((report) => {
        busy.current = null;
        if (control.signal.aborted) return;
        if (report) setPreview(report);
        setArrived((n) => n + 1);
      });
    // It goes on with what is newest by then.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [question?.newest, arrived, id]);

  useEffect(() => () => busy.current?.abort(), []);

  // What is saved shows as it was dragged until the air of its revision is there.
  const isRead = session.waiting === 0 && read?.revision === session.doc?.level.revision;
  const holds = question !== null || !isRead;
  useEffect(() => {
    if (!holds) setPreview(null);
  }, [holds]);
  return holds ? preview : null;
}
