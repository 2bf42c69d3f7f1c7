import { Quaternion, Vector3 } from "three";
import type { Level, Operation, Schemas } from "../api/client";
import { aim, move, selectedThings } from "../model/edits";
import { taken, thingAt, type Thing } from "../model/things";
import { poseOf, tidy, tidyTurn, tidyVec, toLocal, type Pose, type Vec } from "../model/world";

// What can be dragged of the things that are selected, as plain data: where each handle is,
// and what a drag of it does. The view draws them and asks; nothing here knows of pixels.

export type Ray = { origin: Vec; direction: Vec };
export type Hit = { point: Vec; normal: Vec };

/** A drag as it stands: the ray under the pointer and the one where it began, the surface under
 *  the pointer, and the grid, 0 for none. A number that was typed takes the place of the pointer: it is
 *  what the handle says, such as a range or an angle; for a move along an axis, how far. */
export type Drag = { ray: Ray; from: Ray; hit: Hit | null; snapM: number; typed?: number | undefined };
export type Dragged = { op: Operation; text: string } | null;

export type Handle = {
  id: string;
  label: string;
  look: "dot" | "axis-x" | "axis-y" | "axis-z" | "target" | "side" | "turn" | "surface";
  at: Vec;
  /** Lines that show what it belongs to, as pairs of points. */
  lines?: Vec[];
  drag: (d: Drag) => Dragged;
};

/** What handles need to know of the view. */
export type Sight = {
  /** Metres that a handle's arm is long, so that it keeps its size on screen. */
  armM: (at: Vec) => number;
  /** The direction from the eye to a point. */
  toward: (at: Vec) => Vec;
  /** The first surface along a ray. */
  cast: (ray: Ray) => Hit | null;
};

const v = (p: readonly number[]) => new Vector3(p[0], p[1], p[2]);
const list = (p: Vector3): Vec => [p.x, p.y, p.z];
const snapTo = (x: number, grid: number) => (grid > 0 ? Math.round(x / grid) * grid : x);

/** How far along a line the point nearest to a ray lies, in the direction's own length. */
export function alongLine(origin: Vec, direction: Vec, ray: Ray): number | null {
  const [d, r, w] = [v(direction), v(ray.direction), v(origin).sub(v(ray.origin))];
  const [a, b, c] = [d.dot(d), d.dot(r), r.dot(r)];
  const lower = a * c - b * b;
  if (lower < 1e-9 * a * c) return null; // the ray runs along the line
  return (b * r.dot(w) - c * d.dot(w)) / lower;
}

/** How far a drag has pulled something along a line; null where that cannot be told. */
function pulled(origin: Vec, direction: Vec, { from, ray }: Drag): number | null {
  const [a, b] = [alongLine(origin, direction, from), alongLine(origin, direction, ray)];
  return a === null || b === null ? null : b - a;
}

/** Where a ray meets the plane through a point; null where it runs along it or away. */
export function onPlane(point: Vec, normal: Vec, ray: Ray): Vec | null {
  const down = v(ray.direction).dot(v(normal));
  if (Math.abs(down) < 1e-6) return null;
  const t = v(point).sub(v(ray.origin)).dot(v(normal)) / down;
  return t > 0 ? list(v(ray.origin).addScaledVector(v(ray.direction), t)) : null;
}

const set = (id: string, fields: Record<string, unknown>, label: string): Operation => ({ op: "set", id, fields, label });

/** The handles of a selection: those of moving for all, and those of its last thing. */
export function handlesFor(level: Level, ids: readonly string[], sight: Sight, ownAxes: boolean): Handle[] {
  const last = ids.at(-1);
  const thing = last && taken(last).face === null ? thingAt(level, last) : undefined;
  if (!thing) return [];
  const movable = selectedThings(level, ids);
  if (thing.part === "zones") return [...moving(level, movable, zoneMiddle(thing), [0, 0, 0, 1], sight), ...zoneSides(thing)];
  if (!thing.entity.transform) return [];
  const pose = poseOf(level, thing.entity as never);
  const handles = moving(level, movable, pose.position, ownAxes ? pose.rotation : [0, 0, 0, 1], sight);
  if (movable.length > 1) return handles;
  return [...handles, ...surface(level, thing, pose), ...own(level, thing, pose, sight)];
}

