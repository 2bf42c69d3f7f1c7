import { Euler, PerspectiveCamera, Quaternion, Vector3 } from "three";
import type { Walker } from "./walker";

// The camera's hand: drag turns about what is under the pointer, right drag looks about, wheel
// goes nearer, W A S D with Q E fly; Shift and drag make a box. Plain state, moved by events;
// the view draws when something moved.

export type Click = { x: number; y: number; shift: boolean; ctrl: boolean; alt: boolean };
export type Rect = { x0: number; y0: number; x1: number; y1: number };

type Told = {
  moved: () => void;
  /** The button that moved the camera was let go. */
  released: () => void;
  clicked: (click: Click) => void;
  hovered: (x: number, y: number) => void;
  left: () => void;
  boxed: (rect: Rect | null, done: boolean) => void; // null where it was taken back
  /** The point of the level under a place of the page, to turn about. */
  pivot: (x: number, y: number) => readonly number[] | null;
};

const clickPx = 4; // that a click may move

const forward = new Vector3();
const side = new Vector3();

export class CameraHand {
  private yaw = 0;
  private pitch = 0;
  private reach = 8; // metres to the point that is turned about
  private keys = new Set<string>();
  private walker: Walker | null = null;
  private drag: { button: number; x: number; y: number; moved: boolean; box: { x: number; y: number } | null; pivot: Vector3 | null; from: { position: Vector3; yaw: number; pitch: number } } | null = null;

  constructor(
    readonly camera: PerspectiveCamera,
    private readonly element: HTMLElement,
    private readonly told: Told,
  ) {
    element.addEventListener("pointerdown", this.down);
    element.addEventListener("pointermove", this.move);
    element.addEventListener("pointerup", this.up);
    element.addEventListener("pointerleave", told.left);
    element.addEventListener("wheel", this.wheel, { passive: false });
    element.addEventListener("contextmenu", this.menu);
    element.addEventListener("keydown", this.key);
    element.addEventListener("keyup", this.unkey);
    element.addEventListener("blur", this.forget);
  }

  dispose() {
    const e = this.element;
    e.removeEventListener("pointerdown", this.down);
    e.removeEventListener("pointermove", this.move);
    e.removeEventListener("pointerup", this.up);
    e.removeEventListener("pointerleave", this.told.left);
    e.removeEventListener("wheel", this.wheel);
    e.removeEventListener("contextmenu", this.menu);
    e.removeEventListener("keydown", this.key);
    e.removeEventListener("keyup", this.unkey);
    e.removeEventListener("blur", this.forget);
  }

  look(position: readonly number[], target: readonly number[]) {
    this.camera.position.set(position[0]!, position[1]!, position[2]!);
    forward.set(target[0]! - position[0]!, target[1]! - position[1]!, target[2]! - position[2]!);
    this.reach = Math.max(forward.length(), 0.5);
    forward.normalize();
    this.yaw = Math.atan2(-forward.x, -forward.z);
    this.pitch = Math.asin(Math.min(1, Math.max(-1, forward.y)));
    this.apply();
  }

  /** Stands where a viewpoint does. Viewpoints that roll are levelled. */
  stand(position: readonly number[], rotation: readonly number[]) {
    const q = new Quaternion(rotation[0], rotation[1], rotation[2], rotation[3]);
    const f = new Vector3(0, 0, -1).applyQuaternion(q).multiplyScalar(6);
    this.look(position, [position[0]! + f.x, position[1]! + f.y, position[2]! + f.z]);
  }

  /** Walks from here on, or flies again for null. */
  walk(walker: Walker | null) {
    this.walker = walker;
    if (!walker && document.pointerLockElement === this.element) document.exitPointerLock();
    this.told.moved();
  }

  /** The eye of the one who walks, metres over their feet. */
  setEye(m: number) {
    if (this.walker) this.walker.eyeM = m;
    this.told.moved();
  }

