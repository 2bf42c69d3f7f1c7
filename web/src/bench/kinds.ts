import { AudioLines, BoxSelect, CircleDashed, CloudFog, Cylinder, LampDesk, Lightbulb, Moon, RectangleHorizontal, Sparkle, Spotlight, Sun, SunDim, type LucideIcon } from "lucide-react";
import type { Light } from "../api/client";

/** What the bench says of each kind of light, in one place. */
export const kinds: Record<Light["kind"], { icon: LucideIcon; unit: string; plural: string; placed: boolean }> = {
  point: { icon: Lightbulb, unit: "cd", plural: "Point lights", placed: true },
  spot: { icon: LampDesk, unit: "cd", plural: "Spot lights", placed: true },
  dome: { icon: CircleDashed, unit: "cd", plural: "Dome lights", placed: true },
  directional: { icon: SunDim, unit: "lx", plural: "Directional lights", placed: false },
  box: { icon: BoxSelect, unit: "lx", plural: "Box lights", placed: true },
  rect: { icon: RectangleHorizontal, unit: "nt", plural: "Rect lights", placed: true },
  tube: { icon: Cylinder, unit: "nt", plural: "Tube lights", placed: true },
};

export const lightKinds = Object.keys(kinds) as Light["kind"][];

export type AirKind = "fog volume" | "glow" | "beam" | "motes";
export const airPlurals: Record<AirKind, string> = { "fog volume": "Volumes of fog", glow: "Glows", beam: "Beams", motes: "Motes" };

export const icons: Record<Light["kind"] | AirKind | "sun" | "moon", LucideIcon> = {
  ...(Object.fromEntries(lightKinds.map((k) => [k, kinds[k].icon])) as Record<Light["kind"], LucideIcon>),
  "fog volume": CloudFog,
  glow: Sparkle,
  beam: Spotlight,
  motes: AudioLines,
  sun: Sun,
  moon: Moon,
};

/** The unit of any source's strength. */
export function unitOf(kind: string): string {
  if (kind in kinds) return kinds[kind as Light["kind"]].unit;
  return { sun: "lx", moon: "lx", ambient: "lx", sky_fill: "×", sky: "nt", emissive: "nt" }[kind] ?? "";
}

/** The top of a source's fader. */
export function topOf(kind: string): number {
  return { point: 2000, dome: 2000, ambient: 2000, sky_fill: 1, moon: 10, sky: 20000, emissive: 20000, rect: 20000, tube: 20000 }[kind] ?? 100000;
}
