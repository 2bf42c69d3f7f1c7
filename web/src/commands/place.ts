import type { Placeable } from "../model/edits";
import { bench } from "../model/bench";
import { freshID } from "../model/apply";
import { needsEdit, type Command, type Context } from "./command";

/** What can be placed by pointing, in the order of the menu. */
export const placeables: { word: string; what: Placeable; keys?: string[] }[] = [
  { word: "point light", what: { part: "lights", kind: "point" }, keys: ["Shift+p"] },
  { word: "spot light", what: { part: "lights", kind: "spot" }, keys: ["Shift+s"] },
  { word: "dome light", what: { part: "lights", kind: "dome" } },
  { word: "rect light", what: { part: "lights", kind: "rect" }, keys: ["Shift+r"] },
  { word: "tube light", what: { part: "lights", kind: "tube" }, keys: ["Shift+t"] },
  { word: "box light", what: { part: "lights", kind: "box" } },
  { word: "directional light", what: { part: "lights", kind: "directional" } },
  { word: "glow", what: { part: "glows", kind: "glow" }, keys: ["Shift+g"] },
  { word: "volume of fog", what: { part: "fog_volumes", kind: "fog" } },
  { word: "beam", what: { part: "beams", kind: "beam" } },
  { word: "cloud of motes", what: { part: "motes", kind: "motes" } },
  { word: "box", what: { part: "solids", kind: "box" }, keys: ["Shift+b"] },
  { word: "wedge", what: { part: "solids", kind: "wedge" } },
  { word: "cylinder", what: { part: "solids", kind: "cylinder" } },
  { word: "wall", what: { part: "solids", kind: "wall" } },
  { word: "floor", what: { part: "solids", kind: "floor" } },
  { word: "flight of stairs", what: { part: "solids", kind: "stairs" } },
  { word: "block of water", what: { part: "solids", kind: "water" } },
  { word: "shadow blocker", what: { part: "solids", kind: "blocker" } },
];

/** What is said in the narrow places. */
const shortWords: Record<string, string> = { "shadow blocker": "Blocker", "block of water": "Water", "directional light": "Directional", "flight of stairs": "Stairs", "volume of fog": "Fog", "cloud of motes": "Motes" };

function addZone(c: Context) {
  const id = freshID(c.level, "zone");
  const at = bench.asked() ?? [0, 0, 0];
  const n = /-(\d+)$/.exec(id)?.[1] ?? "1";
  c.edit({ op: "add", part: "zones", label: `Add zone ${n}`, entity: { id, name: `Zone ${n}`, boxes: [{ min: [at[0]! - 2, at[1]!, at[2]! - 2], max: [at[0]! + 2, at[1]! + 3, at[2]! + 2] }] } });
  bench.select([id]);
}

export const placeCommands: Command[] = [
  ...placeables.map(({ word, what, keys }): Command => ({
    id: `place-${what.kind}${what.part === "solids" ? "-block" : ""}`,
    title: `Place a ${word}`,
    ...(shortWords[word] ? { short: shortWords[word] } : {}),
    group: "Place",
    ...(what.part === "lights" ? { also: "lamp" } : {}),
    ...(keys ? { keys } : {}),
    whyNot: needsEdit,
    isOn: () => {
      const { tool } = bench.get();
      return tool.is === "place" && tool.what.part === what.part && tool.what.kind === what.kind;
    },
    run: () => bench.set({ tool: { is: "place", what, word } }),
  })),
  { id: "add-zone", title: "Add a zone", group: "Place", whyNot: needsEdit, run: addZone },
];
