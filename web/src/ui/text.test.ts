import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { counted } from "./counted";
import { ago } from "./time";

describe("ago", () => {
  beforeEach(() => vi.useFakeTimers({ now: new Date("2026-06-21T12:00:00Z") }));
  afterEach(() => vi.useRealTimers());
  it.each([
    ["2026-06-21T11:59:58Z", "2 s ago"],
    ["2026-06-21T11:58:01Z", "2 min ago"],
    ["2026-06-21T09:00:00Z", "3 h ago"],
    ["2026-06-20T00:00:00Z", "36 h ago"],
    ["2026-06-21T12:00:05Z", "0 s ago"], // the service's clock is ahead
  ])("%s is %s", (time, want) => expect(ago(time)).toBe(want));
  it("gives the date after two days", () => {
    expect(ago("2026-06-01T12:00:00Z")).toBe(new Date("2026-06-01T12:00:00Z").toLocaleDateString());
  });
});

describe("counted", () => {
  it.each([
    [0, "0 lights"],
    [1, "1 light"],
    [1200, "1,200 lights"],
  ])("%d is %s", (n, want) => expect(counted(n, "light")).toBe(want));
});
