import { AddEquation, CustomBlending, DstAlphaFactor, Matrix3, OneFactor, RawShaderMaterial, SrcAlphaFactor, Vector2, Vector3, Vector4, ZeroFactor, type Blending } from "three";
import type { Water } from "../../features/data";
import type { Moved } from "../../model/moved";

// Water, as core/shot has it. What is beneath water is drawn first and carries in alpha how much of its light the water
// takes. The surface of water is drawn over it twice: once to add what the water scatters in place of that, and once
// to add what it mirrors.

/** The most blocks of water that are drawn, and the most planes that bound them all. */
const mostWaters = 8;
const mostPlanes = 96;

/** What a draw of surfaces is: all but the surface of water, or that of water in two parts. */
export const waterPasses = { none: 0, scattered: 1, mirrored: 2 } as const;

/** It wants PI, the uniforms of `waterUniforms`, and wind and seconds. */
export const waterGLSL = `
  uniform highp int waterCount, waterPass;
  uniform vec2 waterPlanesOf[${mostWaters}]; // first, end
  uniform vec4 waterPlanes[${mostPlanes}]; // normal, how far out
  uniform vec3 waterFades[${mostWaters}]; // for each metre
  uniform vec2 waterWaves[${mostWaters}]; // height, length
  uniform float pixel; // metres of a pixel that is a metre away

  // The light that is left on its way, where that goes through water from outside it.
  vec3 betweenWater(vec3 from, vec3 to) {
    vec3 left = vec3(1.0), way = to - from;
    float far = length(way);
    way /= far;
    for (int i = 0; i < waterCount; i++) {
      float within = -3e38, beyond = 3e38;
      for (int k = int(waterPlanesOf[i].x); k < int(waterPlanesOf[i].y); k++) {
        float above = dot(waterPlanes[k].xyz, from) - waterPlanes[k].w, along = dot(waterPlanes[k].xyz, way);
        if (along > 0.0) beyond = min(beyond, -above / along);
        else if (along < 0.0) within = max(within, -above / along);
        else if (above > 0.0) beyond = -3e38;
      }
      if (within > 0.0 && within < beyond && within < far) left *= exp(-waterFades[i] * (min(beyond, far) - within));
    }
    return left;
  }

  // The slope of waves along x and z, and the variance of what is finer than a pixel, as core/level has it.
  vec3 waterSlope(vec2 at, vec2 waves, float pixelM) {
    const float turns[6] = float[6](0.1, -0.55, 0.62, -0.2, 1.2, -1.05);
    const float lengths[6] = float[6](1.0, 0.71, 0.53, 0.37, 0.23, 0.16);
    const float heights[6] = float[6](0.34, 0.25, 0.18, 0.12, 0.07, 0.04);
    float toward = wind.x != 0.0 || wind.z != 0.0 ? atan(wind.z, wind.x) : 0.0;
    vec3 sum = vec3(0.0);
    for (int i = 0; i < 6; i++) {
      float len = lengths[i] * waves.y, k = 2.0 * PI / len, steep = heights[i] * waves.x / 2.0 * k;
      float shown = clamp(len / (4.0 * pixelM) - 0.5, 0.0, 1.0);
      vec2 way = vec2(cos(toward + turns[i]), sin(toward + turns[i]));
      float slope = steep * cos(k * dot(at, way) - sqrt(9.81 * k) * seconds + 2.4 * float(i));
      sum += vec3(shown * slope * way, (1.0 - shown * shown) * steep * steep / 2.0);
    }
    return sum;
  }
`;

export function waterUniforms() {
  return {
    waterCount: { value: 0 },
    waterPlanesOf: { value: Array.from({ length: mostWaters }, () => new Vector2()) },
    waterPlanes: { value: Array.from({ length: mostPlanes }, () => new Vector4()) },
    waterFades: { value: Array.from({ length: mostWaters }, () => new Vector3()) },
    waterWaves: { value: Array.from({ length: mostWaters }, () => new Vector2()) },
    pixel: { value: 0.005 },
  };
}

/** How many of the first waters fit on the card. */
function fitting(waters: readonly Water[]): number {
  let planes = 0;
  const over = waters.findIndex((w, i) => i === mostWaters || (planes += w.planes.length) > mostPlanes);
  return over < 0 ? waters.length : over;
}

/** Hands blocks of water to the uniforms of a material, as many as fit. */
export function setWaters(u: ReturnType<typeof waterUniforms>, waters: readonly Water[]) {
  const shown = waters.slice(0, fitting(waters));
  let planes = 0;
  shown.forEach((w, i) => {
    u.waterPlanesOf.value[i]!.set(planes, planes + w.planes.length);
    for (const p of w.planes) u.waterPlanes.value[planes++]!.set(...p);
    u.waterFades.value[i]!.set(...w.fades);
    u.waterWaves.value[i]!.set(w.waveM, w.lengthM);
  });
  u.waterCount.value = shown.length;
}

/** Waters where they are dragged to. */
export function movedWaters(waters: readonly Water[], moved: readonly Moved[]): Water[] {
  return waters.map((w) => {
    const by = moved.find((m) => m.id === w.id)?.matrix;
    if (!by) return w;
    const turn = new Matrix3().getNormalMatrix(by);
    const planes = w.planes.map(([x, y, z, d]): Water["planes"][number] => {
      const at = new Vector3(x, y, z).multiplyScalar(d).applyMatrix4(by);
      const n = new Vector3(x, y, z).applyMatrix3(turn).normalize();
      return [n.x, n.y, n.z, n.dot(at)];
    });
    return { ...w, planes };
  });
}

/** For each vertex the number of the water that it bounds, from 1 on; 0 for none, and for water that does not fit. */
export function waterOfVertices(waters: readonly Water[], ranges: readonly { id: string; first: number; count: number }[], vertices: number): Float32Array<ArrayBuffer> {
  const out = new Float32Array(vertices);
  waters.slice(0, fitting(waters)).forEach((w, i) => {
    for (const r of ranges) if (r.id === w.id) out.fill(i + 1, r.first, r.first + r.count);
  });
  return out;
}

/** The material of one of the two draws of the surface of water: that of surfaces, with the same uniforms. */
export function overMaterial(of: RawShaderMaterial, pass: 1 | 2): RawShaderMaterial {
  return new RawShaderMaterial({
    glslVersion: of.glslVersion,
    vertexShader: of.vertexShader,
    fragmentShader: of.fragmentShader,
    uniforms: { ...of.uniforms, waterPass: { value: pass } },
    defines: { ...of.defines },
    transparent: true,
    depthWrite: pass === waterPasses.mirrored,
    blending: CustomBlending as Blending,
    blendEquation: AddEquation,
    blendSrc: pass === waterPasses.scattered ? DstAlphaFactor : OneFactor,
    blendDst: pass === waterPasses.scattered ? SrcAlphaFactor : OneFactor,
    blendSrcAlpha: ZeroFactor,
    blendDstAlpha: OneFactor,
  });
}