  private stepOn(walker: Walker, seconds: number): boolean {
    const way = (plus: string, minus: string) => (this.keys.has(plus) ? 1 : 0) - (this.keys.has(minus) ? 1 : 0);
    const [ahead, right] = [way("w", "s"), way("d", "a")];
    const length = Math.hypot(ahead, right) || 1;
    const [sin, cos] = [Math.sin(this.yaw), Math.cos(this.yaw)];
    const moved = walker.step(seconds, [(right * cos - ahead * sin) / length, (-right * sin - ahead * cos) / length], this.keys.has("shift"));
    this.camera.position.set(...walker.eye);
    return moved || ahead !== 0 || right !== 0;
  }

  /** Whether a key that moves the camera is down. Shift alone moves nothing: it also adds to a selection. */
  get keyDown(): boolean {
    return this.keys.size > (this.keys.has("shift") ? 1 : 0);
  }

  /** Whether a button is down that has turned the camera or looked about. */
  get isDragging(): boolean {
    return this.drag?.moved ?? false;
  }

  /** Flies or walks while keys are down; true if the camera moved. */
  fly(seconds: number): boolean {
    if (this.walker) return this.stepOn(this.walker, seconds);
    if (!this.keyDown) return false;
    const speed = (this.keys.has("shift") ? 14 : 4.5) * Math.min(seconds, 0.1);
    this.camera.getWorldDirection(forward);
    side.crossVectors(forward, this.camera.up).normalize();
    const way = (plus: string, minus: string) => (this.keys.has(plus) ? 1 : 0) - (this.keys.has(minus) ? 1 : 0);
    this.camera.position.addScaledVector(forward, way("w", "s") * speed);
    this.camera.position.addScaledVector(side, way("d", "a") * speed);
    this.camera.position.y += way("e", "q") * speed;
    return true;
  }

  private apply() {
    this.camera.quaternion.setFromEuler(new Euler(this.pitch, this.yaw, 0, "YXZ"));
    this.camera.updateMatrixWorld();
    this.told.moved();
  }

  private turn(dx: number, dy: number) {
    this.yaw -= dx;
    this.pitch = Math.min(1.55, Math.max(-1.55, this.pitch - dy));
  }

  /** Takes drags and the wheel over what lies on the view, such as markers; those keep their clicks. What is returned ends it. */
  over(element: HTMLElement): () => void {
    const wheel = this.wheelOver(element);
    let from: PointerEvent | null = null;
    const heard = new AbortController();
    const hear = <K extends keyof HTMLElementEventMap>(event: K, tell: (e: HTMLElementEventMap[K]) => void, passive = true) => element.addEventListener(event, tell, { signal: heard.signal, passive });
    hear("pointerdown", (e) => {
      from = e;
      (e.target as Element).setPointerCapture(e.pointerId); // a quick hand is beside it with the first move
    });
    hear("pointermove", (e) => {
      if (e.buttons === 0) from = null; // it was let go, maybe where that is not heard
      if (!from || Math.hypot(e.clientX - from.clientX, e.clientY - from.clientY) < clickPx) return;
      this.down(from);
      from = null;
      this.move(e);
    });
    hear("contextmenu", this.menu, false);
    return () => {
      wheel();
      heard.abort();
    };
  }

  /** Takes the wheel alone over what lies on the view. What is returned ends it. */
  wheelOver(element: Element): () => void {
    const turned = (e: Event) => this.wheel(e as WheelEvent);
    element.addEventListener("wheel", turned, { passive: false });
    return () => element.removeEventListener("wheel", turned);
  }

