import { useCallback, useEffect, useState, useSyncExternalStore } from "react";
import { useQueryClient } from "@tanstack/react-query";
import { api, ProblemError, type Document, type Operation, type Problem } from "../api/client";
import { EditQueue, type Gesture, type Outcome, type QueueState, type Transport } from "../model/queue";
import { complain, endUndoOffers } from "../ui/messages";
import { useDocument } from "./data";
import { keepEdits, takeKept } from "./kept";

// The edits of one level, from the bench to the service.

/** What an answer to an edit means for the queue. */
export function outcomeOf(status: number, problem: Partial<Problem>): Outcome {
  if (status === 401) return { is: "signed-out" };
  if (status === 404) return { is: "gone" };
  // The service is full, too busy, or on its way up: the same edit is sent again.
  if (status === 429 || status >= 500) return { is: "offline", why: new ProblemError(problem).message };
  return { is: "refused", why: new ProblemError(problem).message, conflict: status === 409 };
}

function transportFor(id: string, user: string): Transport {
  return {
    keep: (edits) => keepEdits(user, id, edits),
    wait: (ms) =>
      new Promise((done) => {
        const timer = setTimeout(done, ms);
        addEventListener("online", () => (clearTimeout(timer), done()), { once: true });
      }),
    send: async (op, base) => {
      try {
        const { data, error, response } = await api.POST("/api/v1/levels/{id}/operations", { params: { path: { id }, header: { "If-Match": `"${base}"` } }, body: op });
        return data ? { is: "saved", revision: data.number } : outcomeOf(response.status, (error ?? {}) as Partial<Problem>);
      } catch {
        return { is: "offline" };
      }
    },
    arrived: async (op, sentOn) => {
      const { data } = await api.GET("/api/v1/levels/{id}/revisions", { params: { path: { id }, query: { limit: 50 } } });
      const same = JSON.stringify(inOrder(op));
      return data?.items.find((r) => r.number > sentOn && r.author === user && r.operation && JSON.stringify(inOrder(r.operation)) === same)?.number ?? 0;
    },
  };
}

/** A value whose objects have their names in order, so that equal ones are equal texts. */
function inOrder(v: unknown): unknown {
  if (Array.isArray(v)) return v.map(inOrder);
  if (typeof v !== "object" || v === null) return v;
  return Object.fromEntries(
    Object.entries(v)
      .sort(([a], [b]) => (a < b ? -1 : 1))
      .map(([k, x]) => [k, inOrder(x)]),
  );
}

export type Session = {
  doc: Document | null;
  /** Without what is on its way: what the service can be asked about. */
  saved: Document | null;
  error: Error | null;
  state: QueueState;
  why: string;
  waiting: number;
  /** Whether something is being dragged or nudged right now. */
  inGesture: boolean;
  /** Whether it is held by a hand. */
  isHeld: boolean;
  /** What is on its way, in order. */
  pending: readonly Operation[];
  edit: (op: Operation, gesture?: Gesture) => void;
  endGesture: () => void;
  /** Takes back what a hand holds. */
  dropGesture: () => void;
  undo: () => void;
  redo: () => void;
  retry: () => void;
};

type Line = { queue: EditQueue; version: () => number; subscribe: (tell: () => void) => () => void };

// One for each level that was opened on this page: edits of a level that one has left are
// sent on, and are there when one comes back.
const lines = new Map<string, Line>();

function lineOf(id: string, user: string): Line {
  const name = `${user} ${id}`;
  const was = lines.get(name);
  if (was && was.queue.state !== "gone") return was;
  let version = 0;
  const listeners = new Set<() => void>();
  const queue = new EditQueue(
    transportFor(id, user),
    () => {
      version++;
      listeners.forEach((tell) => tell());
    },
    (why, edit, conflict) => complain(new Error(conflict ? `${why}\nYour change was not saved: ${edit.op.label ?? edit.op.op}.` : why)),
  );
  void takeKept(user, id).then((edits) => edits.length > 0 && queue.restore(edits));
  const line: Line = { queue, version: () => version, subscribe: (tell) => (listeners.add(tell), () => void listeners.delete(tell)) };
  lines.set(name, line);
  return line;
}

/** A level with the edits that are on their way. */
export function useSession(id: string, user: string): Session {
  const base = useDocument(id);
  const queries = useQueryClient();
  const [line] = useState(() => lineOf(id, user)); // the bench is made again for another level
  useSyncExternalStore(line.subscribe, line.version);
  const { queue } = line;

  useEffect(() => {
    if (base.data) queue.setBase(base.data);
  }, [queue, base.data]);

  const read = useCallback(() => queries.invalidateQueries({ queryKey: ["level", id] }), [queries, id]);
  const revision = queue.shown?.level.revision;
  const saved = queue.state === "saved";
  // Once all is saved the service's own document takes the place of what was guessed.
  useEffect(() => {
    if (!saved || revision === undefined || base.data?.level.revision === revision) return;
    const timer = setTimeout(read, 250);
    return () => clearTimeout(timer);
  }, [saved, revision, base.data, read]);

  const step = useCallback(
    async (kind: "undo" | "redo") => {
      endUndoOffers();
      if (kind === "undo" && queue.state !== "saved" && queue.takeBack()) return;
      await queue.settled();
      try {
        const { error, response } = await api.POST(`/api/v1/levels/{id}/${kind}`, { params: { path: { id } } });
        if (!response.ok) complain(new ProblemError((error ?? {}) as Partial<Problem>));
      } catch {
        complain(new Error("The service does not answer. Is it running?"));
      }
      await read();
    },
    [queue, id, read],
  );

  return {
    doc: queue.shown,
    saved: queue.saved,
    error: queue.state === "gone" ? new Error("This level is not there any more, or it is not shared with you now.") : base.error && !queue.shown ? base.error : null,
    state: queue.state,
    why: queue.why,
    waiting: queue.count,
    inGesture: queue.inGesture,
    isHeld: queue.isHeld,
    pending: queue.operations,
    edit: useCallback((op, gesture) => (endUndoOffers(), queue.push(op, gesture)), [queue]),
    endGesture: useCallback(() => queue.endGesture(), [queue]),
    dropGesture: useCallback(() => queue.dropGesture(), [queue]),
    undo: useCallback(() => void step("undo"), [step]),
    redo: useCallback(() => void step("redo"), [step]),
    retry: useCallback(() => queue.retry(), [queue]),
  };
}
