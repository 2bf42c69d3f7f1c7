// @vitest-environment jsdom
import { act, renderHook } from "@testing-library/react";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { useNowAndThen } from "./useNowAndThen";

beforeEach(() => void vi.useFakeTimers());
afterEach(() => void vi.useRealTimers());

const [a, b, c, d] = [{ n: 1 }, { n: 2 }, { n: 3 }, { n: 4 }] as const;

describe("what is followed now and then", () => {
  const follow = () => renderHook(({ now, busy }) => useNowAndThen<{ n: number }>(now, busy, 300), { initialProps: { now: a as { n: number }, busy: false } });

  it("is followed at once where nothing is busy", () => {
    const h = follow();
    h.rerender({ now: b, busy: false });
    expect(h.result.current).toBe(b);
  });

  it("is followed after a while where something is", () => {
    const h = follow();
    h.rerender({ now: b, busy: true });
    h.rerender({ now: c, busy: true });
    act(() => void vi.advanceTimersByTime(200));
    expect(h.result.current).toBe(b);
    h.rerender({ now: d, busy: true });
    act(() => void vi.advanceTimersByTime(110));
    expect(h.result.current).toBe(d);
  });

  it("is the newest as soon as nothing is busy any more", () => {
    const h = follow();
    h.rerender({ now: b, busy: true });
    h.rerender({ now: c, busy: true });
    expect(h.result.current).toBe(b);
    h.rerender({ now: d, busy: false });
    expect(h.result.current).toBe(d);
    h.rerender({ now: a, busy: true });
    expect(h.result.current).toBe(a);
  });
});
