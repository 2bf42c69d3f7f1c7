import { useEffect, useRef } from "react";
import { keyOf } from "../commands/command";

/** Whether a key takes back what is dragged: Esc, or the key of undo. */
export const takesBack = (e: KeyboardEvent) => ["Escape", "Ctrl+Z"].includes(keyOf(e));

/** Lets what is dragged hear every key before all else. It stops those that it uses. */
export function useDragKeys(hear: (e: KeyboardEvent) => void) {
  const newest = useRef(hear);
  useEffect(() => {
    newest.current = hear;
  });
  useEffect(() => {
    const listen = (e: KeyboardEvent) => newest.current(e);
    window.addEventListener("keydown", listen, true);
    return () => window.removeEventListener("keydown", listen, true);
  }, []);
}
