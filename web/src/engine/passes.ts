import {
  BufferAttribute,
  BufferGeometry,
  CustomBlending,
  Data3DTexture,
  DataArrayTexture,
  HalfFloatType,
  InstancedBufferGeometry,
  LinearFilter,
  Mesh,
  NearestFilter,
  OneFactor,
  PlaneGeometry,
  Points,
  RGBAFormat,
  Scene,
  UnsignedByteType,
  SRGBColorSpace,
  Vector3,
  WebGLRenderTarget,
  type PerspectiveCamera,
  type RawShaderMaterial,
  type Texture,
  type TextureDataType,
  type WebGLRenderer,
} from "three";
import type { AirReport, Zone } from "../api/client";
import type { FogBlock, Pixels } from "../features/data";
import { airMaterial, airUniforms, beamMaterial, fogMaterial, glowMaterial, fogSteps, Items, maxBeams, maxGlows, maxVolumes, speckMaterial } from "./shaders/air";
import { brightMaterial, displayMaterial, focusMaterial, gaussMaterial, gaussWeights, mostSigma, occlusionMaterial, shaftMaterial } from "./shaders/lens";
import { settingAt, type Setting } from "./setting";
import { specks } from "./specks";
import { inStrips, type Steps } from "./strips";
import { setPart } from "./variant";

export type AirDraw = {
  report: AirReport;
  zones: readonly Zone[];
  fog: FogBlock | null;
  images: Pixels | null;
  /** Colour of what follows a light, now; the report's own where it follows none. */
  tint: (source: string | undefined, own: readonly number[]) => readonly number[];
  exposure: number | null;
  look: boolean;
  air: boolean;
  seconds: number;
};

const shapes = ["soft", "ring", "star", "streak"];

/** Everything after the surfaces: air, specks, lens and display, in core/shot's order. */
export class Passes {
  private readonly items = new Items();
  private readonly shared = airUniforms(this.items);
  private readonly occlude = occlusionMaterial();
  private readonly air = airMaterial(this.shared);
  private readonly fog = fogMaterial(this.shared);
  private readonly specks = speckMaterial(this.shared);
  private readonly glows = new Sprites(glowMaterial(this.shared));
  private readonly beams = new Sprites(beamMaterial(this.shared));
  private readonly focus = focusMaterial();
  private readonly shafts = shaftMaterial();
  private readonly bright = brightMaterial();
  private readonly gauss = gaussMaterial();
  private readonly display = displayMaterial();
  private readonly quad = new Mesh(new PlaneGeometry(2, 2));
  private readonly screen = new Scene();
  private readonly dots: Points<BufferGeometry, RawShaderMaterial>;
  private readonly dotScene = new Scene();
  private front: WebGLRenderTarget;
  private back: WebGLRenderTarget;
  private readonly small: readonly [WebGLRenderTarget, WebGLRenderTarget];
  private readonly fogBlocks: WebGLRenderTarget;
  private draw: AirDraw | null = null;
  private strips = 1;
  mode = 0;

  /** type is of the numbers of pictures. */
  constructor(
    private readonly camera: PerspectiveCamera,
    type: TextureDataType,
  ) {
    const target = () => new WebGLRenderTarget(4, 4, { type, depthBuffer: false, minFilter: LinearFilter, magFilter: NearestFilter });
    [this.front, this.back, this.small, this.fogBlocks] = [target(), target(), [target(), target()], target()];
    this.quad.frustumCulled = false;
    this.screen.add(this.quad);
    this.specks.blending = CustomBlending;
    this.specks.blendSrc = this.specks.blendDst = OneFactor;
    this.dots = new Points(new BufferGeometry(), this.specks);
    this.dots.frustumCulled = false;
    this.dotScene.add(this.dots);
  }

  dispose() {
    for (const t of [this.front, this.back, this.fogBlocks, ...this.small]) t.dispose();
    for (const m of [this.occlude, this.air, this.fog, this.specks, this.focus, this.shafts, this.bright, this.gauss, this.display]) m.dispose();
    this.glows.dispose();
    this.beams.dispose();
    this.items.texture.dispose();
    this.dots.geometry.dispose();
    for (const u of [this.air.uniforms.skyMap!, this.shared.fogLight, this.shared.fogToward, this.glows.material.uniforms.glowImages!]) (u.value as Texture | null)?.dispose();
  }

