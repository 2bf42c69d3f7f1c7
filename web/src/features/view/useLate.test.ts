// @vitest-environment jsdom
import { act, renderHook } from "@testing-library/react";
import { afterEach, beforeEach, expect, it, vi } from "vitest";
import { useLate } from "./useLate";

beforeEach(() => void vi.useFakeTimers());
afterEach(() => void vi.useRealTimers());
const pass = (ms: number) => act(() => vi.advanceTimersByTime(ms));

it("says that something lasts only once it has lasted", () => {
  const { result, rerender } = renderHook(({ is }) => useLate(is, 800), { initialProps: { is: true } });
  expect(result.current).toBe(false);
  pass(700);
  rerender({ is: false });
  pass(700);
  rerender({ is: true });
  pass(700);
  expect(result.current).toBe(false);
  pass(200);
  expect(result.current).toBe(true);
  rerender({ is: false });
  expect(result.current).toBe(false);
});
