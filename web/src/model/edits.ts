import { Quaternion, Vector3 } from "three";
import type { Level, Operation, Schemas } from "../api/client";
import { freshID } from "./apply";
import { alike } from "./find";
import { geometryOf, trianglesOf } from "./geometry";
import type { Part } from "./schema";
import { taken, thingAt, thingsOf, type Thing } from "./things";
import { lookRotation, poseOf, tidy, tidyTurn, tidyVec, toLocal, type Pose, type Vec } from "./world";

// Edits as operations, made of what is selected. None of them changes anything by itself.

type Tree = Record<string, unknown>;
type Made = { op: Operation; ids: string[] };

const named = (things: readonly Thing[]) => (things.length === 1 ? things[0]!.name : `${things.length} things`);

/** The things of a selection, each once; faces count as their solid. */
export function selectedThings(level: Level, ids: readonly string[]): Thing[] {
  const seen = new Set<string>();
  return ids.flatMap((id) => {
    const t = thingAt(level, id);
    if (!t || seen.has(t.id)) return [];
    seen.add(t.id);
    return [t];
  });
}

const batch = (label: string, steps: Operation[]): Operation => (steps.length === 1 ? { ...steps[0]!, label } : { op: "batch", label, steps });

/** Removes things. Those that others refer to are removed after them. */
export function removal(level: Level, ids: readonly string[]): Operation | null {
  const things = selectedThings(level, ids);
  if (things.length === 0) return null;
  return batch(`Remove ${named(things)}`, things.map((t) => ({ op: "remove", id: t.id })));
}

/** The most letters of a name. */
export const longestName = 120;

/** Names things. Several get the name with numbers, in the order of the level. No name gives each its id as a name. */
export function renamed(level: Level, ids: readonly string[], name: string): Operation | null {
  const wanted = new Set(selectedThings(level, ids).map((t) => t.id));
  const things = [...thingsOf(level).values()].filter((t) => wanted.has(t.id));
  const nameAt = (i: number) => (name === "" || things.length === 1 ? name : `${name} ${i + 1}`);
  const steps = things.flatMap((t, i): Operation[] => (t.entity.name ?? "") === nameAt(i) ? [] : [{ op: "set", id: t.id, fields: { name: nameAt(i) || null } }]);
  return steps.length > 0 ? batch(`Rename ${named(things)}`, steps) : null;
}

/** Sets one field of many things, from each one's own value. */
export function setEach(level: Level, ids: readonly string[], path: string, next: (v: unknown, t: Thing) => unknown, label?: string): Operation | null {
  const things = selectedThings(level, ids);
  if (things.length === 0) return null;
  const steps = things.map((t): Operation => ({ op: "set", id: t.id, fields: { [path]: next(at(t.entity as Tree, path), t) } }));
  return batch(label ?? `${named(things)}: ${path}`, steps);
}

const at = (tree: Tree, path: string): unknown => path.split(".").reduce<unknown>((v, key) => (v as Tree | undefined)?.[key], tree);

/** Moves things by metres along the level's axes; zones by their boxes. */
export function move(level: Level, ids: readonly string[], by: readonly number[]): Operation | null {
  const things = selectedThings(level, ids);
  const moved = new Set(things.map((t) => t.id));
  const steps = things.flatMap((t): Operation[] => {
    if (t.part === "zones") {
      const boxes = (t.entity as unknown as Schemas["Zone"]).boxes.map((b) => ({ min: tidyVec(b.min.map((v, i) => v + by[i]!)), max: tidyVec(b.max.map((v, i) => v + by[i]!)) }));
      return [{ op: "set", id: t.id, fields: { boxes } }];
    }
    // What is carried by another that moves comes along.
    if (!t.entity.transform || (t.entity.parent && moved.has(t.entity.parent))) return [];
    const e = t.entity as { id: string; parent?: string; transform: Schemas["Transform"] };
    const pose = poseOf(level, e);
    const local = toLocal(level, e, { ...pose, position: pose.position.map((v, i) => v + by[i]!) as Vec });
    return [{ op: "set", id: t.id, fields: { "transform.position": tidyVec(local.position) } }];
  });
  return steps.length > 0 ? batch(`Move ${named(things)}`, steps) : null;
}

