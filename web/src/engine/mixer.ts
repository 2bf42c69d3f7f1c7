import {
  CustomBlending,
  FloatType,
  GLSL3,
  HalfFloatType,
  InstancedBufferAttribute,
  InstancedBufferGeometry,
  LinearFilter,
  Mesh,
  NearestFilter,
  NoBlending,
  OneFactor,
  PlaneGeometry,
  RawShaderMaterial,
  Scene,
  WebGLArrayRenderTarget,
  WebGLRenderTarget,
  Camera,
  type Texture,
  type WebGLRenderer,
} from "three";
import { tileSide } from "./layers";
import type { Addend, Mix } from "./mix";

// Adds up a mix on the card: tiles of layers, times their weights, blended into a page of
// floats, which then becomes the half-floats that surfaces read. Only tiles that changed are
// added up again.

const corner = `
  precision highp float;
  in vec3 position;
  in vec2 tile;
  uniform float pageSize;
  vec4 corner() { return vec4((tile + position.xy + 0.5) * ${tileSide}.0 / pageSize * 2.0 - 1.0, 0.0, 1.0); }`;

export class Mixer {
  /** The lightmap: lux times halfScale, a layer a page. */
  readonly lightmap: WebGLArrayRenderTarget;
  private readonly sum: WebGLRenderTarget;
  private readonly scene = new Scene();
  private readonly camera = new Camera();
  private readonly quads = new Mesh<InstancedBufferGeometry, RawShaderMaterial>(new InstancedBufferGeometry());
  private readonly add: RawShaderMaterial;
  private readonly clear: RawShaderMaterial;
  private readonly finish: RawShaderMaterial;
  private readonly recall: RawShaderMaterial;
  private kept: WebGLArrayRenderTarget | null = null; // sums without the source that changes, made when first needed
  private begun = false;

  constructor(
    r: WebGLRenderer,
    private readonly mix: Mix,
  ) {
    const { pageSize, pages } = mix;
    this.lightmap = new WebGLArrayRenderTarget(pageSize, pageSize, Math.max(pages, 1), { type: HalfFloatType, depthBuffer: false, minFilter: LinearFilter, magFilter: LinearFilter });
    // Where floats cannot be blended, half-floats are: sums of many lights are a little less exact.
    const type = r.extensions.has("EXT_float_blend") ? FloatType : HalfFloatType;
    this.sum = new WebGLRenderTarget(pageSize, pageSize, { type, depthBuffer: false, minFilter: NearestFilter, magFilter: NearestFilter });
    const material = (vertex: string, fragment: string, uniforms: Record<string, { value: unknown }>) =>
      new RawShaderMaterial({
        glslVersion: GLSL3,
        depthTest: false,
        depthWrite: false,
        blending: NoBlending,
        uniforms: { pageSize: { value: pageSize }, ...uniforms },
        vertexShader: `${corner} ${vertex}`,
        fragmentShader: `precision highp float; precision highp sampler2DArray; out vec4 color; ${fragment}`,
      });
    this.add = material(
      `in float slot; in vec3 weight;
       flat out float vSlot; flat out vec3 vWeight;
       void main() { vSlot = slot; vWeight = weight; gl_Position = corner(); }`,
      `uniform sampler2DArray sheet;
       flat in float vSlot; flat in vec3 vWeight;
       void main() { color = vec4(texelFetch(sheet, ivec3(ivec2(gl_FragCoord.xy) % ${tileSide}, int(vSlot + 0.5)), 0).rgb * vWeight, 0.0); }`,
      { sheet: { value: null as Texture | null } },
    );
    this.add.blending = CustomBlending;
    this.add.blendSrc = this.add.blendDst = OneFactor;
    this.clear = material(`void main() { gl_Position = corner(); }`, `void main() { color = vec4(0.0); }`, {});
    this.finish = material(
      `void main() { gl_Position = corner(); }`,
      `uniform sampler2D sum;
       void main() { color = vec4(clamp(texelFetch(sum, ivec2(gl_FragCoord.xy), 0).rgb, 0.0, 65504.0), 1.0); }`,
      { sum: { value: this.sum.texture } },
    );
    this.recall = material(
      `void main() { gl_Position = corner(); }`,
      `uniform sampler2DArray kept; uniform int page;
       void main() { color = vec4(texelFetch(kept, ivec3(gl_FragCoord.xy, page), 0).rgb, 0.0); }`,
      { kept: { value: null as Texture | null }, page: { value: 0 } },
    );
    const { attributes, index } = new PlaneGeometry(1, 1);
    this.quads.geometry.setAttribute("position", attributes.position!);
    this.quads.geometry.setIndex(index);
    this.quads.frustumCulled = false;
    this.scene.add(this.quads);
    mix.beginAnew();
  }

  dispose() {
    for (const d of [this.lightmap, this.sum, this.quads.geometry, this.add, this.clear, this.finish, this.recall, this.mix]) d.dispose();
    this.kept?.dispose();
  }

  /** Adds up what has changed. The renderer must not clear by itself. */
  update(r: WebGLRenderer) {
    if (!this.begun) this.blacken(r);
    for (const { page, onKept, keeps, tiles, addends } of this.mix.takeDue()) {
      this.place(tiles);
      this.recall.uniforms.page!.value = page;
      this.render(r, onKept ? this.recall : this.clear, this.sum);
      addends.forEach((list, i) => {
        if (list.length === 0) return;
        this.place(list, list);
        this.add.uniforms.sheet!.value = this.mix.sheets[i]!.texture;
        this.render(r, this.add, this.sum);
      });
      this.place(tiles);
      this.render(r, this.finish, keeps ? this.keep() : this.lightmap, page);
    }
  }

  private keep(): WebGLArrayRenderTarget {
    if (this.kept) return this.kept;
    const { pageSize, pages } = this.mix;
    this.kept = new WebGLArrayRenderTarget(pageSize, pageSize, Math.max(pages, 1), { type: this.sum.texture.type, depthBuffer: false, minFilter: NearestFilter, magFilter: NearestFilter });
    this.recall.uniforms.kept!.value = this.kept.texture;
    return this.kept;
  }

  private blacken(r: WebGLRenderer) {
    this.begun = true;
    r.setClearColor(0x000000, 1);
    for (let page = 0; page < this.lightmap.depth; page++) {
      r.setRenderTarget(this.lightmap, page);
      r.clear();
    }
  }

  /** Where quads stand, and what each is of. */
  private place(at: readonly { x: number; y: number }[], of?: readonly Addend[]) {
    const g = this.quads.geometry;
    g.dispose(); // the buffers have another length each time
    const put = (name: string, size: number, values: Iterable<number>) => g.setAttribute(name, new InstancedBufferAttribute(Float32Array.from(values), size));
    put("tile", 2, at.flatMap(({ x, y }) => [x, y]));
    put("slot", 1, of ? of.map((a) => a.slot) : at.map(() => 0));
    put("weight", 3, of ? of.flatMap((a) => a.weight) : at.flatMap(() => [0, 0, 0]));
    g.instanceCount = at.length;
  }

  private render(r: WebGLRenderer, material: RawShaderMaterial, to: WebGLRenderTarget, page = 0) {
    this.quads.material = material;
    r.setRenderTarget(to, page);
    r.render(this.scene, this.camera);
  }
}
