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
  LineBasicMaterial,
  LineSegments,
  Mesh,
  PerspectiveCamera,
  PlaneGeometry,
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
} from "three";
import type { SceneMesh, SkyMap } from "../data";
import type { Mix } from "../layers";
import type { ViewMode } from "../store";
import { CameraHand } from "./camera";
import { lookMaterial, maxGlows, surfaceMaterial } from "./look";

export type Picked = { point: number[]; normal: number[]; entity: string };
export type GlowDraw = { position: readonly number[]; radius: number; nits: readonly number[] };
export type LookDraw = {
  white: number;
  filmic: boolean;
  sky: number; // nits of a sky of radiance 1
  haze: { color: readonly number[]; start: number; end: number; density: number; most: number };
};

const modes: Record<ViewMode, number> = { final: 0, unlit: 1, light: 2, brightness: 3, texels: 4 };

// The stage draws the level in two passes: surfaces as radiance into a
// half-float target, then the look over the whole picture. It draws only when
// something changed.
export class Stage {
  readonly camera = new PerspectiveCamera(60, 1, 0.05, 2000);
  readonly hand: CameraHand;
  private readonly renderer: WebGLRenderer;
  private readonly target: WebGLRenderTarget;
  private readonly surfaces = new Scene();
  private readonly overlay = new Scene();
  private readonly screen = new Scene();
  private readonly look = lookMaterial();
  private mesh: Mesh<BufferGeometry, ReturnType<typeof surfaceMaterial>> | null = null;
  private mix: Mix | null = null;
  private lines: LineSegments | null = null;
  private ranges: SceneMesh["ranges"] = [];
  private geometry = "";
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
    this.look.uniforms.scene!.value = this.target.texture;
    this.look.uniforms.depth!.value = this.target.depthTexture;
    this.screen.add(new Mesh(new PlaneGeometry(2, 2), this.look));
    this.screen.children[0]!.frustumCulled = false;
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
    this.look.uniforms.skyMap!.value?.dispose();
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
    }
    const g = new BufferGeometry();
    g.setAttribute("position", new BufferAttribute(scene.positions, 3));
    g.setAttribute("normal", new BufferAttribute(scene.normals, 3));
    g.setAttribute("texel", new BufferAttribute(scene.texels, 3));
    g.setAttribute("albedo", new BufferAttribute(scene.albedo, 3));
    g.setAttribute("emission", new BufferAttribute(scene.emission, 1));
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

  /** The mix changed: send it to the card. */
  refresh() {
    if (this.mesh) this.mesh.material.uniforms.lightmap!.value.needsUpdate = true;
    this.draw();
  }

  setMode(mode: ViewMode) {
    this.look.uniforms.mode!.value = modes[mode];
    if (this.mesh) this.mesh.material.uniforms.mode!.value = modes[mode];
    this.draw();
  }

  setLook(l: LookDraw) {
    const u = this.look.uniforms;
    u.white!.value = l.white;
    u.filmic!.value = l.filmic;
    u.skyNits!.value = l.sky;
    u.haze!.value.set(...l.haze.color);
    u.hazeShape!.value.set(l.haze.start, l.haze.end, l.haze.density, l.haze.most);
    this.draw();
  }

  /** Takes the sky's radiance by direction. */
  setSky(sky: SkyMap) {
    const u = this.look.uniforms;
    u.skyMap!.value?.dispose();
    const texture = new DataTexture(sky.half, sky.width, sky.height, RGBAFormat, HalfFloatType);
    texture.wrapS = RepeatWrapping;
    texture.minFilter = texture.magFilter = LinearFilter;
    texture.needsUpdate = true;
    u.skyMap!.value = texture;
    this.draw();
  }

  setGlows(glows: GlowDraw[]) {
    const u = this.look.uniforms;
    const shown = glows.slice(0, maxGlows);
    shown.forEach((g, i) => {
      u.glows!.value[i].set(g.position[0], g.position[1], g.position[2], g.radius);
      u.glowNits!.value[i].set(...g.nits);
    });
    u.glowCount!.value = shown.length;
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
    const u = this.look.uniforms;
    u.toWorld!.value.multiplyMatrices(this.camera.matrixWorld, this.camera.projectionMatrixInverse);
    u.eye!.value.copy(this.camera.position);
    const r = this.renderer;
    r.setRenderTarget(this.target);
    r.setClearColor(0x000000, 1);
    r.clear();
    r.render(this.surfaces, this.camera);
    r.setRenderTarget(null);
    r.render(this.screen, this.camera);
    r.render(this.overlay, this.camera);
    this.onFrame(this);
  };
}
