import type { Level, Operation, Schemas } from "../api/client";
import { taken } from "./things";

// Surfaces: single faces of blocks, and whole blocks and meshes.

type Values = Record<string, unknown>;
type Solid = Schemas["Solid"];
export type FaceSurface = { solid: Solid; face: number; surface: Schemas["Surface"] };

/** The faces that are selected, with the surface that each has. */
export function facesOf(level: Level, ids: readonly string[]): FaceSurface[] {
  return ids.flatMap((id) => {
    const { id: name, face } = taken(id);
    const solid = face === null ? undefined : level.solids.find((s) => s.id === name);
    return solid ? [{ solid, face: face!, surface: solid.faces?.find((f) => f.index === face) ?? solid.surface }] : [];
  });
}

/** Sets fields of the surfaces of faces; the other faces of their blocks stay as they are. */
export function setFaces(faces: readonly FaceSurface[], fields: Values, label: string): Operation {
  const steps = [...new Set(faces.map((f) => f.solid))].map((solid): Operation => {
    const list = faces.filter((f) => f.solid === solid);
    const changed = list.map((s) => ({ ...solid.surface, ...s.surface, ...fields, index: s.face }));
    for (const c of changed) if (c.material === null) delete (c as Values).material;
    const rest = (solid.faces ?? []).filter((f) => !changed.some((c) => c.index === f.index));
    return { op: "set", id: solid.id, fields: { faces: [...rest, ...changed].sort((a, b) => a.index - b.index) } };
  });
  return steps.length === 1 ? { ...steps[0]!, label } : { op: "batch", label, steps };
}

/** The material of a face, or of all of a block or mesh for null; "" where it has none. */
export function materialAt(level: Level, id: string, face: number | null): string {
  const solid = level.solids.find((s) => s.id === id);
  if (solid && face !== null) return facesOf(level, [`${id}#${face}`])[0]?.surface.material ?? "";
  return (solid ?? level.meshes.find((m) => m.id === id))?.surface.material ?? "";
}

/** Puts a material on a face, or on all of a block or mesh for null; null where it cannot take one. */
export function paint(level: Level, id: string, face: number | null, material: string, word: string): Operation | null {
  const solid = level.solids.find((s) => s.id === id);
  if (solid && face !== null) return setFaces(facesOf(level, [`${id}#${face}`]), { material }, `${word} on a face of ${solid.name || id}`);
  const body = solid ?? level.meshes.find((m) => m.id === id);
  if (!body) return null;
  const faces = solid?.faces?.map((f) => ({ ...f, material }));
  return { op: "set", id, fields: { "surface.material": material, ...(faces?.length ? { faces } : {}) }, label: `${word} on ${body.name || id}` };
}