/** Turns a thing so that its own -Z points at a place. */
export function aim(level: Level, id: string, point: readonly number[]): Operation | null {
  const t = thingAt(level, id);
  if (!t?.entity.transform) return null;
  const e = t.entity as { id: string; parent?: string; transform: Schemas["Transform"] };
  const pose = poseOf(level, e);
  const direction = point.map((v, i) => v - pose.position[i]!);
  if (Math.hypot(...direction) < 1e-6) return null;
  const local = toLocal(level, e, { ...pose, rotation: lookRotation(direction) });
  return { op: "set", id: t.id, fields: { "transform.rotation": tidyTurn(local.rotation) }, label: `Aim ${t.name}` };
}

/** Things as they are copied: each with the list that it belongs to. */
export type Clip = { format: "grotta-clip/1"; things: { part: Part; entity: Tree }[] };

export function clipOf(level: Level, ids: readonly string[]): Clip | null {
  const things = selectedThings(level, ids);
  if (things.length === 0) return null;
  // The rigs of what is copied come along, so that keyed colours hold.
  const rigs = [...new Set(things.flatMap((t) => (t.entity.rig ? [t.entity.rig] : [])))].flatMap((id) => thingsOf(level).get(id) ?? []);
  const all = [...rigs.filter((r) => !things.includes(r)), ...things];
  return { format: "grotta-clip/1", things: all.map((t) => ({ part: t.part, entity: structuredClone(t.entity) as Tree })) };
}

/** What is copied with the geometries that its meshes show, as it may go to another level. */
export function withGeometries(level: Level, clip: Clip | null): Clip | null {
  if (!clip) return null;
  const shown = new Set(clip.things.map(({ entity }) => entity.geometry));
  const geometries = level.geometries.filter((g) => shown.has(g.id)).map((g) => ({ part: "geometries" as const, entity: g as unknown as Tree }));
  return { ...clip, things: [...geometries, ...clip.things] };
}

export function readClip(text: string): Clip | null {
  try {
    const clip = JSON.parse(text) as Clip;
    return clip.format === "grotta-clip/1" && Array.isArray(clip.things) ? clip : null;
  } catch {
    return null;
  }
}

// Fields that hold the id of another thing.
const references = ["parent", "rig", "color_from", "light", "zone", "geometry"];

/** Puts copies into a level under new ids, moved by metres. What the copies refer to among
 *  themselves stays so; what is not there is let go. */
export function paste(level: Level, clip: Clip, by: readonly number[], label = "Paste"): Made {
  return place(level, clip, label, (pose) => ({ ...pose, position: pose.position.map((v, i) => v + by[i]!) as Vec }));
}

