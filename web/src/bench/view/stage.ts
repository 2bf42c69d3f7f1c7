import {
  BufferAttribute,
  BufferGeometry,
  Color,
  DataArrayTexture,
  DataTexture,
  DepthTexture,
  DoubleSide,
  HalfFloatType,
  LinearFilter,
  LinearMipmapLinearFilter,
  LineBasicMaterial,
  LineSegments,
  Mesh,
  PerspectiveCamera,
  Raycaster,
  RepeatWrapping,
  RGBAFormat,
  Scene,
  UnsignedIntType,
  Vector2,
  Vector3,
  WebGLRenderer,
  WebGLRenderTarget,
  LinearSRGBColorSpace,
  SRGBColorSpace,
} from "three";
import type { Pixels, SceneMesh, SkyMap } from "../data";
import type { Mix } from "../layers";
import type { ViewMode } from "../store";
import { CameraHand } from "./camera";
import { Passes, type AirDraw } from "./passes";
import { surfaceMaterial } from "./shaders/surface";

export type Picked = { point: number[]; normal: number[]; entity: string };
const modes: Record<ViewMode, number> = { final: 0, unlit: 1, light: 2, brightness: 3, texels: 4 };

// The stage draws the level: surfaces as radiance into a half-float target, then
// the air and the look over the whole picture. It draws only when something
// changed.
export class Stage {
  readonly camera = new PerspectiveCamera(60, 1, 0.05, 2000);
  readonly hand: CameraHand;
  private readonly renderer: WebGLRenderer;
  private readonly target: WebGLRenderTarget;
  private readonly surfaces = new Scene();
  private readonly overlay = new Scene();
  private readonly passes = new Passes(this.camera);
  private mesh: Mesh<BufferGeometry, ReturnType<typeof surfaceMaterial>> | null = null;
  private mix: Mix | null = null;
  private lines: LineSegments | null = null;
  private ranges: SceneMesh["ranges"] = [];
  private geometry = "";
  private lightMax = 0;
  private due = 0;
  private last = 0;
  private readonly watch: ResizeObserver;
  onFrame: (stage: Stage) => void = () => {};
  onPick: (picked: Picked | null, ray: { origin: number[]; direction: number[] }) => void = () => {};

  constructor(private readonly host: HTMLElement) {
    this.renderer = new WebGLRenderer({ antialias: false, powerPreference: "high-performance" });
    this.renderer.outputColorSpace = LinearSRGBColorSpace; // the look encodes by itself
    this.renderer.autoClear = false;
    this.renderer.setPixelRatio(Math.min(window.devicePixelRatio, 2));
    this.target = new WebGLRenderTarget(4, 4, { type: HalfFloatType, samples: 4, minFilter: LinearFilter, magFilter: LinearFilter });
    this.target.depthTexture = new DepthTexture(4, 4, UnsignedIntType);
    const canvas = this.renderer.domElement;
    canvas.tabIndex = 0;
    canvas.setAttribute("aria-label", "The level. Drag to turn, right drag to look, wheel to go nearer, W A S D Q E to fly, click a surface to ask what lights it.");
    canvas.className = "block h-full w-full";
    host.prepend(canvas);
    this.hand = new CameraHand(this.camera, canvas, this.draw, (x, y) => this.onPick(this.pick(x, y), this.ray(x, y)));
    this.watch = new ResizeObserver(() => this.resize());
    this.watch.observe(host);
    this.resize();
  }

  dispose() {
    cancelAnimationFrame(this.due);
    this.watch.disconnect();
    this.hand.dispose();
    this.mesh?.geometry.dispose();
    this.mesh?.material.uniforms.lightmap!.value.dispose();
    this.mesh?.material.uniforms.images!.value.dispose();
    this.passes.dispose();
    this.target.dispose();
    this.renderer.dispose();
    this.renderer.forceContextLoss();
    this.renderer.domElement.remove();
  }