function own(level: Level, t: Thing, pose: Pose, sight: Sight): Handle[] {
  switch (t.part) {
    case "lights":
      return lightHandles(level, t, t.entity as unknown as Schemas["Light"], pose, sight);
    case "solids":
      return [...sides(level, t, pose), turn(level, t, pose, sight)];
    case "meshes":
      return [turn(level, t, pose, sight)];
    case "fog_volumes":
    case "probes":
    case "reflections":
      return sides(level, t, pose);
    case "motes":
      return (t.entity as { form?: string }).form === "box" ? sides(level, t, pose) : [aiming(level, t, pose, sight)];
    case "beams":
      return (t.entity as { light?: string }).light ? [length(t, pose, "length_m", "Length", forward(pose), 1, 0.1)] : [aiming(level, t, pose, sight), length(t, pose, "length_m", "Length", forward(pose), 1, 0.1)];
    case "viewpoints":
      return [aiming(level, t, pose, sight)];
  }
  return [];
}

const axes: [Handle["look"], string, Vec][] = [
  ["axis-x", "x", [1, 0, 0]],
  ["axis-y", "y", [0, 1, 0]],
  ["axis-z", "z", [0, 0, 1]],
];

/** Moving: in the plane across the view, and along three axes. */
function moving(level: Level, things: readonly Thing[], at: Vec, rotation: Pose["rotation"], sight: Sight): Handle[] {
  const ids = things.map((t) => t.id);
  const arm = sight.armM(at);
  const by = (d: Vec): Dragged => {
    const op = move(level, ids, d);
    const to = at.map((x, i) => x + d[i]!);
    return op && { op, text: to.map((x) => x.toFixed(2)).join(", ") + " m" };
  };
  const free: Handle = {
    id: "move",
    label: "Move",
    look: "dot",
    at,
    drag: ({ ray, from, snapM }) => {
      const normal = sight.toward(at);
      const [a, b] = [onPlane(at, normal, from), onPlane(at, normal, ray)];
      if (!a || !b) return null;
      const to = at.map((x, i) => (Math.abs(b[i]! - a[i]!) < 1e-9 ? x : snapTo(x + b[i]! - a[i]!, snapM)));
      return by(to.map((x, i) => x - at[i]!) as Vec);
    },
  };
  const turned = new Quaternion(...rotation);
  return [
    free,
    ...axes.map(([look, name, axis]): Handle => {
      const along = list(v(axis).applyQuaternion(turned));
      return {
        id: `move-${name}`,
        label: `Move along ${name}`,
        look,
        at: list(v(at).addScaledVector(v(along), arm)),
        lines: [at, list(v(at).addScaledVector(v(along), arm))],
        drag: (d) => {
          const metres = d.typed ?? pulled(at, along, d);
          if (metres === null) return null;
          if (d.typed !== undefined) return by(list(v(along).multiplyScalar(metres)));
          const i = axes.findIndex(([l]) => l === look);
          // Along the level's own axes the place snaps, along others the way does.
          const snapped = along[i] === 1 ? snapTo(at[i]! + metres, d.snapM) - at[i]! : snapTo(metres, d.snapM);
          return by(list(v(along).multiplyScalar(snapped)));
        },
      };
    }),
  ];
}

