import { BufferAttribute, BufferGeometry, DoubleSide, GLSL3, Mesh, RawShaderMaterial } from "three";
import type { Schemas } from "../api/client";
import { brightnessBands, scaleGLSL } from "./scale";

// How light the ground is where players walk: a square for each place that was asked.

const liftM = 0.015; // over the floor that it lies on
const gap = 0.06; // of a square's side, so that squares are told apart

/** Where a brightness stands on the scale of false colours, in its band. */
export function bandOf(lux: number): number {
  const band = Math.floor(Math.log2(Math.max(lux, 1e-9)) - brightnessBands.first);
  return (Math.min(brightnessBands.count - 1, Math.max(0, band)) + 0.5) / brightnessBands.count;
}

/** Squares as corners, with their place on the scale and whether they are darker than the platform asks. */
export function heatSquares(floors: readonly Schemas["GroundFloor"][]) {
  const count = floors.reduce((n, f) => n + f.squares.length, 0);
  const position = new Float32Array(12 * count), value = new Float32Array(8 * count), index = new Uint32Array(6 * count);
  let i = 0;
  for (const f of floors) {
    const half = (f.side_m / 2) * (1 - gap);
    for (const [x, y, z, lux] of f.squares as [number, number, number, number][]) {
      for (const [k, [dx, dz]] of ([[-1, -1], [-1, 1], [1, 1], [1, -1]] as const).entries()) {
        position.set([x + dx * half, y + liftM, z + dz * half], 3 * (4 * i + k));
        value.set([bandOf(lux), lux < f.asked_lux ? 1 : 0], 2 * (4 * i + k));
      }
      index.set([0, 1, 2, 0, 2, 3].map((k) => 4 * i + k), 6 * i);
      i++;
    }
  }
  return { position, value, index };
}

/** The squares as a mesh for the scene of surfaces. */
export function heatMesh(floors: readonly Schemas["GroundFloor"][]) {
  const { position, value, index } = heatSquares(floors);
  const g = new BufferGeometry();
  g.setAttribute("position", new BufferAttribute(position, 3));
  g.setAttribute("value", new BufferAttribute(value, 2));
  g.setIndex(new BufferAttribute(index, 1));
  const material = new RawShaderMaterial({
    glslVersion: GLSL3,
    side: DoubleSide,
    vertexShader: `
      uniform mat4 modelViewMatrix, projectionMatrix;
      in vec3 position;
      in vec2 value;
      out vec2 vValue;
      void main() {
        vValue = value;
        gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0);
      }`,
    fragmentShader: `
      precision highp float;
      in vec2 vValue;
      out vec4 color;
      ${scaleGLSL}
      void main() {
        vec3 shown = scaleAt(vValue.x);
        if (vValue.y > 0.5 && mod(gl_FragCoord.x + gl_FragCoord.y, 12.0) < 6.0) shown = vec3(0.85, 0.08, 0.05);
        color = vec4(shown, 1.0);
      }`,
  });
  const mesh = new Mesh(g, material);
  mesh.frustumCulled = false;
  return mesh;
}
