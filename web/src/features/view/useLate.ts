import { useEffect, useState } from "react";

/** Whether something has been so for a while: what passes at once needs no word. */
export function useLate(is: boolean, ms: number): boolean {
  const [late, setLate] = useState(false);
  useEffect(() => {
    if (!is) return;
    const timer = setTimeout(() => setLate(true), ms);
    return () => {
      clearTimeout(timer);
      setLate(false);
    };
  }, [is, ms]);
  return is && late;
}
