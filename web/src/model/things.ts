import type { Level, Schemas } from "../api/client";
import { channels, linear, shortHex, swatch } from "../engine/color";
import type { Part } from "./schema";
import { poseOf } from "./world";

// Everything in a level that can be selected, as one list: lights, what is in the air, blocks,
// meshes, zones, viewpoints and the rest. A single face of a solid is selected by the solid's
// id and the face's number.

export type Kind = Schemas["Light"]["kind"] | "glow" | "fog volume" | "beam" | "motes" | "block" | "mesh" | "zone" | "viewpoint" | "probes" | "reflection" | "rig" | "path";

/** The fields that things have in common; what is missing has no place. */
type Base = { id: string; name?: string; enabled?: boolean; zone?: string; rig?: string; parent?: string; tags?: string[] | null; transform?: Schemas["Transform"] };

export type Thing = { id: string; name: string; part: Part; kind: Kind; entity: Base; enabled: boolean };

const plain: Partial<Record<Part, Kind>> = {
  glows: "glow",
  fog_volumes: "fog volume",
  beams: "beam",
  motes: "motes",
  solids: "block",
  meshes: "mesh",
  zones: "zone",
  viewpoints: "viewpoint",
  probes: "probes",
  reflections: "reflection",
  rigs: "rig",
  paths: "path",
};

export const parts: readonly Part[] = ["lights", "glows", "fog_volumes", "beams", "motes", "solids", "meshes", "zones", "viewpoints", "probes", "reflections", "rigs", "paths"];

const known = new WeakMap<Level, Map<string, Thing>>();

/** The things of a level by their ids, in document order. */
export function thingsOf(level: Level): Map<string, Thing> {
  let all = known.get(level);
  if (!all) {
    all = new Map();
    for (const part of parts) {
      for (const entity of level[part] as Base[]) {
        const kind = part === "lights" ? (entity as Schemas["Light"]).kind : plain[part];
        if (kind) all.set(entity.id, { id: entity.id, name: entity.name || entity.id, part, kind, entity, enabled: entity.enabled ?? true });
      }
    }
    known.set(level, all);
  }
  return all;
}

/** A selected id taken apart: a thing, or a face of a solid. */
export function taken(id: string): { id: string; face: number | null } {
  const [thing, face] = id.split("#");
  return { id: thing!, face: face === undefined ? null : Number(face) };
}

export const faceID = (id: string, face: number) => `${id}#${face}`;

export const thingAt = (level: Level, id: string): Thing | undefined => thingsOf(level).get(taken(id).id);

/** Where a thing stands in the level; a zone in the middle of its boxes; null without a place. */
export function placeOf(level: Level, thing: Thing): [number, number, number] | null {
  if (thing.part === "zones") {
    const box = (thing.entity as unknown as Schemas["Zone"]).boxes[0];
    return box ? [0, 1, 2].map((i) => (box.min[i]! + box.max[i]!) / 2) as [number, number, number] : null;
  }
  return thing.entity.transform ? (poseOf(level, thing.entity as Required<Pick<Base, "id" | "transform">> & Base).position) : null;
}

/** What a hand-over writes; geometry goes as glTF. */
export const handedOver: ReadonlySet<Part> = new Set<Part>(["lights", "glows", "beams", "motes", "fog_volumes", "zones", "viewpoints"]);

/** The colour that a thing shows, as #rrggbb; undefined where it has none. */
export function colorOf(level: Level, thing: Thing): string | undefined {
  if (thing.part === "lights") {
    const light = thing.entity as Schemas["Light"];
    if (light.color) return shortHex(light.color);
    if (light.kelvin) return kelvinHex(light.kelvin);
    const rig = level.rigs.find((r) => r.id === light.rig);
    return rig?.key_color || (rig?.key_kelvin ? kelvinHex(rig.key_kelvin) : "#ffffff");
  }
  const e = thing.entity as { color?: string; color_from?: string; light?: string };
  const from = e.color_from || e.light;
  const source = from ? thingsOf(level).get(from) : undefined;
  return (e.color && shortHex(e.color)) || (source ? colorOf(level, source) : undefined);
}