  resize(width: number, height: number) {
    this.front.setSize(width, height);
    this.back.setSize(width, height);
    for (const m of [this.occlude, this.air, this.fog, this.specks, this.focus, this.shafts, this.bright, this.display, this.glows.material, this.beams.material]) m.uniforms.size!.value.set(width, height);
  }

  setSky(map: Texture) {
    this.air.uniforms.skyMap!.value?.dispose();
    this.air.uniforms.skyMap!.value = map;
  }

  setSkyNits(nits: number) {
    this.air.uniforms.skyNits!.value = nits;
  }

  setAir(draw: AirDraw) {
    if (this.draw?.fog !== draw.fog) this.setFog(draw.fog);
    if (this.draw?.images !== draw.images) this.setImages(draw.images);
    this.draw = draw;
    const { air } = draw.report;
    this.shared.fogLongest.value = Math.max(1e-3, ...air.volumes.map((v) => Math.hypot(...v.max.map((high, axis) => high - v.min[axis]!))));
    air.volumes.slice(0, maxVolumes).forEach((v, i) => {
      const [first, nx, ny, nz] = draw.fog?.places[i] ?? [0, 0, 0, 0];
      this.items.set("volumes", i, 0, ...three(v.min), v.edge_m);
      this.items.set("volumes", i, 1, ...three(v.max), v.density);
      this.items.set("volumes", i, 4, first, nx, ny, nz);
    });
    this.fillSpecks(draw);
  }

  private setFog(fog: FogBlock | null) {
    if (!fog) return;
    const [w, h, d] = fog.size;
    const make = (data: Uint16Array) => {
      const t = new Data3DTexture(data, w, h, d);
      t.format = RGBAFormat;
      t.type = HalfFloatType;
      t.minFilter = t.magFilter = LinearFilter;
      t.needsUpdate = true;
      return t;
    };
    this.shared.fogLight.value.dispose();
    this.shared.fogToward.value.dispose();
    this.shared.fogLight.value = make(fog.light);
    this.shared.fogToward.value = make(fog.toward);
    this.shared.fogSize.value.set(w, h, d);
    this.shared.fogScale.value = fog.scale;
  }

  private setImages(images: Pixels | null) {
    if (!images || images.ids.length === 0) return;
    const t = new DataArrayTexture(images.pixels, images.side, images.side, images.ids.length);
    t.format = RGBAFormat;
    t.type = UnsignedByteType;
    t.colorSpace = SRGBColorSpace;
    t.minFilter = t.magFilter = LinearFilter;
    t.needsUpdate = true;
    this.glows.material.uniforms.glowImages!.value?.dispose();
    this.glows.material.uniforms.glowImages!.value = t;
  }

  /** Stars, and motes where they are at the time. */
  private fillSpecks({ report: { air }, tint, seconds }: AirDraw) {
    const places: number[] = [], nits: number[] = [], sizes: number[] = [];
    for (const s of air.stars) {
      places.push(...s.toward);
      nits.push(...s.lux);
      sizes.push(-1);
    }
    for (const e of air.motes) {
      const color = tint(e.source, e.color);
      for (const s of specks(e, seconds)) {
        places.push(...s.at);
        nits.push(...color.map((c) => c * e.nits * s.strength));
        sizes.push(s.sizeM);
      }
    }
    const g = this.dots.geometry;
    g.dispose();
    g.setAttribute("position", new BufferAttribute(new Float32Array(places), 3));
    g.setAttribute("nits", new BufferAttribute(new Float32Array(nits), 3));
    g.setAttribute("sizeM", new BufferAttribute(new Float32Array(sizes), 1));
    g.setDrawRange(0, sizes.length);
  }

  /** The fog and look that hold where the camera stands. */
  setting(): Setting | null {
    if (!this.draw) return null;
    const s = settingAt(this.draw.report, this.draw.zones, this.camera.position.toArray());
    const look = { ...s.look, exposure_ev: this.draw.exposure ?? s.look.exposure_ev, enabled: s.look.enabled && this.draw.look };
    return { ...s, look };
  }