/** Moving onto the surface under the pointer: a block stands on it, a lamp hangs a little off it. */
function surface(level: Level, t: Thing, pose: Pose): Handle[] {
  if (t.part === "viewpoints" || t.kind === "directional") return [];
  const size = (t.entity as { size?: number[] }).size;
  return [
    {
      id: "surface",
      label: "Move along surfaces",
      look: "surface",
      at: pose.position,
      drag: ({ hit, snapM }) => {
        if (!hit) return null;
        const off = t.part === "solids" && size?.length ? size.reduce((sum, s, i) => sum + Math.abs(hit.normal[i]!) * (s / 2), 0) : t.kind === "rect" ? 0.02 : 0.12;
        const to = hit.point.map((x, i) => (Math.abs(hit.normal[i]!) > 0.9 ? x : snapTo(x, snapM)) + hit.normal[i]! * off) as Vec;
        const local = toLocal(level, t.entity, { ...pose, position: to });
        return { op: set(t.id, { "transform.position": tidyVec(local.position) }, `Move ${t.name}`), text: `${off.toFixed(2)} m off` };
      },
    },
  ];
}

const forward = (pose: Pose): Vec => list(new Vector3(0, 0, -1).applyQuaternion(new Quaternion(...pose.rotation)));
const rightOf = (pose: Pose): Vec => list(new Vector3(1, 0, 0).applyQuaternion(new Quaternion(...pose.rotation)));
const upOf = (pose: Pose): Vec => list(new Vector3(0, 1, 0).applyQuaternion(new Quaternion(...pose.rotation)));

/** Aiming by pointing at a spot. */
function aiming(level: Level, t: Thing, pose: Pose, sight: Sight): Handle {
  const way = forward(pose);
  const start = list(v(pose.position).addScaledVector(v(way), 0.02));
  const struck = sight.cast({ origin: start, direction: way });
  const far = struck ? Math.min(v(struck.point).distanceTo(v(pose.position)), 30) : 3;
  const at = list(v(pose.position).addScaledVector(v(way), far));
  return {
    id: "aim",
    label: "Aim",
    look: "target",
    at,
    lines: [pose.position, at],
    drag: ({ hit, ray }) => {
      const to = hit?.point ?? onPlane(at, sight.toward(at), ray);
      const op = to && aim(level, t.id, to);
      return op && { op, text: hit ? `aims ${v(hit.point).distanceTo(v(pose.position)).toFixed(2)} m away` : "aims into the open" };
    },
  };
}

/** A number of metres along a direction from the thing. */
function length(t: Thing, pose: Pose, field: string, label: string, along: Vec, factor: number, least: number, now?: number): Handle {
  const value = now ?? (t.entity as unknown as Record<string, number>)[field]!;
  const at = list(v(pose.position).addScaledVector(v(along), value / factor));
  return {
    id: field,
    label,
    look: "side",
    at,
    lines: [pose.position, at],
    drag: (d) => {
      const metres = pulled(pose.position, along, d);
      if (metres === null && d.typed === undefined) return null;
      const next = Math.max(least, d.typed ?? tidy(snapTo(value + metres! * factor, d.snapM)));
      return { op: set(t.id, { [field]: next }, `${t.name}: ${label.toLowerCase()}`), text: `${label} ${next.toFixed(2)} m` };
    },
  };
}

function lightHandles(level: Level, t: Thing, light: Schemas["Light"], pose: Pose, sight: Sight): Handle[] {
  const out: Handle[] = [];
  const faces = light.kind !== "point" && light.follows === "none";
  if (faces && light.kind !== "tube") out.push(aiming(level, t, pose, sight));
  // The side of a ball or cone as one looks at it.
  const look = v(sight.toward(pose.position));
  const side = v(forward(pose)).cross(look);
  if (side.length() < 1e-3) side.copy(v(rightOf(pose)));
  side.normalize();
  if (light.range_m > 0 && light.kind !== "directional" && light.kind !== "box") {
    const across = light.kind === "spot" ? v(forward(pose)) : new Vector3().crossVectors(look, new Vector3(0, 1, 0)).normalize();
    out.push(length(t, pose, "range_m", "Range", list(across), 1, 0.05));
  }
  if (light.kind === "spot") out.push(cone(t, pose, list(side), "outer_deg", "Outer cone", light, sight), cone(t, pose, list(side.clone().negate()), "inner_deg", "Inner cone", light, sight));
  if (light.kind === "rect" || light.kind === "box") out.push(length(t, pose, "width_m", "Width", rightOf(pose), 2, 0.01), length(t, pose, "height_m", "Height", upOf(pose), 2, 0.01));
  if (light.kind === "tube") out.push(length(t, pose, "length_m", "Length", rightOf(pose), 2, 0.01));
  // One under the middle of the lamp could not be taken hold of.
  if (light.radius_m > 0.25 * sight.armM(pose.position) && ["point", "spot", "dome", "tube"].includes(light.kind)) out.push(length(t, pose, "radius_m", "Source radius", list(new Vector3(0, 1, 0)), 1, 0));
  return out;
}

