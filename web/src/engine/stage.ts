import {
  BufferAttribute,
  BufferGeometry,
  Color,
  DataArrayTexture,
  DataTexture,
  DepthTexture,
  DoubleSide,
  FloatType,
  HalfFloatType,
  LinearFilter,
  LinearMipmapLinearFilter,
  LineBasicMaterial,
  LineSegments,
  Mesh,
  PerspectiveCamera,
  RawShaderMaterial,
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
import type { Schemas } from "../api/client";
import type { Mirrors, Pixels, SceneMesh, SkyMap, Water } from "../features/data";
import type { Moved } from "../model/moved";
import type { ViewMode } from "../model/viewModes";
import type { Vec } from "../model/world";
import { Backs } from "./backs";
import { CameraHand, type Click, type Rect } from "./camera";
import type { Hit, Ray } from "./handles";
import type { Mix } from "./mix";
import { heatMesh } from "./heat";
import { Mixer } from "./mixer";
import { MovedParts } from "./movedParts";
import { Picking, type Picked, type Range } from "./picking";
import { Outlines } from "./outlines";
import { Passes, type AirDraw } from "./passes";
import { full, Quality, type Fineness } from "./quality";
import { pictureType } from "./precision";
import { placesBefore } from "./standin";
import { inStrips, type Steps } from "./strips";
import { shadowRows, type shadowBodies } from "./shadows";
import { setPart } from "./variant";
import { mostDropM, Walker } from "./walker";
import { freeMirrors, mostLamps, mostLampsInHaste, setLamps, setMirrors } from "./shaders/mirror";
import { frontMaterial, surfaceMaterial } from "./shaders/surface";
import { setPuddles } from "./shaders/puddles";
import { movedWaters, overMaterial, setWaters, waterOfVertices, waterPasses } from "./shaders/water";
import type { Torch } from "../model/carried";

const modes: Record<ViewMode, number> = { final: 0, unlit: 1, light: 2, brightness: 3, texels: 4, clipping: 5, backs: 6, leaks: 6, shadows: 7, reflections: 8, ground: 9 };

const finishMs = 150; // at rest, after which a picture that is not whole is drawn whole
const [smallWidth, smallHeight] = [96, 64];
const smallForMs = 3000;
const piecePixels = 80_000; // of surfaces that are drawn at once at rest, where a whole picture would hold up the hand
const piecesAhead = 2; // pieces that are handed over and not done, so that the card never waits for the next
const pollMs = 4; // between looks at whether a frame is done
const settledMs = 120; // without a move or a key held down, after which the view is at rest
const pausedMs = 400; // the same while a button is down: moves come late from a page that has much to do

/** A picture that is drawn, and how. */
type Frame = { began: number; fineness: Fineness; moving: boolean };

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
  private readonly passes: Passes;
  private mesh: Mesh<BufferGeometry, ReturnType<typeof surfaceMaterial>> | null = null;
  private fronts: Mesh<BufferGeometry, RawShaderMaterial> | null = null; // draws what of the mesh needs no backs
  private backs: Backs | null = null;
  private overs: Mesh<BufferGeometry, RawShaderMaterial>[] = []; // draws of the surface of water, over the mesh
  private waters: readonly Water[] = []; // of the mesh, where they were read
  private torch: Torch | null = null;
  private mix: Mix | null = null;
  private mixer: Mixer | null = null;
  private shown: { texels: Float32Array; ranges: readonly Range[] } | null = null; // of the mesh
  private ownTexels: Float32Array | null = null; // of the mesh, in its own lightmap
  private complete = false; // all layers of the mix are there
  private before: Mixer | null = null; // whose lightmap stands in for that
  private lines: LineSegments | null = null;
  private heat: ReturnType<typeof heatMesh> | null = null;
  private readonly picking = new Picking();
  private parts: MovedParts | null = null; // of the mesh
  private readonly outlines = new Outlines(this.overlay);
  private geometry = "";
  private outlined = ""; // names of what is outlined
  private toOutline: { selected: readonly string[]; hovered: string | null } = { selected: [], hovered: null };
  private disposed = false;
  private lightMax = 0;
  private lamps: Mirrors["lamps"] = [];
  private lampLight: Record<string, readonly [number, number, number]> = {};
  private due = 0;
  private width = 1; // of the host, in pixels; asking the page each time would make it compute its layout
  private height = 1;
  private last = 0;
  private readonly watch: ResizeObserver;
  private readonly watchers = new Set<() => void>();
  onClick: (hits: Picked[], ray: Ray, click: Click) => void = () => {};
  onHover: (hit: Picked | null) => void = () => {};
  onBox: (rect: Rect | null, done: boolean) => void = () => {};
  /** Told whether the picture shows all that there is to see, as it is now. */
  onWhole: (whole: boolean) => void = () => {};

  constructor(private readonly host: HTMLElement) {
    this.renderer = new WebGLRenderer({ antialias: false, powerPreference: "high-performance" });
    this.renderer.outputColorSpace = LinearSRGBColorSpace; // the look encodes by itself
    this.renderer.autoClear = false;
    const type = pictureType(this.renderer);
    this.passes = new Passes(this.camera, type);
    this.target = new WebGLRenderTarget(4, 4, { type, samples: 4, minFilter: LinearFilter, magFilter: LinearFilter });
    this.target.depthTexture = new DepthTexture(4, 4, UnsignedIntType);
    const canvas = this.renderer.domElement;
    canvas.tabIndex = 0;
    canvas.setAttribute("aria-label", "The level. Drag to turn, right drag to look, wheel to go nearer, W A S D Q E to fly, click a surface to ask what lights it.");
    canvas.className = "block h-full w-full";
    host.prepend(canvas);
    this.hand = new CameraHand(this.camera, canvas, {
      moved: this.moved,
      released: () => this.moving && this.restSoon(0), // after a pause the whole picture is on its way already
      clicked: (click) => this.onClick(this.pickAll(click.x, click.y), this.ray(click.x, click.y), click),
      hovered: (x, y) => this.onHover(this.pick(x, y)),
      left: () => this.onHover(null),
      boxed: (rect, done) => this.onBox(rect, done),
      pivot: (x, y) => this.pick(x, y)?.point ?? null,
    });
    this.watch = new ResizeObserver(() => this.resize());
    this.watch.observe(host);
    this.resize();
  }

  dispose() {
    this.disposed = true;
    this.giveUp();
    cancelAnimationFrame(this.due);
    clearTimeout(this.resting);
    clearTimeout(this.finishing);
    this.watch.disconnect();
    this.picking.dispose();
    this.outlines.dispose();
    this.hand.dispose();
    this.freeMesh();
    this.freeGround();
    this.passes.dispose();
    this.target.dispose();
    this.renderer.dispose();
    this.renderer.forceContextLoss();
    this.renderer.domElement.remove();
  }

  private resize() {
    const { clientWidth: w, clientHeight: h } = this.host;
    if (w === 0 || h === 0) return;
    [this.width, this.height] = [w, h];
    this.applySize();
    this.camera.aspect = w / h;
    this.camera.updateProjectionMatrix();
    this.draw();
  }

  /** Takes a new mesh and the mix that lights it. With standIn things keep the light that they had until showOwnLight is
   *  called; true if there was any. */
  setScene(scene: SceneMesh, mix: Mix, standIn = false): boolean {
    if (this.mix === mix && this.geometry === scene.geometry) return this.before !== null;
    const before = standIn && this.shown && (this.before || this.complete) ? { ...this.shown, mixer: this.before ?? this.mixer! } : null; // what was shown had a mixer
    this.freeMesh(before?.mixer);
    const g = new BufferGeometry();
    g.setAttribute("position", new BufferAttribute(scene.positions, 3));
    g.setAttribute("normal", new BufferAttribute(scene.normals, 3));
    const texels = before ? placesBefore(before, scene) : scene.texels;
    g.setAttribute("texel", new BufferAttribute(texels, 3));
    g.setAttribute("albedo", new BufferAttribute(scene.albedo, 3));
    g.setAttribute("emission", new BufferAttribute(scene.emission, 1));
    g.setAttribute("sway", new BufferAttribute(scene.sway, 2));
    g.setAttribute("image", new BufferAttribute(scene.images, 4));
    g.setAttribute("oneSided", new BufferAttribute(scene.sides, 1));
    g.setAttribute("finish", new BufferAttribute(scene.finish, 2));
    g.setAttribute("water", new BufferAttribute(waterOfVertices(scene.waters, scene.ranges, scene.sides.length), 1));
    g.setAttribute("moving", new BufferAttribute(new Float32Array(scene.positions.length), 3));
    this.mixer = new Mixer(this.renderer, mix);
    const { lightmap } = before?.mixer ?? this.mixer;
    const material = surfaceMaterial(lightmap.texture, lightmap.width);
    material.side = DoubleSide;
    this.mesh = new Mesh(g, material);
    this.mesh.frustumCulled = false;
    this.surfaces.add(this.mesh);
    this.waters = scene.waters;
    if (scene.waters.length > 0) this.addWater(scene.waters);
    if (scene.puddles) setPuddles(material.uniforms, scene.puddles);
    setPart(material, "PUDDLES", scene.puddles !== null);
    this.mix = mix;
    this.geometry = scene.geometry;
    this.parts = new MovedParts(g, scene.ranges);
    this.picking.take(this.mesh, scene.ranges);
    this.addFronts(this.mesh, scene);
    this.outlineAgain();
    this.shown = { texels, ranges: scene.ranges };
    this.ownTexels = scene.texels;
    this.before = before?.mixer ?? null;
    if (before) this.lightPlain(texels);
    this.draw();
    return before !== null;
  }

  private addFronts(mesh: NonNullable<Stage["mesh"]>, scene: SceneMesh) {
    const geometry = new BufferGeometry();
    geometry.attributes = mesh.geometry.attributes;
    this.fronts = new Mesh(geometry, frontMaterial(mesh.material));
    this.fronts.frustumCulled = false;
    this.surfaces.add(this.fronts);
    this.backs = new Backs(scene.ranges, scene.positions);
  }

  /** Leaves out the backs of closed things where none is seen: a processor that draws takes as long for what is hidden. */
  private cullBacks() {
    const { mesh, fronts } = this;
    if (!mesh || !fronts) return;
    const seen = this.passes.mode === modes.backs || this.picking.hides || this.parts?.any || this.backs?.areSeenFrom(this.camera.position);
    const closed = seen ? 0 : this.picking.closed;
    fronts.visible = closed > 0;
    fronts.geometry.index = mesh.geometry.index;
    fronts.geometry.setDrawRange(0, closed);
    mesh.geometry.setDrawRange(closed, Infinity);
  }

  /** Everything that draws surfaces. */
  private get draws() {
    return [this.mesh, this.fronts, ...this.overs].filter((draw) => draw !== null);
  }

  /** Things are lit by their own mix: the light of before the last change is let go. complete tells whether all of the mix
   *  is there, so that it can stand in for another one. */
  showOwnLight(complete: boolean) {
    this.complete = complete;
    if (!this.before || !this.mesh || !this.mixer || !this.ownTexels || !this.shown) return;
    const { lightmap } = this.mixer;
    this.mesh.geometry.setAttribute("texel", new BufferAttribute(this.ownTexels, 3));
    this.mesh.material.uniforms.lightmap!.value = lightmap.texture;
    this.mesh.material.uniforms.pageSize!.value = lightmap.width;
    this.shown.texels = this.ownTexels;
    this.before.dispose();
    this.before = null;
    this.draw();
  }

  private addWater(waters: readonly Water[]) {
    const { material, geometry } = this.mesh!;
    setWaters(material.uniforms, waters);
    setPart(material, "WATER", true);
    this.overs = ([waterPasses.scattered, waterPasses.mirrored] as const).map((pass) => {
      const over = new Mesh(geometry, overMaterial(material, pass));
      over.material.side = DoubleSide;
      over.frustumCulled = false;
      over.renderOrder = pass;
      return over;
    });
    this.surfaces.add(...this.overs);
  }

  /** Lights what had no place in the lightmap of before so that white looks middle grey. */
  private lightPlain(texels: Float32Array) {
    const at = this.mesh!.geometry.getAttribute("moving");
    const lux = 0.2 * Math.PI * this.white();
    for (let i = 0; i < texels.length; i += 3) if (texels[i + 2] === -1) at.array.fill(lux, i, i + 3);
  }

  /** The luminance that is shown as white, in nits. */
  private white = () => 1.2 * 2 ** (this.passes.setting()?.look.exposure_ev ?? 6);

  /** Lets the mesh go with its mixers, but for one that is still needed. */
  private freeMesh(but?: Mixer) {
    if (!this.mesh) return;
    this.parts!.restore(); // its numbers may be shown again
    this.surfaces.remove(...this.draws);
    for (const over of this.overs) over.material.dispose();
    this.fronts?.material.dispose();
    this.fronts?.geometry.dispose();
    this.fronts = null;
    this.overs = [];
    this.mesh.geometry.dispose();
    this.mesh.material.dispose();
    this.mesh.material.uniforms.images!.value.dispose();
    this.mesh.material.uniforms.puddles!.value.dispose();
    this.mesh.material.uniforms.shadowBodies!.value.dispose();
    freeMirrors(this.mesh.material.uniforms);
    for (const m of [this.mixer, this.before]) if (m && m !== but) m.dispose();
    this.shown = this.before = this.ownTexels = null;
    this.complete = false;
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

  /** Takes what surfaces mirror; null for nothing. */
  setMirrors(mirrors: Mirrors | null) {
    if (!this.mesh) return;
    const shown = mirrors && mirrors.places.length > 0 ? mirrors : null;
    for (const { material } of this.draws) setPart(material, "MIRRORS", shown !== null);
    if (shown) setMirrors(this.mesh.material.uniforms, shown);
    this.lamps = shown?.lamps ?? [];
    this.draw();
  }

  /** Takes what each light sends now, by its id: what mirrors show of it. */
  setLampLight(now: Record<string, readonly [number, number, number]>) {
    this.lampLight = now;
  }

  /** Takes the light on vertices that move. */
  setMovingLight(lux: Float32Array) {
    const at = this.mesh?.geometry.getAttribute("moving");
    if (!at || at.array.length !== lux.length) return;
    at.array.set(lux);
    at.needsUpdate = true;
    this.draw();
  }

  /** The mix changed: it is added up with the next frame. */
  refresh() {
    this.moved();
  }

  setMode(mode: ViewMode) {
    this.passes.mode = modes[mode];
    this.applyMode();
    this.draw();
  }

  private applyMode() {
    if (!this.mesh) return;
    const read = this.passes.mode === modes.clipping ? modes.final : this.passes.mode;
    this.mesh.material.uniforms.mode!.value = read;
    for (const { material } of this.draws) setPart(material, "READING", read !== modes.final);
  }

  /** Takes where lights cast shadows, and how many a platform takes at one point; 0 is no limit. */
  setShadows({ count, values }: ReturnType<typeof shadowBodies>, most: number) {
    const u = this.mesh?.material.uniforms;
    if (!u) return;
    u.shadowBodies!.value.dispose();
    u.shadowBodies!.value = new DataTexture(values, shadowRows, Math.max(count, 1), RGBAFormat, FloatType);
    u.shadowBodies!.value.needsUpdate = true;
    u.shadowCount!.value = count;
    u.shadowMost!.value = most;
    this.draw();
  }

  /** Shows how light the ground is; none takes it away. */
  setGround(floors: readonly Schemas["GroundFloor"][]) {
    this.freeGround();
    this.heat = floors.length > 0 ? heatMesh(floors) : null;
    if (this.heat) this.surfaces.add(this.heat);
    this.draw();
  }

  private freeGround() {
    if (!this.heat) return;
    this.surfaces.remove(this.heat);
    this.heat.geometry.dispose();
    this.heat.material.dispose();
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
    return { x: ((v.x + 1) / 2) * this.width, y: ((1 - v.y) / 2) * this.height };
  }

  get element(): HTMLElement {
    return this.renderer.domElement;
  }

  /** Stands over the level, so that all of it is seen. */
  overview() {
    const box = this.picking.bounds();
    const middle = box.low.map((m, i) => (m + box.high[i]!) / 2);
    const size = Math.hypot(...box.low.map((m, i) => box.high[i]! - m)) || 4;
    this.hand.look([middle[0]! + size * 0.55, middle[1]! + size * 0.45, middle[2]! + size * 0.75], middle);
  }

  /** Outlines what is selected, and faintly what is under the pointer. */
  setOutlined(selected: readonly string[], hovered: string | null) {
    this.toOutline = { selected, hovered };
    const faint = hovered && !this.quality.slow && !selected.includes(hovered) ? [hovered] : []; // a frame for each would take long
    const names = `${selected.join()} ${faint.join()} ${this.geometry}`;
    if (names === this.outlined) return;
    this.outlined = names;
    this.outlines.set(this.picking.edges(selected.map((id) => id.split("#")[0]!)), this.picking.edges(faint));
    this.draw();
  }

  private outlineAgain() {
    this.outlined = "";
    this.setOutlined(this.toOutline.selected, this.toOutline.hovered);
  }

  /** Shows things where they are dragged, before the level is laid out again. Their light stays as it was. */
  setMoved(moved: readonly Moved[]) {
    if (!this.parts?.set(moved)) return;
    if (this.waters.length > 0) setWaters(this.mesh!.material.uniforms, movedWaters(this.waters, moved));
    this.picking.moved();
    this.outlineAgain();
    this.draw();
  }

  /** Hides things from the view and from picking. */
  setHidden(ids: ReadonlySet<string>) {
    if (this.picking.hide(ids)) this.draw();
  }

  /** The ray of the level under a place of the page. */
  ray(clientX: number, clientY: number): Ray {
    const box = this.renderer.domElement.getBoundingClientRect();
    const at = new Vector2(((clientX - box.left) / box.width) * 2 - 1, 1 - ((clientY - box.top) / box.height) * 2);
    const caster = new Raycaster();
    caster.setFromCamera(at, this.camera);
    return { origin: caster.ray.origin.toArray() as Vec, direction: caster.ray.direction.toArray() as Vec };
  }

  /** Calls back after every frame, until what is returned is called. */
  eachFrame(tell: () => void): () => void {
    this.watchers.add(tell);
    return () => void this.watchers.delete(tell);
  }

  /** Walks from where the camera is, with the eye so high over the ground; what is passed is not
   *  met. Flies again for null. */
  walk(eyeM: number | null, passed: ReadonlySet<string> = new Set()) {
    if (eyeM === null) return this.hand.walk(null);
    const { x, y, z } = this.camera.position;
    const below = this.picking.firstWithin({ origin: [x, y, z], direction: [0, -1, 0] }, mostDropM, passed);
    const feet = y - (below?.distance ?? eyeM);
    this.hand.walk(new Walker([x, Math.max(feet, y - eyeM), z], eyeM, (origin, direction, far) => this.picking.firstWithin({ origin, direction }, far, passed)));
  }

  /** The lamp that the player carries, or none. */
  setTorch(torch: Torch | null) {
    this.torch = torch;
    this.draw();
  }

  private carryTorch(u: Record<string, { value: unknown }>) {
    const torch = this.torch;
    for (const { material } of this.draws) setPart(material, "TORCH", torch !== null);
    (u.torch!.value as Vector3).set(...(torch?.candela ?? ([0, 0, 0] as const)));
    if (!torch) return;
    (u.torchAt!.value as Vector3).copy(this.camera.position);
    this.camera.getWorldDirection(u.torchAim!.value as Vector3);
    (u.torchCone!.value as Vector2).set(torch.cosInner, torch.cosOuter);
  }

  /** The first surface along a ray that is of none of some things. */
  castBeside(ray: Ray, ids: ReadonlySet<string>): Hit | null {
    return this.picking.all(ray).find((hit) => !ids.has(hit.entity)) ?? null;
  }

  /** The first surface along a ray, seen from either side. */
  cast = (ray: Ray): Hit | null => this.picking.first(ray);

  pick(clientX: number, clientY: number): Picked | null {
    return this.picking.first(this.ray(clientX, clientY));
  }

  /** The things under a place of the page, nearest first, each once. */
  pickAll(clientX: number, clientY: number): Picked[] {
    return this.picking.all(this.ray(clientX, clientY));
  }

  /** Metres that a number of pixels are at a point. */
  metresPer(pixels: number, at: readonly number[]): number {
    const away = new Vector3(at[0], at[1], at[2]).applyMatrix4(this.camera.matrixWorldInverse);
    return (pixels * 2 * Math.max(-away.z, 0.1) * Math.tan((this.camera.fov * Math.PI) / 360)) / Math.max(this.height, 1);
  }

  /** The box that frames some part of the level. */
  lookAt(low: readonly number[], high: readonly number[]) {
    const middle = low.map((v, i) => (v + high[i]!) / 2);
    const radius = Math.max(Math.hypot(...low.map((v, i) => high[i]! - v)) / 2, 0.5);
    const away = radius / Math.tan((this.camera.fov * Math.PI) / 360) + 0.5;
    const back = new Vector3();
    this.camera.getWorldDirection(back);
    this.hand.look(middle.map((v, i) => v - back.getComponent(i) * away), middle);
  }

  // The last frame, small; read while it stands on the canvas, right after it was drawn.
  private readonly small = document.createElement("canvas").getContext("2d", { willReadFrequently: true });
  private smallPixels: Uint8ClampedArray | null = null;
  private smallWanted = 0;

  /** The pixels of a frame not long ago, a few thousand, as RGBA; null before there is one. Frames are
   *  read only for a while after this was called. */
  readSmall = (): Uint8ClampedArray | null => {
    this.smallWanted = performance.now();
    if (!this.smallPixels) this.draw();
    return this.smallPixels;
  };

  private keepSmall() {
    if (!this.small || performance.now() - this.smallWanted > smallForMs) return;
    const { canvas } = this.small;
    if (canvas.width !== smallWidth) [canvas.width, canvas.height] = [smallWidth, smallHeight];
    this.small.drawImage(this.renderer.domElement, 0, 0, smallWidth, smallHeight);
    this.smallPixels = this.small.getImageData(0, 0, smallWidth, smallHeight).data;
  }

  /** Asks for a frame. */
  draw = () => (this.held ? this.moved() : this.ask());

  private ask() {
    if (this.job?.frame.fineness === full) this.giveUp(); // it shows what was before, and takes long
    this.whole = false;
    this.stale = true;
    this.onWhole(false);
    clearTimeout(this.finishing);
    this.request();
  }

  /** Tells whether a hand drags something in the level: what is drawn then is to follow it. */
  hold(on: boolean) {
    this.held = on;
  }

  /** Leaves a picture that is drawn piece by piece, so that the view follows the hand at once. */
  private giveUp() {
    this.job?.steps.return();
    this.job = null;
  }

  private request() {
    if (this.due === 0) this.due = requestAnimationFrame(this.frame);
  }

  // Frames are drawn as finely as there is time for, and no new one before the last is done.
  private readonly quality = new Quality();
  private fineness: Fineness = { scale: 1, samples: 4 };
  private ratio = 1; // pixels of the picture to one of the page
  private moving = false;
  private held = false;
  private movedAt = 0;
  private resting: ReturnType<typeof setTimeout> | undefined;
  private whole = false; // all of the picture is drawn, or will be with the next frame
  private finishing: ReturnType<typeof setTimeout> | undefined;
  private polling: ReturnType<typeof setTimeout> | undefined;
  private drawing: { sync: WebGLSync; frame: Frame | null }[] = []; // what is not done yet, in order; frame where one ends with it
  private job: { steps: Steps; frame: Frame } | null = null; // a picture that is drawn piece by piece
  private stale = false; // something has changed since the job began

  /** Something moves: frames are drawn coarser where that takes long, until it rests. */
  private moved = () => {
    this.moving = true;
    this.movedAt = performance.now();
    this.whole = false;
    this.giveUp();
    this.restSoon();
    this.ask();
  };

  private restSoon(ms = settledMs) {
    clearTimeout(this.resting);
    this.resting = setTimeout(() => {
      const paused = (this.held || this.hand.isDragging) && performance.now() - this.movedAt < pausedMs;
      if (this.hand.keyDown || paused) return this.restSoon(); // a frame can take longer than that
      this.moving = false;
      this.ask();
      this.whole = this.quality.comesWhole;
    }, ms);
  }

  private setFineness(f: Fineness) {
    if (f.scale === this.fineness.scale && f.samples === this.fineness.samples) return;
    this.fineness = f;
    this.applySize();
  }

  private applySize() {
    this.giveUp();
    this.ratio = Math.min(window.devicePixelRatio, 2) * this.fineness.scale;
    const size = { x: Math.max(Math.floor(this.width * this.ratio), 1), y: Math.max(Math.floor(this.height * this.ratio), 1) };
    if (this.target.samples !== this.fineness.samples) {
      this.target.samples = this.fineness.samples;
      this.target.dispose(); // made again with the next frame
    }
    this.target.setSize(size.x, size.y);
    this.passes.resize(size.x, size.y);
  }

  /** Gives the canvas the size of the picture. That empties it, so it is done when the picture is ready: until then the
   *  browser stretches the one before. */
  private fitCanvas() {
    const { width, height } = this.renderer.domElement;
    if (width === this.target.width && height === this.target.height) return;
    this.renderer.setPixelRatio(1);
    this.renderer.setSize(this.target.width, this.target.height, false);
  }

  /** How many of the last frames or pieces are not done. How long a frame took is noted. */
  private unfinished(): number {
    const gl = this.renderer.getContext() as WebGL2RenderingContext;
    for (let d = this.drawing[0]; d && gl.clientWaitSync(d.sync, 0, 0) !== gl.TIMEOUT_EXPIRED; d = this.drawing[0]) {
      gl.deleteSync(d.sync);
      this.drawing.shift();
      if (d.frame) this.quality.took(performance.now() - d.frame.began, d.frame.fineness, d.frame.moving);
    }
    return this.drawing.length;
  }

  /** Has the end of what was just drawn noted: of a frame, or of a piece of one. */
  private noteFrame(frame: Frame | null) {
    const gl = this.renderer.getContext() as WebGL2RenderingContext;
    const sync = gl.fenceSync(gl.SYNC_GPU_COMMANDS_COMPLETE, 0);
    gl.flush();
    if (!sync) return;
    this.drawing.push({ sync, frame });
    if (this.drawing.length === 1) this.awaitFrame();
  }

  /** Notes the end of a frame soon after it, also where no other one follows, and hands over the next pieces before
   *  the last is done. A picture that was drawn with less than all is drawn whole once nothing has moved for a while. */
  private awaitFrame = () => {
    if (this.disposed) return;
    let left = this.unfinished();
    for (; this.job && left < piecesAhead; left = this.drawing.length) this.goOn();
    clearTimeout(this.polling);
    if (left > 0) {
      this.polling = setTimeout(this.awaitFrame, pollMs);
      return;
    }
    if (this.moving || this.due !== 0) return;
    this.onWhole(this.whole);
    if (this.whole) return;
    clearTimeout(this.finishing);
    this.finishing = setTimeout(() => {
      if (this.moving || this.disposed) return;
      this.whole = true;
      this.request();
    }, finishMs);
  };

  private frame = (now: number) => {
    this.due = 0;
    if (this.unfinished() > 0) {
      this.request();
      return;
    }
    if (this.hand.fly(this.last ? (now - this.last) / 1000 : 0.016)) this.moved();
    this.last = this.due || this.moving ? now : 0;
    if (this.job) return this.goOn();
    const fineness = this.whole ? full : this.quality.fineness(this.moving);
    this.whole ||= !this.moving && fineness.scale === full.scale && fineness.samples === full.samples;
    this.setFineness(fineness);
    this.stale = false;
    const frame = { began: performance.now(), fineness, moving: this.moving };
    const pieces = this.moving || !this.quality.slow ? 1 : Math.ceil((this.target.width * this.target.height) / piecePixels);
    this.job = { steps: this.paint(frame.moving, pieces), frame };
    this.goOn(pieces === 1);
  };

  /** Draws the next piece of a picture, or all of it. */
  private goOn(all = false) {
    if (!this.job) return;
    const { steps, frame } = this.job;
    while (!steps.next().done) if (!all) return this.noteFrame(null);
    this.job = null;
    this.noteFrame(frame);
    for (const tell of this.watchers) tell();
    if (this.stale) this.ask();
  }

  /** Draws all that is seen. */
  private *paint(moving: boolean, pieces: number): Steps {
    const hasty = moving && this.quality.slow;
    this.camera.updateMatrixWorld();
    const setting = this.passes.setting();
    const white = this.white();
    if (this.mesh) {
      this.mesh.material.uniforms.white!.value = white;
      this.mesh.material.uniforms.lightMax!.value = this.lightMax;
      this.mesh.material.uniforms.pixel!.value = (2 * Math.tan((this.camera.fov * Math.PI) / 360)) / this.target.height;
      this.mesh.material.uniforms.wind!.value.set(...this.passes.wind());
      this.mesh.material.uniforms.seconds!.value = this.passes.seconds();
      this.carryTorch(this.mesh.material.uniforms);
      this.cullBacks();
      if (this.lamps.length > 0) setLamps(this.mesh.material.uniforms, this.lamps, this.lampLight, this.camera.position, hasty ? mostLampsInHaste : mostLamps);
    }
    const r = this.renderer;
    this.mixer?.update(r);
    r.setRenderTarget(this.target);
    r.setClearColor(0x000000, 1);
    r.clear();
    yield* inStrips(this.target, pieces, () => {
      r.setRenderTarget(this.target);
      r.render(this.surfaces, this.camera);
    });
    yield* this.passes.run(r, this.target, setting, white, hasty, pieces);
    this.fitCanvas();
    this.passes.show(r);
    this.keepSmall();
    r.render(this.overlay, this.camera);
  }
}
