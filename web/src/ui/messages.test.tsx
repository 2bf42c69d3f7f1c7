// @vitest-environment jsdom
import { act, cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, beforeEach, expect, it, vi } from "vitest";
import { complain, endUndoOffers, Messages, notice, noticeWithUndo } from "./messages";

beforeEach(() => vi.useFakeTimers());
afterEach(() => {
  cleanup();
  vi.useRealTimers();
});
const pass = (seconds: number) => act(() => vi.advanceTimersByTime(seconds * 1000));
const shown = (text: string) => screen.queryByText(text) !== null;

it("shows a notice for four seconds from when it is on the page, but stays while the pointer is on it", () => {
  notice("Shot saved.");
  pass(10);
  render(<Messages />);
  pass(3.9);
  expect(shown("Shot saved.")).toBe(true);
  fireEvent.pointerEnter(screen.getByRole("status"));
  pass(20);
  expect(shown("Shot saved.")).toBe(true);
  fireEvent.pointerLeave(screen.getByRole("status"));
  pass(3.9);
  expect(shown("Shot saved.")).toBe(true);
  pass(0.2);
  expect(shown("Shot saved.")).toBe(false);
});

it("shows an error until it is dismissed", () => {
  render(<Messages />);
  act(() => complain(new Error("The service does not answer.")));
  pass(60);
  expect(screen.getByRole("alert").textContent).toBe("The service does not answer.");
  fireEvent.click(screen.getByRole("button", { name: "Dismiss" }));
  expect(shown("The service does not answer.")).toBe(false);
});

it("offers to take back the last edit until there is another one", () => {
  const undo = vi.fn();
  render(<Messages />);
  act(() => noticeWithUndo("Took clear-night.", undo));
  act(() => notice("Shot saved."));
  act(endUndoOffers);
  expect([shown("Took clear-night."), shown("Shot saved.")]).toEqual([false, true]);
  act(() => noticeWithUndo("Took morning-fog.", vi.fn()));
  act(() => noticeWithUndo("Took full-moon.", undo));
  expect(shown("Took morning-fog.")).toBe(false);
  fireEvent.click(screen.getByRole("button", { name: "Undo" }));
  expect(undo).toHaveBeenCalledOnce();
  expect(shown("Took full-moon.")).toBe(false);
});
