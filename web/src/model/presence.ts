import { create } from "zustand";
import type { Schemas } from "../api/client";

// Who else has the level open, and what they look at. Each window says so every few seconds;
// one that was not heard of for a while has left.

export type Presence = Schemas["Presence"];
type Other = Presence & { heard: number };

export const staleMs = 20_000;

export const usePresence = create<{ others: Record<string, Other>; following: string | null }>(() => ({ others: {}, following: null }));

/** The name of this window. */
export const own = Math.random().toString(36).slice(2);

/** Takes what was heard of a window; true where it is new here, and is to be told of us. */
export function heard(p: Presence, now: number): boolean {
  if (p.client === own) return false;
  const { others } = usePresence.getState();
  if (p.leaving) {
    const { [p.client]: _, ...rest } = others;
    usePresence.setState((s) => ({ others: rest, following: s.following === p.client ? null : s.following }));
    return false;
  }
  usePresence.setState({ others: { ...others, [p.client]: { ...p, heard: now } } });
  return !others[p.client];
}

/** Forgets who was not heard of for too long. */
export function forgetStale(now: number) {
  const { others, following } = usePresence.getState();
  const left = Object.fromEntries(Object.entries(others).filter(([, o]) => now - o.heard < staleMs));
  if (Object.keys(left).length < Object.keys(others).length) usePresence.setState({ others: left, following: following && left[following] ? following : null });
}

const hues = [200, 120, 290, 25, 160, 330];

/** A colour for a person, the same in every window. */
export function colorOfUser(name: string): string {
  let sum = 0;
  for (const c of name) sum = (sum * 31 + c.codePointAt(0)!) >>> 0;
  return `hsl(${hues[sum % hues.length]} 55% 65%)`;
}
