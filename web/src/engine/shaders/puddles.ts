import { DataTexture, HalfFloatType, LinearFilter, RGFormat, Vector4 } from "three";
import type { Puddles } from "../../features/data";

/** How much of a puddle a place of the ground is, as core/scene has it. */
export const puddleGLSL = `
  uniform highp sampler2D puddles; // of each cell: how high the ground is over the base, how deep the water on it
  uniform vec4 puddleGrid; // x and z of the first cell's middle, the cell, the base
  float puddleAt(vec3 at) {
    vec2 size = vec2(textureSize(puddles, 0)), cell = (at.xz - puddleGrid.xy) / puddleGrid.z;
    if (any(lessThan(cell, vec2(0.0))) || any(greaterThanEqual(cell, size - 1.0))) return 0.0;
    vec2 found = texture(puddles, (cell + 0.5) / size).rg;
    return abs(found.r + puddleGrid.w - at.y) > 0.15 ? 0.0 : smoothstep(0.0, 0.0015, found.g);
  }
`;

export const puddleUniforms = () => ({ puddles: { value: new DataTexture(new Uint8Array(4), 1, 1) }, puddleGrid: { value: new Vector4(0, 0, 1, 0) } });

/** Hands a map of puddles to the uniforms of a material. */
export function setPuddles(u: ReturnType<typeof puddleUniforms>, p: Puddles) {
  const map = new DataTexture(p.values, p.width, p.height, RGFormat, HalfFloatType);
  map.minFilter = map.magFilter = LinearFilter;
  map.needsUpdate = true;
  u.puddles.value.dispose();
  u.puddles.value = map;
  u.puddleGrid.value.set(p.x, p.z, p.cellM, p.baseM);
}
