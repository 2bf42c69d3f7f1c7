import { BufferAttribute, BufferGeometry, Color, LinearSRGBColorSpace, LineBasicMaterial, LineSegments, type Scene } from "three";

// Outlines over the level: dark under bright, so that they are seen on black and on white.
export class Outlines {
  private readonly dark = lines(0x101010, 0.8);
  private readonly bright = lines(0xf0c35a, 1);
  private readonly faint = lines(0xd8d8d8, 0.45);

  constructor(scene: Scene) {
    this.dark.renderOrder = 0;
    this.bright.renderOrder = this.faint.renderOrder = 1;
    scene.add(this.dark, this.bright, this.faint);
  }

  /** Takes pairs of points of what is selected, and of what is under the pointer. */
  set(selected: readonly number[], hovered: readonly number[]) {
    put(this.dark, selected);
    put(this.bright, selected);
    put(this.faint, hovered);
  }

  dispose() {
    for (const l of [this.dark, this.bright, this.faint]) {
      l.geometry.dispose();
      l.material.dispose();
    }
  }
}

function lines(color: number, opacity: number) {
  const l = new LineSegments(new BufferGeometry(), new LineBasicMaterial({ color: new Color().setHex(color, LinearSRGBColorSpace), opacity, transparent: true, depthTest: false, linewidth: 1 }));
  l.frustumCulled = false;
  l.visible = false;
  return l;
}

function put(l: LineSegments<BufferGeometry, LineBasicMaterial>, points: readonly number[]) {
  l.visible = points.length > 0;
  if (points.length === 0) return;
  l.geometry.dispose();
  l.geometry = new BufferGeometry();
  l.geometry.setAttribute("position", new BufferAttribute(new Float32Array(points), 3));
}