function place(level: Level, clip: Clip, label: string, pose: (was: Pose) => Pose, takenIDs = new Set<string>()): Made {
  const names = new Map<string, string>();
  for (const { part, entity } of clip.things) {
    const was = entity.id as string;
    // A rig that the level has is shared by the copy's members, unless all of it is copied.
    if (part === "rigs" && thingsOf(level).has(was)) continue;
    if (part === "geometries" && isThere(level, entity)) continue;
    const id = freshID(level, was, takenIDs);
    takenIDs.add(id);
    names.set(was, id);
  }
  const steps: Operation[] = [];
  const ids: string[] = [];
  for (const { part, entity } of clip.things) {
    const was = entity.id as string;
    const id = names.get(was);
    if (!id) continue;
    const copy: Tree = { ...entity, id };
    for (const key of references) {
      const to = copy[key];
      if (typeof to !== "string" || to === "sky") continue;
      if (names.has(to)) copy[key] = names.get(to);
      else if (!thingsOf(level).has(to) && !(key === "geometry" && geometryOf(level, to))) delete copy[key];
    }
    if (part !== "rigs" && copy.name) copy.name = numbered(String(copy.name), id);
    const carried = typeof copy.parent === "string" && [...names.values()].includes(copy.parent);
    if (copy.transform && !carried) {
      const source = { id: was, parent: entity.parent as string | undefined, transform: entity.transform as Schemas["Transform"] };
      const next = toLocal(level, { parent: copy.parent as string | undefined }, pose(poseOf(level, source)));
      copy.transform = { position: tidyVec(next.position), rotation: tidyTurn(next.rotation) };
    }
    if (part === "zones") {
      const origin: Pose = { position: [0, 0, 0], rotation: [0, 0, 0, 1] };
      const shift = pose(origin).position;
      copy.boxes = (copy.boxes as { min: number[]; max: number[] }[]).map((b) => ({ min: tidyVec(b.min.map((v, i) => v + shift[i]!)), max: tidyVec(b.max.map((v, i) => v + shift[i]!)) }));
    }
    steps.push({ op: "add", part, entity: copy });
    if (part !== "rigs" && part !== "geometries") ids.push(id);
  }
  return { op: batch(label, steps), ids };
}

/** Whether a level has a geometry with the same triangles under the same id. */
function isThere(level: Level, geometry: Tree): boolean {
  const own = geometryOf(level, geometry.id as string);
  return own !== undefined && JSON.stringify([own.positions, own.indices]) === JSON.stringify([geometry.positions, geometry.indices]);
}

/** A name with the number of its id, so that copies are told apart. */
function numbered(name: string, id: string): string {
  const n = /-(\d+)$/.exec(id)?.[1];
  const stem = name.replace(/ \d+$/, "");
  return n ? `${stem} ${n}` : name;
}

export function duplicate(level: Level, ids: readonly string[], by: readonly number[]): Made | null {
  const clip = clipOf(level, ids);
  return clip && paste(level, clip, by, `Duplicate ${named(selectedThings(level, ids))}`);
}

/** Repeats things in a row or grid: counts along x, y and z, with themselves, and steps in metres. */
export function repeat(level: Level, ids: readonly string[], counts: readonly number[], step: readonly number[]): Made | null {
  const clip = clipOf(level, ids);
  if (!clip) return null;
  const label = `Repeat ${named(selectedThings(level, ids))} ${counts.filter((c) => c > 1).join(" × ")}`;
  const used = new Set<string>();
  const steps: Operation[] = [];
  const made: string[] = [];
  for (let x = 0; x < counts[0]!; x++)
    for (let y = 0; y < counts[1]!; y++)
      for (let z = 0; z < counts[2]!; z++) {
        if (x + y + z === 0) continue;
        const by = [x * step[0]!, y * step[1]!, z * step[2]!];
        const one = place(level, clip, label, (p) => ({ ...p, position: p.position.map((v, i) => v + by[i]!) as Vec }), used);
        steps.push(...(one.op.op === "batch" ? (one.op.steps ?? []) : [one.op]));
        made.push(...one.ids);
      }
  return steps.length > 0 ? { op: { op: "batch", label, steps }, ids: made } : null;
}

/** Copies things to the other side of a plane across an axis. */
export function mirror(level: Level, ids: readonly string[], axis: 0 | 1 | 2, plane: number): Made | null {
  const clip = clipOf(level, ids);
  if (!clip) return null;
  return place(level, clip, `Mirror ${named(selectedThings(level, ids))}`, ({ position, rotation }) => {
    const q = new Quaternion(...rotation);
    const forward = new Vector3(0, 0, -1).applyQuaternion(q).toArray();
    forward[axis] = -forward[axis]!;
    return { position: position.map((v, i) => (i === axis ? 2 * plane - v : v)) as Vec, rotation: lookRotation(forward) };
  });
}