/** The edge of a spot's cone, where one sees it from the side. */
function cone(t: Thing, pose: Pose, side: Vec, field: "inner_deg" | "outer_deg", label: string, light: Schemas["Light"], sight: Sight): Handle {
  const way = forward(pose);
  const deg = light[field];
  const reach = Math.min(light.range_m > 0 ? light.range_m : 4, 4, Math.max(sight.armM(pose.position) * 3, 0.3));
  const at = edge(pose, way, side, deg, reach);
  const normal = list(v(way).cross(v(side)).normalize());
  return {
    id: field,
    label,
    look: "side",
    at,
    lines: [pose.position, at],
    drag: ({ ray, from, typed }) => {
      const angleOf = (r: Ray) => {
        const p = onPlane(pose.position, normal, r);
        if (!p) return null;
        const d = v(p).sub(v(pose.position));
        return (Math.atan2(d.dot(v(side)), d.dot(v(way))) * 180) / Math.PI;
      };
      const [a, b] = [angleOf(from), angleOf(ray)];
      if ((a === null || b === null) && typed === undefined) return null;
      const [low, high] = field === "outer_deg" ? [Math.max(light.inner_deg, 0.1), 89.9] : [0, light.outer_deg];
      const next = Math.min(high, Math.max(low, typed ?? Math.round((deg + b! - a!) * 2) / 2));
      return { op: set(t.id, { [field]: next }, `${t.name}: ${label.toLowerCase()}`), text: `${label} ${next.toFixed(1)}° was ${deg.toFixed(1)}°` };
    },
  };
}

const edge = (pose: Pose, way: Vec, side: Vec, deg: number, reach: number): Vec => {
  const a = (deg * Math.PI) / 180;
  return list(v(pose.position).addScaledVector(v(way), reach * Math.cos(a)).addScaledVector(v(side), reach * Math.sin(a)));
};

/** The sides of a box that stands on its own pose: one is dragged, the other stays. */
function sides(level: Level, t: Thing, pose: Pose): Handle[] {
  const size = (t.entity as { size?: number[] }).size;
  if (!size?.length || (t.entity as { planes?: unknown[] }).planes?.length) return [];
  const q = new Quaternion(...pose.rotation);
  return [0, 1, 2].flatMap((i) =>
    [1, -1].map((sign): Handle => {
      const along = list(new Vector3().setComponent(i, sign).applyQuaternion(q));
      const at = list(v(pose.position).addScaledVector(v(along), size[i]! / 2));
      const name = `${sign > 0 ? "+" : "−"}${"xyz"[i]}`;
      return {
        id: `side ${name}`,
        label: `Side ${name}`,
        look: "side",
        at,
        drag: (d) => {
          const metres = pulled(at, along, d);
          if (metres === null && d.typed === undefined) return null;
          const next = Math.max(0.01, d.typed ?? tidy(snapTo(size[i]! + metres!, d.snapM)));
          const middle = list(v(pose.position).addScaledVector(v(along), (next - size[i]!) / 2));
          const local = toLocal(level, t.entity, { ...pose, position: middle });
          const fields = { size: size.map((s, k) => (k === i ? next : s)), "transform.position": tidyVec(local.position) };
          return { op: set(t.id, fields, `Size of ${t.name}`), text: `${"xyz"[i]} ${next.toFixed(2)} m` };
        },
      };
    }),
  );
}

