import { useEffect, useRef, useState } from "react";
import type { Operation } from "../../api/client";

/** A question to the service about a change: whole, and the newest part of it, by which it is known. */
export type Question = { newest: Operation; whole: Operation };

/** Asks about the newest change of a level. One question is under way at a time; it goes on with what is newest by the
 *  time of the answer, and what came between is dropped. */
export function useNewest<Q extends Question>(id: string, question: Q | null, ask: (q: Q, signal: AbortSignal) => Promise<void>) {
  const busy = useRef<AbortController | null>(null);
  const asked = useRef<Operation | null>(null);
  const [answers, setAnswers] = useState(0);

  useEffect(() => {
    if (!question || busy.current || asked.current === question.newest) return;
    const control = new AbortController();
    busy.current = control;
    asked.current = question.newest;
    void ask(question, control.signal)
      .catch(() => undefined) // the next change asks again
      .then(() => {
        busy.current = null;
        if (!control.signal.aborted) setAnswers((n) => n + 1);
      });
    // The rest of the question is part of its newest change.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [question?.newest, answers, id]);

  useEffect(() => () => busy.current?.abort(), []);
}