/** The colour of a black body, by Kim et al.'s cubic fit of the Planckian locus (US patent
 *  7024034), good from 1667 to 25000 K; outside it is held at the ends. */
export function kelvinHex(kelvin: number): string {
  const t = Math.min(25000, Math.max(1667, kelvin));
  const x = t <= 4000 ? -0.2661239e9 / t ** 3 - 0.2343589e6 / t ** 2 + 0.8776956e3 / t + 0.17991 : -3.0258469e9 / t ** 3 + 2.1070379e6 / t ** 2 + 0.2226347e3 / t + 0.24039;
  const y =
    t <= 2222
      ? -1.1063814 * x ** 3 - 1.3481102 * x ** 2 + 2.18555832 * x - 0.20219683
      : t <= 4000
        ? -0.9549476 * x ** 3 - 1.37418593 * x ** 2 + 2.09137015 * x - 0.16748867
        : 3.081758 * x ** 3 - 5.8733867 * x ** 2 + 3.75112997 * x - 0.37001483;
  const X = x / y;
  const Z = (1 - x - y) / y;
  const rgb = [3.2404542 * X - 1.5371385 - 0.4985314 * Z, -0.969266 * X + 1.8760108 + 0.041556 * Z, 0.0556434 * X - 0.2040259 + 1.0572252 * Z].map((v) => Math.max(0, v));
  return swatch(rgb);
}

/** What a colour is called: red, orange, yellow, green, cyan, blue, magenta, white, grey; warm,
 *  neutral or cool; dark. Hue and saturation are those of HSV. */
export function colorWords(hex: string): string[] {
  const [r, g, b] = channels(hex);
  const most = Math.max(r, g, b);
  const span = most - Math.min(r, g, b);
  const words: string[] = [];
  if (most > 0 && span / most >= 0.08) {
    const hue = 60 * (most === r ? ((g - b) / span + 6) % 6 : most === g ? (b - r) / span + 2 : (r - g) / span + 4);
    const names: [number, string][] = [[15, "red"], [45, "orange"], [70, "yellow"], [165, "green"], [195, "cyan"], [255, "blue"], [330, "magenta"], [360, "red"]];
    if (span / most >= 0.25) words.push(names.find(([to]) => hue < to)?.[1] ?? "red");
    else words.push("white");
    words.push(hue < 75 || hue >= 315 ? "warm" : hue > 165 && hue < 270 ? "cool" : "neutral");
  } else words.push(most > 0.8 ? "white" : "grey", "neutral");
  const [lr, lg, lb] = linear(hex);
  if (0.2126 * lr + 0.7152 * lg + 0.0722 * lb < 0.05) words.push("dark");
  return words;
}

/** A kind as a heading. */
export const plurals: Record<Kind, string> = {
  point: "Point lights",
  spot: "Spot lights",
  dome: "Dome lights",
  directional: "Directional lights",
  box: "Box lights",
  rect: "Rect lights",
  tube: "Tube lights",
  glow: "Glows",
  "fog volume": "Volumes of fog",
  beam: "Beams",
  motes: "Motes",
  block: "Blocks",
  mesh: "Meshes",
  zone: "Zones",
  viewpoint: "Viewpoints",
  probes: "Probe grids",
  reflection: "Reflections",
  rig: "Rigs",
  path: "Paths",
};

/** What one of a part is called, and several. */
export const partWords: Partial<Record<Part, readonly [string, string]>> = {
  lights: ["light", "lights"],
  glows: ["glow", "glows"],
  fog_volumes: ["volume of fog", "volumes of fog"],
  beams: ["beam", "beams"],
  motes: ["cloud of motes", "clouds of motes"],
  solids: ["block", "blocks"],
  meshes: ["mesh", "meshes"],
  zones: ["zone", "zones"],
  viewpoints: ["viewpoint", "viewpoints"],
  probes: ["probe grid", "probe grids"],
  reflections: ["reflection", "reflections"],
  rigs: ["rig", "rigs"],
  paths: ["path", "paths"],
};

/** The unit of a light's strength. */
export const unitOfLight = { point: "cd", spot: "cd", dome: "cd", directional: "lx", box: "lx", rect: "nt", tube: "nt" } as const;