/** Where a block or mesh has its middle, and how it is turned. A mesh's middle is that of its vertices. */
function anchorOf(level: Level, t: Thing): Pose {
  const pose = poseOf(level, t.entity as { id: string; parent?: string; transform: Schemas["Transform"] });
  if (t.part !== "meshes") return pose;
  const { positions, scale } = trianglesOf(level, t.entity as Schemas["Mesh"]);
  const sum = [0, 0, 0];
  for (let i = 0; i < positions.length; i++) sum[i % 3]! += positions[i]! * scale[i % 3]!;
  const n = Math.max(positions.length / 3, 1);
  const middle = new Vector3(sum[0]! / n, sum[1]! / n, sum[2]! / n).applyQuaternion(new Quaternion(...pose.rotation));
  return { ...pose, position: [pose.position[0] + middle.x, pose.position[1] + middle.y, pose.position[2] + middle.z] };
}

/** Copies things to every block or mesh that has the shape of one, each as it stands to that
 *  one. Places that have such a thing already are left out. */
export function atEachAlike(level: Level, ids: readonly string[], fixture: string): Made | null {
  const moving = ids.filter((id) => taken(id).id !== fixture);
  const clip = clipOf(level, moving);
  const from = thingsOf(level).get(fixture);
  if (!clip || !from) return null;
  const anchor = anchorOf(level, from);
  const back = new Quaternion(...anchor.rotation).invert();
  const first = selectedThings(level, moving)[0]!;
  const standing = [...thingsOf(level).values()].filter((t) => t.part === first.part && t.kind === first.kind && t.entity.transform).map((t) => poseOf(level, t.entity as never).position);
  const used = new Set<string>();
  const steps: Operation[] = [];
  const made: string[] = [];
  for (const id of alike(level, fixture, "shape")) {
    if (id === fixture) continue;
    const to = anchorOf(level, thingsOf(level).get(id)!);
    const turn = new Quaternion(...to.rotation).multiply(back);
    const carry = (p: Pose): Pose => {
      const off = new Vector3(...p.position).sub(new Vector3(...anchor.position)).applyQuaternion(turn);
      return { position: [to.position[0] + off.x, to.position[1] + off.y, to.position[2] + off.z], rotation: turn.clone().multiply(new Quaternion(...p.rotation)).toArray() as Pose["rotation"] };
    };
    const lands = first.entity.transform ? carry(poseOf(level, first.entity as never)).position : null;
    if (lands && standing.some((p) => Math.hypot(...p.map((v, i) => v - lands[i]!)) < 0.05)) continue;
    const one = place(level, clip, "", carry, used);
    steps.push(...(one.op.op === "batch" ? (one.op.steps ?? []) : [one.op]));
    made.push(...one.ids);
  }
  if (made.length === 0) return null;
  return { op: { op: "batch", label: `One ${first.kind} at each fixture like ${from.name}`, steps }, ids: made };
}

/** The block or mesh that a thing most likely hangs on: what carries it, a member of its rig,
 *  or the nearest within a metre of its place. */
export function fixtureOf(level: Level, id: string): string | null {
  const t = thingAt(level, id);
  if (!t?.entity.transform) return null;
  const all = thingsOf(level);
  const bodies = [...all.values()].filter((b) => b.part === "solids" || b.part === "meshes");
  const carrier = bodies.find((b) => b.id === t.entity.parent);
  if (carrier) return carrier.id;
  const here = poseOf(level, t.entity as never).position;
  const away = (b: Thing) => {
    const { position, rotation } = anchorOf(level, b);
    const local = new Vector3(...here).sub(new Vector3(...position)).applyQuaternion(new Quaternion(...rotation).invert());
    const size = (b.entity as { size?: number[] }).size;
    // From the sides of a box; from the middle of what has none.
    return size ? Math.hypot(...[local.x, local.y, local.z].map((v, i) => Math.max(0, Math.abs(v) - size[i]! / 2))) : local.length();
  };
  const sizeOf = (b: Thing) => Math.max(...((b.entity as { size?: number[] }).size ?? [1]));
  const rigged = t.entity.rig ? bodies.filter((b) => b.entity.rig === t.entity.rig) : [];
  const near = (rigged.length > 0 ? rigged : bodies.filter((b) => away(b) < 1 && sizeOf(b) < 2)).sort((a, b) => away(a) - away(b));
  return near[0]?.id ?? null;
}