  private resize() {
    const { clientWidth: w, clientHeight: h } = this.host;
    if (w === 0 || h === 0) return;
    this.renderer.setSize(w, h, false);
    const size = this.renderer.getDrawingBufferSize(new Vector2());
    this.target.setSize(size.x, size.y);
    this.passes.resize(size.x, size.y);
    this.camera.aspect = w / h;
    this.camera.updateProjectionMatrix();
    this.draw();
  }

  /** Takes a new mesh and the mix that lights it. */
  setScene(scene: SceneMesh, mix: Mix) {
    if (this.mix === mix && this.geometry === scene.geometry) return;
    if (this.mesh) {
      this.surfaces.remove(this.mesh);
      this.mesh.geometry.dispose();
      this.mesh.material.uniforms.lightmap!.value.dispose();
      this.mesh.material.uniforms.images!.value.dispose();
    }
    const g = new BufferGeometry();
    g.setAttribute("position", new BufferAttribute(scene.positions, 3));
    g.setAttribute("normal", new BufferAttribute(scene.normals, 3));
    g.setAttribute("texel", new BufferAttribute(scene.texels, 3));
    g.setAttribute("albedo", new BufferAttribute(scene.albedo, 3));
    g.setAttribute("emission", new BufferAttribute(scene.emission, 1));
    g.setAttribute("sway", new BufferAttribute(scene.sway, 2));
    g.setAttribute("image", new BufferAttribute(scene.images, 4));
    g.setAttribute("moving", new BufferAttribute(new Float32Array(scene.positions.length), 3));
    const texture = new DataArrayTexture(mix.half, mix.pageSize, mix.pageSize, Math.max(mix.pages, 1));
    texture.format = RGBAFormat;
    texture.type = HalfFloatType;
    texture.minFilter = texture.magFilter = LinearFilter;
    texture.needsUpdate = true;
    const material = surfaceMaterial(texture, mix.pageSize);
    material.side = DoubleSide;
    this.mesh = new Mesh(g, material);
    this.mesh.frustumCulled = false;
    this.surfaces.add(this.mesh);
    this.mix = mix;
    this.geometry = scene.geometry;
    this.ranges = scene.ranges;
    this.draw();
  }

  /** Takes the images of materials, in the order of the mesh's. */
  setImages({ side, ids, pixels }: Pixels) {
    if (!this.mesh || ids.length === 0) return;
    const t = new DataArrayTexture(pixels, side, side, ids.length);
    t.format = RGBAFormat;
    t.colorSpace = SRGBColorSpace;
    t.wrapS = t.wrapT = RepeatWrapping;
    t.minFilter = LinearMipmapLinearFilter;
    t.magFilter = LinearFilter;
    t.generateMipmaps = true;
    t.needsUpdate = true;
    const uniform = this.mesh.material.uniforms.images!;
    uniform.value.dispose();
    uniform.value = t;
    this.draw();
  }

  /** Takes the light on vertices that move. */
  setMovingLight(lux: Float32Array) {
    const at = this.mesh?.geometry.getAttribute("moving");
    if (!at || at.array.length !== lux.length) return;
    at.array.set(lux);
    at.needsUpdate = true;
    this.draw();
  }

  /** The mix changed: send it to the card. */
  refresh() {
    if (this.mesh) this.mesh.material.uniforms.lightmap!.value.needsUpdate = true;
    this.draw();
  }

  setMode(mode: ViewMode) {
    this.passes.mode = modes[mode];
    if (this.mesh) this.mesh.material.uniforms.mode!.value = modes[mode];
    this.draw();
  }

  /** Takes the air and the look; lightMax is a display's most light, times white. */
  setAir(draw: AirDraw, lightMax: number) {
    this.lightMax = lightMax;
    this.passes.setAir(draw);
    this.draw();
  }

  setSkyNits(nits: number) {
    this.passes.setSkyNits(nits);
    this.draw();
  }