  wind = () => three(this.draw?.report.air.wind ?? [0, 0, 0]);
  seconds = () => this.draw?.seconds ?? 0;

  /** Makes the picture of the surfaces' light, for show to bring to the screen, in up to so many strips a pass; after each the caller may wait, or give up.
   *  hasty leaves out what a lens adds and follows rays through fog with fewer steps, while something moves on a machine
   *  that is slow. */
  *run(r: WebGLRenderer, scene: WebGLRenderTarget, setting: Setting | null, white: number, hasty: boolean, strips: number): Steps {
    this.strips = Math.ceil(strips / 2); // most passes take less for a pixel than surfaces
    const depth = scene.depthTexture!;
    const look = setting?.look;
    const pictured = this.mode === 0 || this.mode === 5; // clipping is of the finished picture
    const lens = pictured && !hasty && (look?.enabled ?? false);
    this.shared.fogSteps.value = hasty ? fogSteps.hasty : fogSteps.fine;
    this.place(depth, white);
    this.fill(setting, white);
    const occludes = pictured && look?.enabled && look.occlusion.enabled;
    const occlusion = occludes && !hasty ? look.occlusion : null;
    for (const m of [this.occlude, this.air]) m.uniforms.occlusion!.value.set(occlusion?.strength ?? 0, occlusion?.radius_m ?? 1);
    setPart(this.air, "OCCLUSION", occludes ?? false); // also in haste, with nothing to read
    if (occlusion) yield* this.render(r, this.occlude, this.back);
    if (pictured && this.shared.volumeCount.value > 0) yield* this.spreadFog(r, hasty ? 4 : strips > 1 ? 3 : 2, strips); // coarser where a picture takes long
    this.air.uniforms.occluded!.value = this.back.texture;
    this.air.uniforms.scene!.value = scene.texture;
    this.air.uniforms.mode!.value = !pictured ? this.mode : this.draw ? 0 : 2;
    yield* this.render(r, this.air, this.front);
    if (pictured && this.draw?.air) {
      for (const shown of [this.beams, this.glows]) if (shown.count > 0) yield* inStrips(this.front, this.strips, () => this.add(r, shown.scene));
      if (this.dots.geometry.drawRange.count > 0) this.add(r, this.dotScene);
    }
    if (lens && look!.depth_of_field.enabled) {
      this.focus.uniforms.focus!.value.set(look!.depth_of_field.focus_m, look!.depth_of_field.f_stop);
      yield* this.swap(r, this.focus);
    }
    if (lens && look!.shafts.enabled) {
      this.shafts.uniforms.shafts!.value.set(look!.shafts.strength, look!.shafts.length);
      yield* this.swap(r, this.shafts);
    }
    const d = this.display.uniforms;
    d.bloomStrength!.value = 0;
    if (lens && look!.bloom.enabled) yield* this.spread(r, look!.bloom);
    d.light!.value = this.front.texture;
    d.mode!.value = this.mode;
    setPart(this.display, "READING", this.mode !== 0);
    this.develop(setting);
  }

  /** Brings the picture to the screen, at once: what else belongs to it can be drawn over it. */
  show(r: WebGLRenderer) {
    this.quad.material = this.display;
    r.setRenderTarget(null);
    r.render(this.screen, this.camera);
  }

  /** Follows a ray through fog volumes for each block of so many pixels along its side. */
  private *spreadFog(r: WebGLRenderer, block: number, strips: number): Steps {
    const { width, height } = this.front;
    this.fogBlocks.setSize(Math.ceil(width / block), Math.ceil(height / block));
    for (const m of [this.air, this.fog]) m.uniforms.fogBlock!.value = block;
    this.air.uniforms.fogBlocks!.value = this.fogBlocks.texture;
    yield* this.render(r, this.fog, this.fogBlocks, strips);
  }

  private *render(r: WebGLRenderer, material: RawShaderMaterial, to: WebGLRenderTarget, strips = this.strips): Steps {
    yield* inStrips(to, strips, () => {
      this.quad.material = material;
      r.setRenderTarget(to);
      r.render(this.screen, this.camera);
    });
  }

  /** Adds the light of a scene to what is seen. */
  private add(r: WebGLRenderer, scene: Scene) {
    r.setRenderTarget(this.front);
    r.render(scene, this.camera);
  }

