// @vitest-environment jsdom
import { PerspectiveCamera } from "three";
import { expect, test, vi } from "vitest";
import { CameraHand } from "./camera";

function made() {
  const view = document.createElement("div");
  const moved = vi.fn();
  const camera = new PerspectiveCamera();
  const released = vi.fn();
  const hand = new CameraHand(camera, view, { moved, released, clicked: vi.fn(), hovered: vi.fn(), left: vi.fn(), boxed: vi.fn(), pivot: () => null });
  const press = (kind: "keydown" | "keyup", key: string) => view.dispatchEvent(new KeyboardEvent(kind, { key }));
  moved.mockClear();
  const point = (kind: "down" | "move" | "up", x: number) => view.dispatchEvent(new MouseEvent(`pointer${kind}`, { clientX: x, button: 0 }));
  view.setPointerCapture = view.releasePointerCapture = vi.fn();
  return { camera, hand, moved, released, press, point };
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

test("a drag lasts from its first move until the button is let go, and a click is none", () => {
  const { hand, moved, released, point } = made();
  point("down", 10);
  point("move", 11);
  expect(hand.isDragging).toBe(false);
  point("up", 11);
  expect(released).not.toHaveBeenCalled();
  point("down", 10);
  point("move", 60);
  expect(hand.isDragging).toBe(true);
  expect(moved).toHaveBeenCalled();
  point("up", 60);
  expect(hand.isDragging).toBe(false);
  expect(released).toHaveBeenCalledOnce();
});
