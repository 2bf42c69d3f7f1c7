import { Quaternion, Vector3 } from "three";
import type { Light } from "../api/client";

const round = 48;

/** Line segments that show how far a light reaches: three rings of its range, a
 *  cone with its inner and outer edge, or an arrow. */
export function reachLines(light: Light): number[] {
  const out: number[] = [];
  const p = light.transform.position;
  const q = new Quaternion(...(light.transform.rotation as [number, number, number, number]));
  const put = (v: Vector3) => out.push(p[0]! + v.x, p[1]! + v.y, p[2]! + v.z);
  const ring = (radius: number, along: number, u: Vector3, v: Vector3, axis: Vector3) => {
    for (let i = 0; i < round; i++) {
      for (const k of [i, i + 1]) {
        const a = (2 * Math.PI * k) / round;
        put(axis.clone().multiplyScalar(along).addScaledVector(u, radius * Math.cos(a)).addScaledVector(v, radius * Math.sin(a)));
      }
    }
  };
  const x = new Vector3(1, 0, 0).applyQuaternion(q);
  const y = new Vector3(0, 1, 0).applyQuaternion(q);
  const z = new Vector3(0, 0, -1).applyQuaternion(q);
  if ((light.kind === "point" || light.kind === "dome" || light.kind === "rect" || light.kind === "tube") && light.range_m > 0) {
    ring(light.range_m, 0, new Vector3(1, 0, 0), new Vector3(0, 1, 0), z);
    ring(light.range_m, 0, new Vector3(1, 0, 0), new Vector3(0, 0, 1), z);
    ring(light.range_m, 0, new Vector3(0, 1, 0), new Vector3(0, 0, 1), z);
  }
  if (light.kind === "spot") {
    const length = light.range_m > 0 ? Math.min(light.range_m, 12) : 4;
    for (const deg of [light.inner_deg, light.outer_deg]) {
      const a = (deg * Math.PI) / 180;
      ring(length * Math.sin(a), length * Math.cos(a), x, y, z);
    }
    const a = (light.outer_deg * Math.PI) / 180;
    for (const side of [x, x.clone().negate(), y, y.clone().negate()]) {
      put(new Vector3());
      put(z.clone().multiplyScalar(length * Math.cos(a)).addScaledVector(side, length * Math.sin(a)));
    }
  }
  if (light.kind === "rect" || light.kind === "box") {
    const [w, h] = [light.width_m / 2, light.height_m / 2];
    const depth = light.kind === "box" ? 6 : 0.4;
    const corners = [[-1, -1], [1, -1], [1, 1], [-1, 1]].map(([a, b]) => x.clone().multiplyScalar(a! * w).addScaledVector(y, b! * h));
    corners.forEach((c, i) => {
      put(c);
      put(corners[(i + 1) % 4]!);
      put(c);
      put(c.clone().addScaledVector(z, depth));
    });
  }
  if (light.kind === "tube") {
    put(x.clone().multiplyScalar(-light.length_m / 2));
    put(x.clone().multiplyScalar(light.length_m / 2));
  }
  if (light.kind === "dome") {
    ring(0.5, 0, x, y, z);
    put(new Vector3());
    put(z.clone().multiplyScalar(1));
  }
  if (light.kind === "directional") {
    put(new Vector3());
    put(z.clone().multiplyScalar(3));
  }
  return out;
}