  private *swap(r: WebGLRenderer, material: RawShaderMaterial): Steps {
    material.uniforms.light!.value = this.front.texture;
    yield* this.render(r, material, this.back);
    [this.front, this.back] = [this.back, this.front];
  }

  private *spread(r: WebGLRenderer, bloom: Setting["look"]["bloom"]): Steps {
    const { width, height } = this.front;
    const sigma = bloom.radius * height;
    let step = 1;
    while (sigma / step > mostSigma) step *= 2;
    for (const t of this.small) t.setSize(Math.ceil(width / step), Math.ceil(height / step));
    this.bright.uniforms.light!.value = this.front.texture;
    this.bright.uniforms.step!.value = step;
    this.bright.uniforms.threshold!.value = bloom.threshold;
    yield* this.render(r, this.bright, this.small[0], 1);
    this.gauss.uniforms.weights!.value = gaussWeights(sigma / step);
    for (const i of [0, 1] as const) {
      this.gauss.uniforms.along!.value.set(1 - i, i);
      this.gauss.uniforms.light!.value = this.small[i].texture;
      yield* this.render(r, this.gauss, this.small[1 - i]!, 1);
    }
    this.display.uniforms.bloom!.value = this.small[0].texture;
    this.display.uniforms.bloomStep!.value = step;
    this.display.uniforms.bloomStrength!.value = bloom.strength;
  }

  /** Where the camera is, for every pass that asks. */
  private place(depth: Texture, white: number) {
    const { camera } = this;
    const tanHalf = Math.tan((camera.fov * Math.PI) / 360);
    this.shared.eye.value.copy(camera.position);
    this.shared.white.value = white;
    const looking = [this.air, this.fog, this.glows.material, this.beams.material];
    for (const m of [...looking, this.occlude, this.specks, this.focus, this.shafts]) {
      const u = m.uniforms;
      u.depth!.value = depth;
      u.inverse!.value.set(1 / camera.near, 1 / camera.far);
      u.tanHalf!.value = tanHalf;
    }
    this.specks.uniforms.projectionMatrix!.value.copy(camera.projectionMatrix);
    this.specks.uniforms.viewMatrix!.value.copy(camera.matrixWorldInverse);
    const e = camera.matrixWorld.elements;
    for (const { uniforms: u } of looking) {
      u.right!.value.set(e[0], e[1], e[2]);
      u.up!.value.set(e[4], e[5], e[6]);
      u.forward!.value.set(-e[8]!, -e[9]!, -e[10]!);
    }
    const sun = this.draw?.report.air.sun;
    const at = sun ? new Vector3(...three(sun)).transformDirection(camera.matrixWorldInverse) : null;
    const size = this.air.uniforms.size!.value;
    if (!at || at.z >= 0) this.shafts.uniforms.sun!.value.set(0, 0, -1);
    else this.shafts.uniforms.sun!.value.set(((at.x / -at.z / tanHalf) * (size.y / size.x) + 1) * 0.5 * size.x, (at.y / -at.z / tanHalf + 1) * 0.5 * size.y, 1);
  }

