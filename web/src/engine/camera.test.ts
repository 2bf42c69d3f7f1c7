// @vitest-environment jsdom
import { PerspectiveCamera } from "three";
import { expect, test, vi } from "vitest";
import { CameraHand } from "./camera";

function made() {
  const view = document.createElement("div");
  const moved = vi.fn();
  const camera = new PerspectiveCamera();
  const released = vi.fn();
  const boxed = vi.fn();
  const hand = new CameraHand(camera, view, { moved, released, clicked: vi.fn(), hovered: vi.fn(), left: vi.fn(), boxed, pivot: () => null });
  const press = (kind: "keydown" | "keyup", key: string) => view.dispatchEvent(new KeyboardEvent(kind, { key }));
  moved.mockClear();
  const point = (kind: "down" | "move" | "up", x: number, shiftKey = false) => view.dispatchEvent(new MouseEvent(`pointer${kind}`, { clientX: x, button: 0, shiftKey }));
  view.setPointerCapture = view.releasePointerCapture = vi.fn();
  return { camera, hand, moved, released, boxed, press, point };
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

test("a drag that is taken back leaves the camera where it was, and lets the rest of it do nothing", () => {
  const { camera, hand, released, point } = made();
  hand.look([1, 2, 3], [4, 2, -1]);
  const before = [camera.position.clone(), camera.quaternion.clone()] as const;
  expect(hand.takeBack()).toBe(false);
  point("down", 100);
  point("move", 160);
  expect(camera.position.distanceTo(before[0])).toBeGreaterThan(0.1);
  expect(hand.takeBack()).toBe(true);
  point("move", 220);
  point("up", 220);
  expect(camera.position.distanceTo(before[0])).toBeLessThan(1e-9);
  expect(camera.quaternion.angleTo(before[1])).toBeLessThan(1e-6);
  expect(released).toHaveBeenCalledOnce();
});

test("a box that is taken back picks nothing", () => {
  const { hand, boxed, point } = made();
  point("down", 100, true);
  point("move", 160, true);
  expect(hand.takeBack()).toBe(true);
  point("up", 200, true);
  expect(boxed.mock.calls.at(-1)).toEqual([null, true]);
});
