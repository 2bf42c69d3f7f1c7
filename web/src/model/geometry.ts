import type { Level, Schemas } from "../api/client";

// Triangles of meshes: their own, or those of a geometry that several show.

export const geometryOf = (level: Level, id: string): Schemas["Geometry"] | undefined => level.geometries.find((g) => g.id === id);

/** The triangles that a mesh shows, and how it scales them along its own axes. */
export function trianglesOf(level: Level, mesh: Schemas["Mesh"]): { positions: readonly number[]; indices: readonly number[]; scale: readonly number[] } {
  const of = mesh.geometry ? geometryOf(level, mesh.geometry) : mesh;
  return { positions: of?.positions ?? [], indices: of?.indices ?? [], scale: mesh.scale ?? [1, 1, 1] };
}
