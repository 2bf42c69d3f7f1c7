import {
  AppWindow,
  AudioLines,
  Box,
  BoxSelect,
  Camera,
  CircleDashed,
  CloudFog,
  Cylinder,
  Grid3x3,
  LampDesk,
  Lightbulb,
  Moon,
  RectangleHorizontal,
  Route,
  Sparkle,
  Spotlight,
  Sun,
  SunDim,
  Triangle,
  Webhook,
  type LucideIcon,
} from "lucide-react";
import type { Light } from "../api/client";
import { plurals, unitOfLight, type Kind } from "../model/things";

/** What the bench says of each kind of light, in one place. */
export const kinds: Record<Light["kind"], { icon: LucideIcon; unit: string; plural: string; placed: boolean }> = {
  point: { icon: Lightbulb, unit: unitOfLight.point, plural: plurals.point, placed: true },
  spot: { icon: LampDesk, unit: unitOfLight.spot, plural: plurals.spot, placed: true },
  dome: { icon: CircleDashed, unit: unitOfLight.dome, plural: plurals.dome, placed: true },
  directional: { icon: SunDim, unit: unitOfLight.directional, plural: plurals.directional, placed: false },
  box: { icon: BoxSelect, unit: unitOfLight.box, plural: plurals.box, placed: true },
  rect: { icon: RectangleHorizontal, unit: unitOfLight.rect, plural: plurals.rect, placed: true },
  tube: { icon: Cylinder, unit: unitOfLight.tube, plural: plurals.tube, placed: true },
};

export const lightKinds = Object.keys(kinds) as Light["kind"][];

export const icons: Record<Kind | "sun" | "moon", LucideIcon> = {
  ...(Object.fromEntries(lightKinds.map((k) => [k, kinds[k].icon])) as Record<Light["kind"], LucideIcon>),
  "fog volume": CloudFog,
  glow: Sparkle,
  beam: Spotlight,
  motes: AudioLines,
  block: Box,
  mesh: Triangle,
  zone: AppWindow,
  viewpoint: Camera,
  probes: Grid3x3,
  reflection: CircleDashed,
  rig: Webhook,
  path: Route,
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