  private down = (e: PointerEvent) => {
    const at = e.button === 0 && !e.shiftKey ? this.told.pivot(e.clientX, e.clientY) : null;
    const from = { position: this.camera.position.clone(), yaw: this.yaw, pitch: this.pitch };
    this.drag = { button: e.button, x: e.clientX, y: e.clientY, moved: false, box: e.button === 0 && e.shiftKey ? { x: e.clientX, y: e.clientY } : null, pivot: at && new Vector3(at[0], at[1], at[2]), from };
    this.element.focus();
    this.element.setPointerCapture(e.pointerId);
  };
  private move = (e: PointerEvent) => {
    if (document.pointerLockElement === this.element) {
      this.turn(e.movementX * 0.0022, e.movementY * 0.0022);
      return this.apply();
    }
    if (!this.drag) return this.told.hovered(e.clientX, e.clientY);
    const dx = e.clientX - this.drag.x;
    const dy = e.clientY - this.drag.y;
    if (!this.drag.moved && Math.hypot(dx, dy) < clickPx) return;
    this.drag = { ...this.drag, x: e.clientX, y: e.clientY, moved: true };
    if (this.drag.box) return this.told.boxed({ x0: this.drag.box.x, y0: this.drag.box.y, x1: e.clientX, y1: e.clientY }, false);
    if (this.drag.button === 0 && !this.walker) this.orbit(dx * 0.006, dy * 0.006);
    else {
      this.turn(dx * 0.003, dy * 0.003);
      this.apply();
    }
  };
  /** Turns about a point, which stays where it is on the screen. */
  private orbit(dx: number, dy: number) {
    this.camera.getWorldDirection(forward);
    const pivot = this.drag?.pivot ?? this.camera.position.clone().addScaledVector(forward, this.reach);
    const before = this.camera.quaternion.clone().invert();
    const away = this.camera.position.clone().sub(pivot).applyQuaternion(before);
    this.turn(dx, dy);
    this.apply();
    this.camera.position.copy(pivot).add(away.applyQuaternion(this.camera.quaternion));
    this.apply();
  }
  private up = (e: PointerEvent) => {
    const d = this.drag;
    this.drag = null;
    if (d?.moved && !d.box) this.told.released();
    if (d?.box && d.moved) this.told.boxed({ x0: d.box.x, y0: d.box.y, x1: e.clientX, y1: e.clientY }, true);
    else if (d && !d.moved && this.walker && e.button === 0) this.lock();
    else if (d && !d.moved && e.button === 0) this.told.clicked({ x: e.clientX, y: e.clientY, shift: e.shiftKey, ctrl: e.ctrlKey || e.metaKey, alt: e.altKey });
  };
  /** Ends what is dragged as if it had not begun: a box picks nothing, the camera is where it was. False where nothing is. */
  takeBack(): boolean {
    const d = this.drag;
    if (!d?.moved) return false;
    this.drag = null;
    if (d.box) this.told.boxed(null, true);
    else {
      this.camera.position.copy(d.from.position);
      [this.yaw, this.pitch] = [d.from.yaw, d.from.pitch];
      this.apply();
      this.told.released();
    }
    return true;
  }

  /** Looks about by the mouse alone, until Esc. */
  private lock() {
    const locked: unknown = this.element.requestPointerLock?.();
    if (locked instanceof Promise) locked.catch(() => undefined); // then dragging looks about
  }
  private wheel = (e: WheelEvent) => {
    e.preventDefault();
    if (this.walker) return;
    const step = this.reach * Math.min(0.4, Math.max(-0.4, e.deltaY * 0.001));
    this.camera.getWorldDirection(forward);
    this.camera.position.addScaledVector(forward, -step);
    this.reach = Math.max(0.5, this.reach + step);
    this.apply();
  };
  private menu = (e: Event) => e.preventDefault();
  private key = (e: KeyboardEvent) => {
    const k = e.key.toLowerCase();
    if (!"wasdqe".includes(k) && k !== "shift") return;
    if (e.ctrlKey || e.metaKey || e.altKey) return;
    this.keys.add(k);
    if (k === "shift") return;
    e.preventDefault();
    this.told.moved();
  };
  private unkey = (e: KeyboardEvent) => void this.keys.delete(e.key.toLowerCase());
  private forget = () => this.keys.clear();
}
