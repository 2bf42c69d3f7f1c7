import { useEffect, useRef } from "react";

/** Has every key heard first by what is dragged in the view. What it takes for itself it stops. */
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
