import { Euler, PerspectiveCamera, Quaternion, Vector3 } from "three";

// The camera's hand: drag turns round what is looked at, right drag looks about,
// wheel goes nearer, W A S D with Q E fly. Plain state, moved by events; the view
// draws when something moved.

const forward = new Vector3();
const side = new Vector3();

export class CameraHand {
  private yaw = 0;
  private pitch = 0;
  private reach = 8; // metres to the point that is turned about
  private keys = new Set<string>();
  private drag: { button: number; x: number; y: number; moved: boolean } | null = null;

  constructor(
    readonly camera: PerspectiveCamera,
    private readonly element: HTMLElement,
    private readonly moved: () => void,
    private readonly clicked: (x: number, y: number) => void,
  ) {
    element.addEventListener("pointerdown", this.down);
    element.addEventListener("pointermove", this.move);
    element.addEventListener("pointerup", this.up);
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

  /** Flies while keys are down; true if the camera moved. */
  fly(seconds: number): boolean {
    if (this.keys.size === 0) return false;
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
    this.moved();
  }

  private turn(dx: number, dy: number) {
    this.yaw -= dx;
    this.pitch = Math.min(1.55, Math.max(-1.55, this.pitch - dy));
  }

  private down = (e: PointerEvent) => {
    this.drag = { button: e.button, x: e.clientX, y: e.clientY, moved: false };
    this.element.focus();
    this.element.setPointerCapture(e.pointerId);
  };
  private move = (e: PointerEvent) => {
    if (!this.drag) return;
    const dx = e.clientX - this.drag.x;
    const dy = e.clientY - this.drag.y;
    if (!this.drag.moved && Math.hypot(dx, dy) < 4) return;
    this.drag = { ...this.drag, x: e.clientX, y: e.clientY, moved: true };
    if (this.drag.button === 0) {
      this.camera.getWorldDirection(forward);
      const pivot = this.camera.position.clone().addScaledVector(forward, this.reach);
      this.turn(dx * 0.006, dy * 0.006);
      this.apply();
      this.camera.getWorldDirection(forward);
      this.camera.position.copy(pivot).addScaledVector(forward, -this.reach);
    } else {
      this.turn(dx * 0.003, dy * 0.003);
    }
    this.apply();
  };
  private up = (e: PointerEvent) => {
    if (this.drag && !this.drag.moved && e.button === 0) this.clicked(e.clientX, e.clientY);
    this.drag = null;
  };
  private wheel = (e: WheelEvent) => {
    e.preventDefault();
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
    if (k !== "shift") e.preventDefault();
    this.moved();
  };
  private unkey = (e: KeyboardEvent) => void this.keys.delete(e.key.toLowerCase());
  private forget = () => this.keys.clear();
}
