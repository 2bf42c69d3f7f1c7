import { useEffect, useState } from "react";

/** A value once it has stayed the same for a while, so that slow work does not start again with
 *  every step. */
export function useSettled<T>(value: T, ms: number): T {
  const [settled, setSettled] = useState(value);
  useEffect(() => {
    const timer = setTimeout(() => setSettled(value), ms);
    return () => clearTimeout(timer);
  }, [value, ms]);
  return settled;
}
