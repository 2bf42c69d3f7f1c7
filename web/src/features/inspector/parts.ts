import type { Level } from "../../api/client";
import type { Part } from "../../model/schema";
import { colorOf, thingsOf, type Kind } from "../../model/things";
import type { Field, Values } from "../../ui/fields";
import { kinds, lightKinds } from "../../ui/kinds";
import { airParts } from "./air";

// The rows of the inspector for each part: sections of fields.

export type Section = { title: string; fields: Field[] };

const isKind =
  (...of: string[]) =>
  (v: Values) =>
    of.includes(v.kind as string);
const not =
  (...of: string[]) =>
  (v: Values) =>
    !of.includes(v.kind as string);

/** Linear and smooth falloff end at a range, so a light without one gets one. */
const withRange = (v: unknown): Values => (v === "linear" || v === "smooth" ? { range_m: 8 } : {});

function lightSections(level: Level, unit: string): Section[] {
  return [
    {
      title: "Light",
      fields: [
        { is: "toggle", path: "enabled", label: "On" },
        { is: "choice", path: "kind", label: "Kind", of: lightKinds },
        { is: "number", path: "strength", label: "Strength", unit, step: 1, scale: "log" },
        { is: "color", path: "color", label: "Colour", unset: "its own", shown: (v) => colorOf(level, thingsOf(level).get(v.id as string)!), also: (v) => (v ? { kelvin: null } : {}) },
        { is: "number", path: "kelvin", label: "Temperature", unit: "K", step: 100, unset: "by colour", also: () => ({ color: null }) },
        { is: "number", path: "range_m", label: "Range", unit: "m", unset: "unbounded", when: not("directional", "box") },
        { is: "number", path: "inner_deg", label: "Inner cone", unit: "°", step: 1, when: isKind("spot") },
        { is: "number", path: "outer_deg", label: "Outer cone", unit: "°", step: 1, when: isKind("spot") },
        { is: "number", path: "width_m", label: "Width", unit: "m", step: 0.05, when: isKind("rect", "box") },
        { is: "number", path: "height_m", label: "Height", unit: "m", step: 0.05, when: isKind("rect", "box") },
        { is: "number", path: "length_m", label: "Length", unit: "m", step: 0.05, when: isKind("tube") },
        { is: "choice", path: "falloff", label: "Falloff", of: ["inverse_square", "linear", "smooth", "custom"], when: isKind("point", "spot", "dome"), also: withRange },
        { is: "three", path: "falloff_terms", label: "Term", min: 0, step: 0.05, names: ["a", "b", "c"], when: (v) => v.falloff === "custom" },
      ],
    },
    {
      title: "Source and shadow",
      fields: [
        { is: "number", path: "radius_m", label: "Source radius", unit: "m", step: 0.01, when: isKind("point", "spot", "dome", "tube") },
        { is: "number", path: "angular_deg", label: "Disc", unit: "°", step: 0.1, when: isKind("directional", "box") },
        { is: "toggle", path: "shadows.cast", label: "Casts" },
        { is: "number", path: "shadows.softness", label: "Softness", unit: "×", step: 0.05 },
        { is: "number", path: "shadows.near_m", label: "Near", unit: "m", step: 0.01 },
        { is: "number", path: "shadows.reach_m", label: "Reach", unit: "m", step: 0.5, unset: "no end", when: not("directional", "box") },
        { is: "number", path: "shadows.fade_m", label: "Fade", unit: "m", step: 0.1, when: (v) => ((v.shadows as Values).reach_m as number) > 0 },
        { is: "number", path: "shadows.depth", label: "Depth", step: 0.05 },
      ],
    },
    {
      title: "Fog, flicker, bounce",
      fields: [
        { is: "number", path: "bounce_scale", label: "Bounce", unit: "×", step: 0.05 },
        { is: "number", path: "fog_share", label: "Fog share", unit: "×", step: 0.1, unset: "not in fog" },
        { is: "toggle", path: "lights_surfaces", label: "On surfaces" },
        { is: "choice", path: "flicker.pattern", label: "Flicker", of: ["candle", "faulty", "pulse"], when: (v) => v.flicker !== undefined },
        { is: "number", path: "flicker.rate_hz", label: "Rate", unit: "Hz", step: 0.5, when: (v) => v.flicker !== undefined },
        { is: "number", path: "flicker.depth", label: "Depth of flicker", step: 0.05, when: (v) => v.flicker !== undefined },
        { is: "choice", path: "follows", label: "Follows", of: ["none", "sun", "moon"], when: isKind("directional", "box") },
        { is: "choice", path: "bake", label: "On platform", of: ["baked", "dynamic", "both"] },
        { is: "pick", path: "rig", label: "Rig", none: "none", of: level.rigs.map((r) => [r.id, r.name || r.id] as const) },
      ],
    },
  ];
}

const isWater = (l: Level, block: Values) => l.materials.find((m) => m.id === (block.surface as Values | undefined)?.material)?.water !== undefined;

const materialsOf = (l: Level) => l.materials.map((m) => [m.id, m.name || m.id] as const);

