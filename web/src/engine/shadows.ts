import { Quaternion, Vector3 } from "three";
import type { Level } from "../api/client";
import { poseOf } from "../model/world";

// Where lights cast shadows, as core/overlap has it: each is a body that holds points or not.

/** Most lights that are counted; later ones are left out. */
export const mostShadows = 512;
/** Four numbers of four rows each: place and end; direction and kind; own x-axis and half its length; cosine of the cone, half sides. */
export const shadowRows = 4;
const far = 1e9;
const kinds = ["point", "spot", "dome", "rect", "tube", "box", "directional"];

/** The shadow bodies of a level's lights, for the shader that counts them. */
export function shadowBodies(level: Level): { count: number; values: Float32Array } {
  const lights = level.lights.filter((l) => l.enabled && l.shadows.cast && l.shadows.depth > 0).slice(0, mostShadows);
  const values = new Float32Array(Math.max(lights.length, 1) * shadowRows * 4);
  lights.forEach((l, i) => {
    const pose = poseOf(level, l);
    const turn = new Quaternion(...(pose.rotation as [number, number, number, number]));
    const aim = new Vector3(0, 0, -1).applyQuaternion(turn);
    const x = new Vector3(1, 0, 0).applyQuaternion(turn);
    const end = Math.min(l.range_m || far, l.shadows.reach_m || far);
    const half = l.kind === "tube" ? l.length_m / 2 : l.width_m / 2;
    values.set([...pose.position, end, ...aim, kinds.indexOf(l.kind), ...x, half, Math.cos((l.outer_deg * Math.PI) / 180), l.height_m / 2, 0, 0], i * shadowRows * 4);
  });
  return { count: lights.length, values };
}

/** Whether a point is in the body of a row, as the shader asks it. */
export function holds(row: ArrayLike<number>, p: readonly number[]): boolean {
  const v = (k: number) => new Vector3(row[k], row[k + 1], row[k + 2]);
  const off = new Vector3(p[0], p[1], p[2]).sub(v(0));
  const [aim, x, end, kind, half] = [v(4), v(8), row[3]!, row[7]!, row[11]!];
  const along = off.dot(aim);
  if (kind === 6) return true;
  if (kind === 5) return along >= 0 && along <= end && Math.abs(off.dot(x)) <= half && Math.abs(off.dot(aim.clone().cross(x))) <= row[13]!;
  if (kind === 4) return off.addScaledVector(x, -Math.min(half, Math.max(-half, off.dot(x)))).length() <= end;
  return off.length() <= end && (kind === 0 || (kind === 1 ? along >= row[12]! * off.length() : along >= 0));
}

/** The same in a shader: int shadowsAt(vec3 p). */
export const shadowsGLSL = `
  uniform sampler2D shadowBodies; // a row a light
  uniform int shadowCount;
  int shadowsAt(vec3 p) {
    int n = 0;
    for (int i = 0; i < shadowCount; i++) {
      vec4 at = texelFetch(shadowBodies, ivec2(0, i), 0), aim = texelFetch(shadowBodies, ivec2(1, i), 0);
      vec4 x = texelFetch(shadowBodies, ivec2(2, i), 0), more = texelFetch(shadowBodies, ivec2(3, i), 0);
      vec3 off = p - at.xyz;
      float along = dot(off, aim.xyz), d = length(off);
      int kind = int(aim.w + 0.5);
      bool inside = true;
      if (kind == 5) inside = along >= 0.0 && along <= at.w && abs(dot(off, x.xyz)) <= x.w && abs(dot(off, cross(aim.xyz, x.xyz))) <= more.y;
      else if (kind == 4) inside = length(off - x.xyz * clamp(dot(off, x.xyz), -x.w, x.w)) <= at.w;
      else if (kind != 6) inside = d <= at.w && (kind == 0 || (kind == 1 ? along >= more.x * d : along >= 0.0));
      if (inside) n++;
    }
    return n;
  }`;