/** What hangs on fixtures of the same shape as the one of a thing, with it; of a block or mesh, those of its shape. None without a fixture. */
export function onFixturesAlike(level: Level, id: string): string[] {
  const t = thingAt(level, id);
  if (t?.part === "solids" || t?.part === "meshes") return alike(level, t.id, "shape");
  const fixture = t && fixtureOf(level, t.id);
  if (!fixture) return [];
  const bodies = new Set(alike(level, fixture, "shape"));
  return [...thingsOf(level).values()].filter((o) => o.part === t.part && bodies.has(fixtureOf(level, o.id) ?? "")).map((o) => o.id);
}

/** What can be placed by pointing, with the metres it stands off the surface. */
export type Placeable = { part: "lights"; kind: Schemas["Light"]["kind"] } | { part: "glows" | "solids" | "fog_volumes" | "motes" | "beams"; kind: string };

const standOffM: Record<string, number> = { point: 0.25, spot: 0.12, dome: 0.1, rect: 0.02, tube: 0.05, box: 0.02, directional: 0.5, glows: 0.1, beams: 0.05 };

/** A new thing on a surface: off it along its normal, and facing away from it. */
export function placed(level: Level, what: Placeable, point: readonly number[], normal: readonly number[], values: Tree = {}): Made {
  if (what.kind === "stairs") return stairs(level, point);
  const size = what.part === "solids" ? boxes[what.kind]! : volumes[what.part];
  const away = size ? size.reduce((sum, v, i) => sum + Math.abs(normal[i]! * v) / 2, 0) : (standOffM[what.part === "lights" ? what.kind : what.part] ?? 0.1);
  const position = tidyVec(point.map((v, i) => v + normal[i]! * away));
  const base = what.part === "lights" ? `${what.kind}-light` : { glows: "glow", solids: what.kind, fog_volumes: "fog", motes: "motes", beams: "beam" }[what.part];
  const id = freshID(level, base);
  const word = base.replace("-", " ");
  const n = /-(\d+)$/.exec(id)?.[1];
  const name = `${word[0]!.toUpperCase()}${word.slice(1)}${n ? ` ${n}` : ""}`;
  const faces = what.part === "lights" || what.part === "beams";
  const transform: Tree = { position, ...(faces ? { rotation: tidyTurn(lookRotation(normal)) } : {}) };
  const entity: Tree = { id, name, ...(what.part === "lights" ? { kind: what.kind, ...startOf(what.kind) } : {}), ...(what.part === "solids" ? solidOf(what.kind) : size ? { size } : {}), ...values, transform };
  const add: Operation = { op: "add", part: what.part, entity, label: `Place ${name}` };
  return { op: what.part === "solids" && what.kind === "water" ? filled(level, add) : add, ids: [id] };
}

/** An operation that adds a block, with the level's water in it; a level without any gets a material for it. */
function filled(level: Level, { label, ...add }: Operation): Operation {
  const known = level.materials.find((m) => m.water);
  const material = known?.id ?? freshID(level, "water-material");
  const block = { ...add, entity: { ...add.entity, surface: { material, collides: false } } } as Operation;
  if (known) return { ...block, label };
  return { op: "batch", label, steps: [{ op: "add", part: "materials", entity: { id: material, name: "Water", color: "#142220", water: {} } }, block] };
}

