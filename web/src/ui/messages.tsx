import { useEffect, useState } from "react";
import { create } from "zustand";
import { X } from "lucide-react";

// Errors and short notices, shown in a corner until they are read.

type Action = { word: string; run: () => void; untilNext?: boolean };
type Message = { id: number; text: string; error: boolean; action?: Action };
const useMessages = create<{ list: Message[] }>(() => ({ list: [] }));
let next = 1;

function drop(id: number) {
  useMessages.setState((s) => ({ list: s.list.filter((m) => m.id !== id) }));
}

const shownMs = 4000;
const actionMs = 12_000;

/** Says something for a moment; longer where it offers to do something about it. */
export function notice(text: string, action?: Action) {
  useMessages.setState((s) => ({ list: [...s.list.slice(-3), { id: next++, text, error: false, action }] }));
}

/** Says what an edit did, and offers to take it back until there is another one. */
export function noticeWithUndo(text: string, undo: () => void) {
  endUndoOffers();
  notice(text, { word: "Undo", run: undo, untilNext: true });
}

/** Withdraws what only the last edit could be taken back by. */
export function endUndoOffers() {
  useMessages.setState((s) => (s.list.some((m) => m.action?.untilNext) ? { list: s.list.filter((m) => !m.action?.untilNext) } : s));
}

export function complain(error: unknown) {
  const text = error instanceof Error ? error.message : String(error);
  useMessages.setState((s) => ({ list: [...s.list.slice(-3), { id: next++, text, error: true }] }));
}

export function Messages() {
  const list = useMessages((s) => s.list);
  return (
    <div className="fixed bottom-4 right-4 z-50 flex flex-col items-end gap-2" aria-live="polite">
      {list.map((m) => (
        <Shown key={m.id} message={m} />
      ))}
    </div>
  );
}

/** A message. A notice goes by itself, but not while the pointer is on it. */
function Shown({ message: m }: { message: Message }) {
  const [held, setHeld] = useState(false);
  useEffect(() => {
    if (m.error || held) return;
    const timer = setTimeout(() => drop(m.id), m.action ? actionMs : shownMs);
    return () => clearTimeout(timer);
  }, [m, held]);
  return (
    <div
      role={m.error ? "alert" : "status"}
      className={`flex max-w-xl items-start gap-3 border bg-base-300 px-3 py-2 shadow-lg ${m.error ? "border-error" : "border-[#4a4a4a]"}`}
      onPointerEnter={() => setHeld(true)}
      onPointerLeave={() => setHeld(false)}
    >
      <span className="whitespace-pre-line">{m.text}</span>
      {m.action && (
        <button
          className="font-semibold text-accent"
          onClick={() => {
            m.action?.run();
            drop(m.id);
          }}
        >
          {m.action.word}
        </button>
      )}
      <button className="dim" aria-label="Dismiss" onClick={() => drop(m.id)}>
        <X size={14} />
      </button>
    </div>
  );
}
