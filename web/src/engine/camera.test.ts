// @vitest-environment jsdom
import { PerspectiveCamera } from "three";
import { expect, test, vi } from "vitest";
import { CameraHand } from "./camera";

function made() {
  const view = document.createElement("div");
  const moved = vi.fn();
  const camera = new PerspectiveCamera();
  const hand = new CameraHand(camera, view, { moved, clicked: vi.fn(), hovered: vi.fn(), left: vi.fn(), boxed: vi.fn(), pivot: () => null });
  const press = (kind: "keydown" | "keyup", key: string) => view.dispatchEvent(new KeyboardEvent(kind, { key }));
  moved.mockClear();
  return { camera, hand, moved, press };
}

test("Shift alone neither moves the camera nor asks for frames", () => {
  const { camera, hand, moved, press } = made();
  press("keydown", "Shift");
  expect(moved).not.toHaveBeenCalled();
  expect(hand.keyDown).toBe(false);
  expect(hand.fly(0.05)).toBe(false);
  expect(camera.position.length()).toBe(0);
});

test("a key flies until it is let go, and Shift makes it faster", () => {
  const { camera, hand, moved, press } = made();
  press("keydown", "w");
  expect(moved).toHaveBeenCalledOnce();
  expect(hand.fly(0.05)).toBe(true);
  const slow = camera.position.length();
  expect(slow).toBeGreaterThan(0);
  camera.position.set(0, 0, 0);
  press("keydown", "Shift");
  expect(hand.fly(0.05)).toBe(true);
  expect(camera.position.length()).toBeGreaterThan(2 * slow);
  press("keyup", "W"); // a capital while Shift is down
  expect(hand.keyDown).toBe(false);
  expect(hand.fly(0.05)).toBe(false);
});