const zoneMiddle = (t: Thing): Vec => {
  const box = (t.entity as unknown as Schemas["Zone"]).boxes[0];
  return box ? (box.min.map((m, i) => (m + box.max[i]!) / 2) as Vec) : [0, 0, 0];
};

function zoneSides(t: Thing): Handle[] {
  const { boxes } = t.entity as unknown as Schemas["Zone"];
  return boxes.flatMap((box, n) =>
    [0, 1, 2].flatMap((i) =>
      (["min", "max"] as const).map((end): Handle => {
        const middle = box.min.map((m, k) => (m + box.max[k]!) / 2);
        const at = middle.map((m, k) => (k === i ? box[end][i]! : m)) as Vec;
        const along = list(new Vector3().setComponent(i, 1));
        return {
          id: `side ${n} ${end} ${i}`,
          label: `Side ${end === "min" ? "−" : "+"}${"xyz"[i]}`,
          look: "side",
          at,
          drag: (d) => {
            const metres = pulled(at, along, d);
            if (metres === null && d.typed === undefined) return null;
            const other = end === "min" ? box.max[i]! : box.min[i]!;
            const to = d.typed !== undefined ? other + (end === "min" ? -d.typed : d.typed) : tidy(snapTo(box[end][i]! + metres!, d.snapM));
            const fit = end === "min" ? Math.min(to, other - 0.05) : Math.max(to, other + 0.05);
            const next = boxes.map((o, k) => (k === n ? { ...o, [end]: o[end].map((x, j) => (j === i ? fit : x)) } : o));
            return { op: set(t.id, { boxes: next }, `Size of ${t.name}`), text: `${"xyz"[i]} ${Math.abs(fit - other).toFixed(2)} m` };
          },
        };
      }),
    ),
  );
}

/** Turning about the upright axis. */
function turn(level: Level, t: Thing, pose: Pose, sight: Sight): Handle {
  const arm = sight.armM(pose.position) * 1.5;
  const way = forward(pose);
  const flat = new Vector3(way[0], 0, way[2]);
  if (flat.length() < 1e-3) flat.set(0, 0, -1);
  const at = list(v(pose.position).addScaledVector(flat.normalize(), arm));
  return {
    id: "turn",
    label: "Turn",
    look: "turn",
    at,
    lines: [pose.position, at],
    drag: ({ ray, from, snapM, typed }) => {
      const angleOf = (r: Ray) => {
        const p = onPlane(pose.position, [0, 1, 0], r);
        return p && Math.atan2(-(p[0] - pose.position[0]), -(p[2] - pose.position[2]));
      };
      const [a, b] = [angleOf(from), angleOf(ray)];
      if ((a === null || b === null) && typed === undefined) return null;
      const deg = typed ?? snapTo(((b! - a!) * 180) / Math.PI, snapM > 0 ? 5 : 0);
      const q = new Quaternion().setFromAxisAngle(new Vector3(0, 1, 0), (deg * Math.PI) / 180).multiply(new Quaternion(...pose.rotation));
      const local = toLocal(level, t.entity, { ...pose, rotation: q.toArray() as Pose["rotation"] });
      return { op: set(t.id, { "transform.rotation": tidyTurn(local.rotation) }, `Turn ${t.name}`), text: `${deg.toFixed(0)}°` };
    },
  };
}

/** The number of the face of a solid that looks along a direction of the level; null where it
 *  has no such face. */
export function faceAlong(level: Level, solid: Schemas["Solid"], normal: readonly number[]): number | null {
  const pose = poseOf(level, solid as never);
  const local = v(normal).applyQuaternion(new Quaternion(...pose.rotation).invert());
  const planes = solid.planes?.length ? solid.planes.map((p) => v(p.normal).normalize()) : [0, 1, 2].flatMap((i) => [1, -1].map((s) => new Vector3().setComponent(i, s)));
  const best = planes.reduce((b, p, i) => (p.dot(local) > planes[b]!.dot(local) ? i : b), 0);
  return planes[best]!.dot(local) > 0.9 ? best : null;
}
