import { beforeEach, describe, expect, it } from "vitest";
import { colorOfUser, forgetStale, heard, own, staleMs, usePresence } from "./presence";

const ivo = { client: "w1", user: "ivo", selection: ["lamp"] };

describe("who else is here", () => {
  beforeEach(() => usePresence.setState({ others: {}, following: null }));
  it("is told of us when new, and not again", () => {
    expect(heard(ivo, 0)).toBe(true);
    expect(heard({ ...ivo, selection: [] }, 5)).toBe(false);
    expect(usePresence.getState().others.w1).toMatchObject({ user: "ivo", selection: [] });
    expect(heard({ ...ivo, client: own }, 5)).toBe(false);
    expect(Object.keys(usePresence.getState().others)).toEqual(["w1"]);
  });
  it("leaves by saying so, or by silence", () => {
    heard(ivo, 0);
    usePresence.setState({ following: "w1" });
    heard({ ...ivo, client: "w2", user: "tove" }, staleMs);
    forgetStale(staleMs + 1);
    expect(usePresence.getState()).toMatchObject({ following: null });
    expect(Object.keys(usePresence.getState().others)).toEqual(["w2"]);
    heard({ ...ivo, client: "w2", leaving: true }, staleMs + 2);
    expect(usePresence.getState().others).toEqual({});
  });
  it("has a colour of its own in every window", () => {
    expect(colorOfUser("ivo")).toBe(colorOfUser("ivo"));
    expect(colorOfUser("ivo")).toMatch(/^hsl/);
  });
});