/** What a face carries, at a path of its solid or mesh. */
export const surfaceFields = (l: Level, at: string): Field[] => [
  { is: "pick", path: `${at}material`, label: "Material", none: "plain grey", of: materialsOf(l) },
  { is: "number", path: `${at}density`, label: "Density", unit: "/m", min: 0, max: 256, step: 1, unset: "as the level" },
  { is: "toggle", path: `${at}visible`, label: "Visible" },
  { is: "toggle", path: `${at}casts_shadow`, label: "Casts shadow" },
  { is: "toggle", path: `${at}receives_light`, label: "Receives light" },
  { is: "toggle", path: `${at}collides`, label: "Collides" },
];

/** What blocks and meshes share. What holds no water casts a shadow or not. */
const bodySections = (l: Level, castsShadow: (v: Values) => boolean = () => true): Section[] => [
  { title: "Surface", fields: surfaceFields(l, "surface.").map((f) => (f.label === "Casts shadow" ? { ...f, when: castsShadow } : f)) },
  {
    title: "In play",
    fields: [
      { is: "toggle", path: "moves", label: "Moves" },
      { is: "toggle", path: "breakable", label: "Breakable" },
    ],
  },
];

/** The sections of a part; unit is that of the strength of the lights that are shown. */
const hasAmbient = (v: Values) => v.ambient !== undefined && v.ambient !== null;

/** What a zone says of its own. */
export const zoneFields: Field[] = [
  { is: "choice", path: "mode", label: "Zone mode", of: ["indoor", "outdoor"] },
  { is: "choice", path: "play", label: "Play", of: ["none", "compete", "story"] },
  { is: "number", path: "priority", label: "Priority", step: 1 },
  { is: "number", path: "blend_m", label: "Blend", unit: "m", step: 0.25 },
  { is: "number", path: "ambient.strength", label: "Zone ambient", unit: "lx", min: 0, step: 0.1, scale: "log", none: "as the level", clears: "ambient" },
  { is: "color", path: "ambient.color", label: "Zone colour", when: hasAmbient },
  { is: "number", path: "ambient.sky_fill", label: "Zone sky fill", unit: "×", min: 0, max: 10, step: 0.01, when: hasAmbient },
  { is: "number", path: "wetness", label: "Zone wetness", min: 0, max: 1, step: 0.05, none: "as the level" },
];

export function sectionsOf(level: Level, part: Part, chosen: readonly Kind[]): Section[] {
  switch (part) {
    case "lights": {
      const units = new Set(chosen.map((k) => (k in kinds ? kinds[k as keyof typeof kinds].unit : "")));
      return lightSections(level, units.size === 1 ? [...units][0]! : "");
    }
    case "solids":
      return [
        { title: "Block", fields: [{ is: "toggle", path: "enabled", label: "On" }, { is: "three", path: "size", label: "Size", unit: "m", min: 0.01, step: 0.05, when: (v) => ((v.size as number[] | undefined)?.length ?? 0) > 0 && !(v.planes as unknown[] | undefined)?.length }] },
        ...bodySections(level, (v) => !isWater(level, v)),
      ];
    case "meshes":
      return [{ title: "Mesh", fields: [{ is: "toggle", path: "enabled", label: "On" }, { is: "three", path: "scale", label: "Scale", unit: "×", min: 0.001, step: 0.05, initial: [1, 1, 1] }] }, ...bodySections(level)];
    case "zones":
      return [{ title: "Zone", fields: zoneFields }];
    case "viewpoints":
      return [{ title: "Viewpoint", fields: [{ is: "number", path: "fov_deg", label: "Field of view", unit: "°", step: 1 }] }];
    case "probes":
      return [{ title: "Probe grid", fields: [{ is: "toggle", path: "enabled", label: "On" }, { is: "three", path: "size", label: "Size", unit: "m", min: 0.01, step: 0.25 }, { is: "number", path: "spacing_m", label: "Spacing", unit: "m", step: 0.25 }] }];
    case "reflections":
      return [{ title: "Reflection", fields: [{ is: "toggle", path: "enabled", label: "On" }, { is: "three", path: "size", label: "Size", unit: "m", min: 0.01, step: 0.25 }] }];
    case "rigs":
      return [
        {
          title: "Rig",
          fields: [
            { is: "color", path: "key_color", label: "Key colour", unset: "none", also: (v) => (v ? { key_kelvin: null } : {}) },
            { is: "number", path: "key_kelvin", label: "Key temperature", unit: "K", step: 100, unset: "by colour", also: () => ({ key_color: null }) },
            { is: "number", path: "key_strength", label: "Key strength", unit: "×", step: 0.05 },
          ],
        },
      ];
  }
  const air = airParts.find((p) => p.part === part);
  return air ? [{ title: air.name, fields: air.fields(level) }] : [];
}

/** Whether things of a part are turned, and so have a pan and a tilt. */
export const turns = (part: Part, kind: Kind) => (part === "lights" ? kind !== "point" : part === "viewpoints" || part === "solids" || part === "meshes" || (airParts.find((p) => p.part === part)?.turns ?? false));
