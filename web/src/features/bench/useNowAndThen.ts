import { useEffect, useRef, useState } from "react";

/** What something is; while busy, what it was at most so many milliseconds ago. */
export function useNowAndThen<T extends object>(now: T, busy: boolean, everyMs: number): T {
  const newest = useRef(now);
  const [shown, show] = useState<T | null>(null); // null while it is not busy
  useEffect(() => {
    newest.current = now;
  }, [now]);
  useEffect(() => {
    if (!busy) return;
    const follow = () => show(newest.current);
    follow();
    const timer = setInterval(follow, everyMs);
    return () => {
      clearInterval(timer);
      show(null);
    };
  }, [busy, everyMs]);
  return busy ? (shown ?? now) : now;
}
