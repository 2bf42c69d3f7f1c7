import { Boxes, CloudSun, Lightbulb, ListChecks, PackageOpen, PaintRoller, Aperture, type LucideIcon } from "lucide-react";
import type { Panel, Stage } from "../../model/bench";
import type { Filter } from "../../model/outline";

// The steps of the job, in its order. A stage brings its tools and its part of the outliner to
// hand; nothing else depends on it.

export type StageInfo = { id: Stage; name: string; icon: LucideIcon; about: string; filters: readonly Filter[]; panel?: Panel };

export const stages: readonly StageInfo[] = [
  { id: "level", name: "Level", icon: Boxes, about: "Blocks, openings, zones, viewpoints", filters: [] },
  { id: "mood", name: "Mood", icon: CloudSun, about: "Sky, sun, ambient, moods to try", filters: [] },
  { id: "lights", name: "Lights", icon: Lightbulb, about: "Place and mix lights", filters: ["lights"], panel: "mixer" },
  { id: "surfaces", name: "Surfaces", icon: PaintRoller, about: "Materials, texels, backs", filters: ["blocks"] },
  { id: "look", name: "Look", icon: Aperture, about: "Fog, air and grading", filters: ["air"] },
  { id: "checks", name: "Checks", icon: ListChecks, about: "What the platform takes", filters: ["findings"], panel: "findings" },
  { id: "handover", name: "Hand over", icon: PackageOpen, about: "Pictures, files, presets", filters: [], panel: "shots" },
];