  /** Takes the sky's radiance by direction. */
  setSky(sky: SkyMap) {
    const texture = new DataTexture(sky.half, sky.width, sky.height, RGBAFormat, HalfFloatType);
    texture.wrapS = RepeatWrapping;
    texture.minFilter = texture.magFilter = LinearFilter;
    texture.needsUpdate = true;
    this.passes.setSky(texture);
    this.draw();
  }

  /** Draws pairs of points as lines over everything: the reach of what is selected. */
  setLines(points: number[]) {
    if (this.lines) {
      this.overlay.remove(this.lines);
      this.lines.geometry.dispose();
    }
    this.lines = null;
    if (points.length > 0) {
      const g = new BufferGeometry();
      g.setAttribute("position", new BufferAttribute(new Float32Array(points), 3));
      this.lines = new LineSegments(g, new LineBasicMaterial({ color: new Color(0.94, 0.77, 0.35), transparent: true, opacity: 0.55, depthTest: false }));
      this.lines.frustumCulled = false;
      this.overlay.add(this.lines);
    }
    this.draw();
  }

  /** Where a point of the level is on the host, in pixels; null behind the camera. */
  project(p: readonly number[]): { x: number; y: number } | null {
    const v = new Vector3(p[0], p[1], p[2]).applyMatrix4(this.camera.matrixWorldInverse);
    if (v.z > -0.05) return null;
    v.applyMatrix4(this.camera.projectionMatrix);
    return { x: ((v.x + 1) / 2) * this.host.clientWidth, y: ((1 - v.y) / 2) * this.host.clientHeight };
  }

  private caster(clientX: number, clientY: number): Raycaster {
    const box = this.renderer.domElement.getBoundingClientRect();
    const at = new Vector2(((clientX - box.left) / box.width) * 2 - 1, 1 - ((clientY - box.top) / box.height) * 2);
    const ray = new Raycaster();
    ray.setFromCamera(at, this.camera);
    return ray;
  }

  private ray(clientX: number, clientY: number) {
    const { ray } = this.caster(clientX, clientY);
    return { origin: ray.origin.toArray() as number[], direction: ray.direction.toArray() as number[] };
  }

  pick(clientX: number, clientY: number): Picked | null {
    if (!this.mesh) return null;
    const ray = this.caster(clientX, clientY);
    const hit = ray.intersectObject(this.mesh)[0];
    if (!hit?.face) return null;
    const vertex = hit.face.a;
    const range = this.ranges.find((r) => vertex >= r.first && vertex < r.first + r.count);
    return { point: hit.point.toArray(), normal: hit.face.normal.toArray(), entity: range?.id ?? "" };
  }

  /** Asks for a frame. */
  draw = () => {
    if (this.due === 0) this.due = requestAnimationFrame(this.frame);
  };

  private frame = (now: number) => {
    this.due = 0;
    if (this.hand.fly(this.last ? (now - this.last) / 1000 : 0.016)) this.draw();
    this.last = this.due ? now : 0;
    this.camera.updateMatrixWorld();
    const setting = this.passes.setting();
    const white = 1.2 * 2 ** (setting?.look.exposure_ev ?? 6);
    if (this.mesh) {
      this.mesh.material.uniforms.white!.value = white;
      this.mesh.material.uniforms.lightMax!.value = this.lightMax;
      this.mesh.material.uniforms.wind!.value.set(...this.passes.wind());
      this.mesh.material.uniforms.seconds!.value = this.passes.seconds();
    }
    const r = this.renderer;
    r.setRenderTarget(this.target);
    r.setClearColor(0x000000, 1);
    r.clear();
    r.render(this.surfaces, this.camera);
    this.passes.run(r, this.target, setting, white);
    r.setRenderTarget(null);
    r.render(this.overlay, this.camera);
    this.onFrame(this);
  };
}