/** Values with which a new light shows in a room. */
function startOf(kind: string): Tree {
  switch (kind) {
    case "point":
    case "dome":
      return { strength: 40, range_m: 8, kelvin: 2700 };
    case "spot":
      return { strength: 120, range_m: 10, kelvin: 3000 };
    case "rect":
      return { strength: 400, width_m: 1, height_m: 0.6, kelvin: 4000 };
    case "tube":
      return { strength: 1500, length_m: 1.2, radius_m: 0.02, kelvin: 4000 };
  }
  return { strength: 100 };
}

const boxes: Record<string, number[]> = { box: [1, 1, 1], wedge: [1, 1, 1], cylinder: [0.5, 1, 0.5], wall: [4, 2.5, 0.2], floor: [4, 0.2, 4], water: [3, 1, 3], blocker: [1, 1, 0.05] };

/** Sizes of what hangs in the air, metres: its outline shows before it is placed. */
const volumes: Partial<Record<Placeable["part"], number[]>> = { fog_volumes: [4, 2, 4], motes: [2, 2, 2] };

const steps = { count: 8, rise: 0.175, run: 0.28, width: 1.2 };

/** A flight of stairs from a point up and away along -z: a block for each step, down to the floor. */
function stairs(level: Level, point: readonly number[]): Made {
  const used = new Set<string>();
  const ids: string[] = [];
  const made = Array.from({ length: steps.count }, (_, i): Operation => {
    const id = freshID(level, "step", used);
    used.add(id);
    ids.push(id);
    const height = steps.rise * (i + 1);
    const position = tidyVec([point[0]!, point[1]! + height / 2, point[2]! - steps.run * (i + 0.5)]);
    return { op: "add", part: "solids", entity: { id, name: `Step ${i + 1}`, size: tidyVec([steps.width, height, steps.run]), transform: { position } } };
  });
  return { op: { op: "batch", label: `Place stairs of ${steps.count} steps`, steps: made }, ids };
}

/** Puts a thing at another place of its list. */
export function reordered(level: Level, part: "viewpoints", id: string, index: number): Operation {
  const entity = level[part].find((e) => e.id === id);
  const name = entity?.name || id;
  return { op: "batch", label: `Move ${name} to place ${index + 1}`, steps: [{ op: "remove", id }, { op: "add", part, index, entity: entity as unknown as Tree }] };
}

/** The shape of a block by its word. */
function solidOf(kind: string): Tree {
  const size = boxes[kind]!;
  const [x, y, z] = size.map((v) => v / 2) as [number, number, number];
  const six = [[1, 0, 0, x], [-1, 0, 0, x], [0, 1, 0, y], [0, -1, 0, y], [0, 0, 1, z], [0, 0, -1, z]];
  const planes = (rows: number[][]) => rows.map(([a, b, c, d]) => ({ normal: [a, b, c], distance: d }));
  switch (kind) {
    case "wedge": {
      // A slope from the foot at +z up to the top at -z takes the place of the top.
      const n = Math.hypot(y, z);
      return { planes: planes([...six.slice(0, 2), [0, z / n, y / n, 0], ...six.slice(3)]) };
    }
    case "cylinder": {
      const sides = 16;
      return { planes: planes([six[2]!, six[3]!, ...Array.from({ length: sides }, (_, i) => [tidy(Math.cos((2 * Math.PI * i) / sides)), 0, tidy(Math.sin((2 * Math.PI * i) / sides)), x])]).map((p) => ({ ...p, normal: unit(p.normal as number[]) })) };
    }
    case "blocker":
      return { size, surface: { visible: false, casts_shadow: true, receives_light: false, collides: false } };
  }
  return { size };
}

function unit(v: number[]): number[] {
  const l = Math.hypot(...v);
  return v.map((x) => x / l);
}