  /** What the air is now, with colours as they are dragged. */
  private fill(setting: Setting | null, white: number) {
    const u = this.air.uniforms;
    const off = !this.draw || !this.draw.air || !setting;
    const air = off ? null : this.draw!.report.air;
    const { haze, height } = setting ?? { haze: null, height: null };
    const over = (c: readonly number[], k = 1): [number, number, number] => [(c[0]! * k) / white, (c[1]! * k) / white, (c[2]! * k) / white];
    this.shared.haze.value.set(...over(haze?.nits ?? [0, 0, 0]));
    this.shared.hazeShape.value.set(haze?.start_m ?? 0, haze?.end_m ?? 0, haze?.density ?? 0, off ? 0 : haze!.max);
    this.shared.hazeSky.value = haze?.sky_share ?? 1;
    this.shared.low.value.set(...over(height?.nits ?? [0, 0, 0]));
    this.shared.lowShape.value.set(height?.base_m ?? 0, height?.falloff_m ?? 1, height?.density ?? 0, off ? 0 : height!.max);
    this.shared.phase.value = setting?.phase ?? 0;
    this.shared.fogLit.value = ["none", "volumes", "everywhere"].indexOf(setting?.lit ?? "none");
    this.shared.volumeCount.value = Math.min(air?.volumes.length ?? 0, maxVolumes);
    air?.volumes.slice(0, maxVolumes).forEach((v, i) => this.items.set("volumes", i, 2, ...over(v.nits), 0));
    this.glows.count = Math.min(air?.glows.length ?? 0, maxGlows);
    air?.glows.slice(0, maxGlows).forEach((g, i) => {
      const image = g.image ? (this.draw!.images?.ids.indexOf(g.image) ?? -1) : -1;
      this.items.set("glows", i, 0, ...three(g.at), g.size);
      this.items.set("glows", i, 1, ...over(this.draw!.tint(g.source, g.color), g.shape === "image" && image < 0 ? 0 : g.nits), g.screen ? 1 : 0);
      this.items.set("glows", i, 2, g.tolerance_m, g.fade_start_m, g.fade_end_m, g.shape === "image" ? 4 + Math.max(image, 0) : Math.max(shapes.indexOf(g.shape), 0));
    });
    this.beams.count = Math.min(air?.beams.length ?? 0, maxBeams);
    air?.beams.slice(0, maxBeams).forEach((b, i) => {
      this.items.set("beams", i, 0, ...three(b.at), b.start_m);
      this.items.set("beams", i, 1, ...three(b.axis), b.length_m);
      this.items.set("beams", i, 2, ...three(b.right), b.half[0]!);
      this.items.set("beams", i, 3, ...three(b.up), b.half[1]!);
      this.items.set("beams", i, 4, ...over(this.draw!.tint(b.source, b.color), b.nits), 0);
      this.items.set("beams", i, 5, b.tan_half, b.shaft ? 1 : 0, b.falloff, b.facing);
    });
    const any = this.shared.volumeCount.value > 0 || this.shared.hazeShape.value.w > 0 || this.shared.lowShape.value.w > 0;
    setPart(this.air, "AIR", air !== null && any);
    this.items.texture.needsUpdate = true;
    [0, 1].forEach((i) => {
      const d = this.draw?.report.air.discs[i]; // a disc is sky, not air
      u.discs!.value[i].set(...three(d?.toward ?? [0, 1, 0]), d?.half_rad ?? 0);
      u.discNits!.value[i].set(...three(d?.nits ?? [0, 0, 0]));
    });
  }

  private develop(setting: Setting | null) {
    const u = this.display.uniforms;
    const look = setting?.look;
    const on = look?.enabled ?? false;
    u.gains!.value.set(...(on && look!.balance.enabled ? three(setting!.gains) : [1, 1, 1]));
    u.tone!.value = on ? { clamp: 0, headroom: 1, filmic: 2 }[look!.tone] : 0;
    u.headroom!.value = look?.headroom ?? 1;
    u.graded!.value = on && look!.grade.enabled;
    u.slope!.value.set(...three(look?.grade.slope ?? [1, 1, 1]));
    u.offset!.value.set(...three(look?.grade.offset ?? [0, 0, 0]));
    u.power!.value.set(...three(look?.grade.power ?? [1, 1, 1]));
    u.saturation!.value = look?.grade.saturation ?? 1;
    u.sharpen!.value = on ? look!.sharpen : 0;
    setPart(this.display, "SHARPEN", u.sharpen!.value !== 0);
  }
}

/** Squares over what shines in the air, as many as there are. */
class Sprites {
  readonly scene = new Scene();
  private readonly shape = new InstancedBufferGeometry();

  constructor(readonly material: RawShaderMaterial) {
    const square = new PlaneGeometry(2, 2);
    this.shape.setAttribute("position", square.getAttribute("position"));
    this.shape.setIndex(square.getIndex());
    const mesh = new Mesh(this.shape, material);
    mesh.frustumCulled = false;
    this.scene.add(mesh);
    this.count = 0;
  }

  get count() {
    return this.shape.instanceCount;
  }

  set count(n: number) {
    this.shape.instanceCount = n;
  }

  dispose() {
    this.shape.dispose();
    this.material.dispose();
  }
}

const three = (v: readonly number[]): [number, number, number] => [v[0]!, v[1]!, v[2]!];