/** Cuts an opening through a box: the box becomes the four pieces round it (fewer where the
 *  opening meets an edge). centre is on one of the box's faces; width and height are metres. */
export function opening(level: Level, id: string, centre: readonly number[], normal: readonly number[], width: number, height: number): Made | null {
  const t = thingAt(level, id);
  const solid = t?.entity as (Schemas["Solid"] & { size?: number[] }) | undefined;
  if (!t || t.part !== "solids" || !solid?.size?.length || (solid.planes?.length ?? 0) > 0) return null;
  const pose = poseOf(level, solid as never);
  const turn = new Quaternion(...pose.rotation);
  const back = turn.clone().invert();
  const local = new Vector3(...(centre as Vec)).sub(new Vector3(...pose.position)).applyQuaternion(back);
  const n = new Vector3(...(normal as Vec)).applyQuaternion(back);
  const through = [n.x, n.y, n.z].map(Math.abs).reduce((best, v, i, all) => (v > all[best]! ? i : best), 0);
  const up = new Vector3(0, 1, 0).applyQuaternion(back);
  const others = [0, 1, 2].filter((i) => i !== through);
  const upAxis = others.reduce((best, i) => (Math.abs(up.getComponent(i)) > Math.abs(up.getComponent(best)) ? i : best), others[0]!);
  const sideAxis = others.find((i) => i !== upAxis)!;
  const half = solid.size.map((v) => v / 2);
  const c = [local.x, local.y, local.z];
  const clamp = (v: number, axis: number) => Math.min(half[axis]!, Math.max(-half[axis]!, v));
  const [s0, s1] = [clamp(c[sideAxis]! - width / 2, sideAxis), clamp(c[sideAxis]! + width / 2, sideAxis)];
  const [u0, u1] = [clamp(c[upAxis]! - height / 2, upAxis), clamp(c[upAxis]! + height / 2, upAxis)];
  if (s1 - s0 < 0.01 || u1 - u0 < 0.01) return null;
  // Left and right run the whole height, below and above only the width of the opening.
  const pieces = [
    [-half[sideAxis]!, s0, -half[upAxis]!, half[upAxis]!],
    [s1, half[sideAxis]!, -half[upAxis]!, half[upAxis]!],
    [s0, s1, -half[upAxis]!, u0],
    [s0, s1, u1, half[upAxis]!],
  ].filter(([a, b, d, e]) => b! - a! > 0.005 && e! - d! > 0.005);
  if (pieces.length === 0) return null;
  const used = new Set<string>();
  const made = pieces.map(([a, b, d, e], i): { fields: Tree; id: string } => {
    const size = [...solid.size!];
    const middle = [0, 0, 0];
    size[sideAxis] = tidy(b! - a!);
    size[upAxis] = tidy(e! - d!);
    middle[sideAxis] = (a! + b!) / 2;
    middle[upAxis] = (d! + e!) / 2;
    const off = new Vector3(...(middle as Vec)).applyQuaternion(turn);
    const where = toLocal(level, solid as never, { ...pose, position: [pose.position[0] + off.x, pose.position[1] + off.y, pose.position[2] + off.z] });
    const pieceID = i === 0 ? solid.id : freshID(level, solid.id, used);
    used.add(pieceID);
    return { id: pieceID, fields: { size, transform: { position: tidyVec(where.position), rotation: where.rotation } } };
  });
  const { id: _, ...rest } = structuredClone(solid) as unknown as Tree;
  const steps = made.map(({ id: pieceID, fields }, i): Operation =>
    i === 0
      ? { op: "set", id: solid.id, fields: { size: fields.size, "transform.position": (fields.transform as { position: number[] }).position } }
      : { op: "add", part: "solids", entity: { ...rest, ...fields, id: pieceID } },
  );
  return { op: { op: "batch", label: `Cut an opening in ${t.name}`, steps }, ids: made.map((m) => m.id) };
}
