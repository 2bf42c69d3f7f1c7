import type { Schemas } from "../api/client";
import { bench, camera, useBench, type Tool, type Vec } from "../model/bench";
import { discNames, titleOf, type DiscName } from "../model/discs";
import { alike, type Likeness } from "../model/find";
import { onFixturesAlike, selectedThings } from "../model/edits";
import { freshID } from "../model/apply";
import { placeOf, taken, thingsOf, type Thing } from "../model/things";
import { viewModes } from "../model/viewModes";
import { forwardOf, tidyVec } from "../model/world";
import { needsEdit, needsSelection, type Command, type Context } from "./command";

type Viewpoint = Schemas["Viewpoint"];

/** Flies to a viewpoint. */
export function goTo(v: Viewpoint) {
  const p = v.transform.position as Vec;
  const f = forwardOf(v.transform.rotation);
  bench.fly(p, [p[0] + f[0] * 6, p[1] + f[1] * 6, p[2] + f[2] * 6], v.fov_deg);
}

function step(c: Context, by: number) {
  const { viewpoints } = c.level;
  const now = camera.now?.();
  if (!now || viewpoints.length === 0) return;
  const away = (v: Viewpoint) => Math.hypot(...v.transform.position.map((x, i) => x - now.position[i]!));
  const nearest = viewpoints.reduce((best, v, i) => (away(v) < away(viewpoints[best]!) ? i : best), 0);
  const next = away(viewpoints[nearest]!) < 0.05 ? (nearest + by + viewpoints.length) % viewpoints.length : nearest;
  goTo(viewpoints[next]!);
}

function saveViewpoint(c: Context) {
  const now = camera.now?.();
  if (!now) return;
  const id = freshID(c.level, "view");
  const n = /-(\d+)$/.exec(id)?.[1] ?? "1";
  c.edit({ op: "add", part: "viewpoints", label: `Save viewpoint ${n}`, entity: { id, name: `View ${n}`, fov_deg: Number(now.fov_deg.toFixed(2)), transform: { position: tidyVec(now.position), rotation: now.rotation } } });
  bench.select([id]);
}

/** The box round what is selected, or round everything that has a place. */
function bounds(c: Context): { low: Vec; high: Vec } | null {
  const things = c.selection.length > 0 ? selectedThings(c.level, c.selection) : [...thingsOf(c.level).values()].filter((t) => t.part !== "zones" && t.kind !== "directional");
  const low: Vec = [Infinity, Infinity, Infinity];
  const high: Vec = [-Infinity, -Infinity, -Infinity];
  for (const t of things) {
    const place = placeOf(c.level, t);
    if (!place) continue;
    const half = halfSize(t);
    for (const i of [0, 1, 2] as const) {
      low[i] = Math.min(low[i], place[i] - half[i]!);
      high[i] = Math.max(high[i], place[i] + half[i]!);
    }
  }
  return low[0] <= high[0] ? { low, high } : null;
}

function halfSize(t: Thing): number[] {
  const e = t.entity as { size?: number[]; boxes?: { min: number[]; max: number[] }[] };
  if (e.boxes?.[0]) return e.boxes[0].max.map((v, i) => (v - e.boxes![0]!.min[i]!) / 2);
  const most = Math.max(...(e.size ?? [1])) / 2;
  return [most, most, most];
}

const toggle = (id: string, title: string, keys: string[], field: "markers" | "airOn" | "mirrorsOn" | "lookOn" | "playing" | "ownAxes"): Command => ({
  id,
  title,
  short: title.split(":")[0]!, // split gives one at least
  group: "View",
  keys,
  isOn: () => bench.get()[field],
  run: () => bench.set({ [field]: !bench.get()[field] }),
});

const likenesses: [Likeness, string][] = [
  ["kind", "of the same kind"],
  ["colour", "of the same colour"],
  ["rig", "of the same rig"],
  ["shape", "of the same shape"],
  ["zone", "in the same zone"],
];

const tool = (t: Tool) => bench.set({ tool: t });
const selectable = (c: Context) => [...thingsOf(c.level).values()].filter((t) => !bench.get().hidden[t.id] && !bench.get().locked[t.id]);

/** Leaves, step by step: the tool first, then the selection. */
function leave() {
  const s = bench.get();
  if (s.dialog) bench.set({ dialog: null });
  else if (s.tool.is !== "select") tool({ is: "select" });
  else if (s.walking) bench.set({ walking: false });
  else bench.set({ selection: [] });
}

/** What lights a level as a whole: its sky, sun, moon, ambients and directional lights. */
const wholeSources = (c: Context) => ["sky", "sun", "moon", ...["level", ...c.level.zones.map((z) => z.id)].flatMap((z) => [`ambient:${z}`, `sky_fill:${z}`]), ...c.level.lights.filter((l) => l.kind === "directional").map((l) => l.id)];

function isAiming(is: "disc-at" | "disc-on", of: DiscName) {
  const t = bench.get().tool;
  return t.is === is && t.of === of;
}

const isDark = () => bench.get().muted["ambient:level"] ?? false;

/** Mutes what lights the level as a whole, so that placed lights can be judged; or lets it be heard again. */
function darkStage(c: Context) {
  const dark = !isDark();
  const muted = Object.entries(bench.get().muted).filter(([id]) => !wholeSources(c).includes(id));
  bench.set({ muted: { ...Object.fromEntries(muted), ...(dark ? Object.fromEntries(wholeSources(c).map((id) => [id, true])) : {}) } });
}

const flag = (c: Context, field: "hidden" | "locked") => {
  const ids = selectedThings(c.level, c.selection).map((t) => t.id);
  const now = bench.get()[field];
  const on = !ids.every((id) => now[id]);
  const rest = Object.fromEntries(Object.entries(now).filter(([id]) => !ids.includes(id))) as Record<string, true>;
  bench.set({ [field]: on ? { ...rest, ...(Object.fromEntries(ids.map((id) => [id, true])) as Record<string, true>) } : rest });
};

export const viewCommands: Command[] = [
  { id: "select-tool", title: "Select", group: "Select", keys: ["v"], isOn: () => bench.get().tool.is === "select", run: () => tool({ is: "select" }) },
  { id: "leave", title: "Leave the tool, or select nothing", group: "Select", keys: ["Escape"], run: leave },
  { id: "select-all", title: "Select everything", group: "Select", keys: ["Ctrl+A"], run: (c) => bench.select(selectable(c).map((t) => t.id)) },
  { id: "select-lights", title: "Select all lights", group: "Select", keys: ["Shift+l"], run: (c) => bench.select(selectable(c).filter((t) => t.part === "lights").map((t) => t.id)) },
  ...likenesses.map(([by, words]): Command => ({
    id: `alike-${by}`,
    title: `Select all ${words}`,
    short: words.replace(/^(of|in) the /, ""),
    group: "Select",
    ...(by === "kind" ? { keys: ["k"] } : by === "colour" ? { keys: ["c"] } : {}),
    whyNot: needsSelection,
    run: (c) => bench.select([...new Set(c.selection.flatMap((id) => alike(c.level, taken(id).id, by)))]),
  })),
  {
    id: "alike-fixture",
    title: "Select all on the same fixture",
    also: "lamp body mesh alike",
    short: "same fixture",
    group: "Select",
    whyNot: (c) => needsSelection(c) || (c.selection.some((id) => onFixturesAlike(c.level, id).length > 0) ? "" : "No block or mesh is within a metre, so it hangs on nothing."),
    run: (c) => bench.select([...new Set([...c.selection, ...c.selection.flatMap((id) => onFixturesAlike(c.level, id))])]),
  },
  { id: "hide", title: "Hide or show in this view", group: "Select", keys: ["j"], whyNot: needsSelection, run: (c) => flag(c, "hidden") },
  {
    id: "isolate",
    title: "Show only what is selected",
    group: "Select",
    keys: ["Shift+j"],
    whyNot: needsSelection,
    run: (c) => {
      const keep = new Set(selectedThings(c.level, c.selection).map((t) => t.id));
      bench.set({ hidden: Object.fromEntries([...thingsOf(c.level).keys()].filter((id) => !keep.has(id)).map((id) => [id, true])) as Record<string, true> });
    },
  },
  { id: "show-all", title: "Show everything", group: "Select", keys: ["u"], whyNot: () => (Object.keys(bench.get().hidden).length > 0 ? "" : "Nothing is hidden."), run: () => bench.set({ hidden: {} }) },
  { id: "lock", title: "Lock or unlock in this view", group: "Select", keys: ["Shift+k"], whyNot: needsSelection, run: (c) => flag(c, "locked") },
  { id: "ask", title: "Ask a spot what lights it", group: "Light", keys: ["i"], isOn: () => bench.get().tool.is === "ask", run: () => tool({ is: "ask" }) },
  { id: "comment", title: "Say something about a spot", short: "Comment…", group: "View", keys: ["Shift+y"], whyNot: (c) => (c.doc.level.role === "viewer" ? "You may look at this level, not comment on it." : ""), isOn: () => bench.get().tool.is === "comment", run: () => tool({ is: "comment" }) },
  { id: "line", title: "Probe the light along a line", short: "Probe a line", group: "Light", keys: ["Shift+i"], isOn: () => bench.get().tool.is === "line", run: () => tool({ is: "line", from: null }) },
  ...discNames.flatMap((of): Command[] => [
    { id: `${of}-at`, title: `Put the ${of} where I click in the sky`, short: `${titleOf[of]} there…`, group: "Light", whyNot: needsEdit, isOn: () => isAiming("disc-at", of), run: () => tool({ is: "disc-at", of }) },
    { id: `${of}-on`, title: `Let the ${of} strike the spot that I click`, short: `${titleOf[of]} on that…`, group: "Light", whyNot: needsEdit, isOn: () => isAiming("disc-on", of), run: () => tool({ is: "disc-on", of }) },
  ]),
  { id: "dark-stage", title: "Dark stage: only placed lights show in this view", short: "Dark stage", group: "Light", keys: ["h"], isOn: () => isDark(), run: (c) => darkStage(c) },
  { id: "fit", title: "Fit to the platforms…", short: "Fit…", group: "Light", run: () => bench.set({ dialog: "fit" }) },
  { id: "tour", title: "Take the tour", group: "Help", run: () => bench.set({ dialog: "tour" }) },
  {
    id: "pick-material",
    title: "Pick up a material from a surface, to put it on others",
    short: "Pick one up",
    group: "Place",
    keys: ["Shift+m"],
    whyNot: needsEdit,
    isOn: () => ["pick-material", "paint"].includes(bench.get().tool.is),
    run: () => tool({ is: "pick-material" }),
  },
  { id: "opening", title: "Cut a window or door", short: "Window, door", group: "Place", keys: ["x"], whyNot: needsEdit, isOn: () => bench.get().tool.is === "opening", run: () => tool({ is: "opening" }) },
  ...viewModes.map(({ id, title, key }): Command => ({ id: `mode-${id}`, title, group: "View", keys: [key], isOn: () => bench.get().mode === id, run: () => bench.set({ mode: id }) })),
  toggle("markers", "Markers", ["m"], "markers"),
  toggle("air", "Air: fog, glows, beams and motes", ["f"], "airOn"),
  toggle("mirrors", "Mirrors: what smooth and wet surfaces show", [], "mirrorsOn"),
  toggle("look", "Look: everything after the light but exposure", ["l"], "lookOn"),
  toggle("play", "Play: motes drift, lights flicker", ["p"], "playing"),
  toggle("own-axes", "Handles along the thing's own axes", ["y"], "ownAxes"),
  {
    id: "snap",
    title: "Snap to the grid",
    group: "View",
    keys: ["g"],
    isOn: () => bench.get().snapM > 0,
    run: () => bench.set({ snapM: bench.get().snapM > 0 ? 0 : 0.05 }),
  },
  {
    id: "frame",
    title: "Look at what is selected",
    short: "Frame it",
    group: "Camera",
    keys: ["t"],
    run: (c) => {
      const b = bounds(c);
      if (b) camera.frame?.(b.low, b.high);
    },
  },
  { id: "home", title: "Go to the first viewpoint", group: "Camera", keys: ["Home"], whyNot: (c) => (c.level.viewpoints.length > 0 ? "" : "The level has no viewpoint."), run: (c) => goTo(c.level.viewpoints[0]!) },
  { id: "next-view", title: "Next viewpoint", group: "Camera", keys: ["]"], run: (c) => step(c, 1) },
  { id: "previous-view", title: "Previous viewpoint", group: "Camera", keys: ["["], run: (c) => step(c, -1) },
  { id: "save-view", title: "Save a viewpoint from here", short: "Viewpoint here", group: "Camera", keys: ["n"], whyNot: needsEdit, run: saveViewpoint },
  {
    id: "update-view",
    title: "Put the selected viewpoint here",
    group: "Camera",
    whyNot: (c) => needsEdit(c) || (selectedThings(c.level, c.selection).some((t) => t.part === "viewpoints") ? "" : "No viewpoint is selected."),
    run: (c) => {
      const now = camera.now?.();
      const v = selectedThings(c.level, c.selection).find((t) => t.part === "viewpoints");
      if (now && v) c.edit({ op: "set", id: v.id, fields: { "transform.position": tidyVec(now.position), "transform.rotation": now.rotation, fov_deg: Number(now.fov_deg.toFixed(2)) }, label: `Put ${v.name} here` });
    },
  },
  {
    id: "fold",
    title: "Fold all panels, or show them",
    group: "View",
    keys: ["\\"],
    isOn: () => Object.values(bench.get().folded).every(Boolean),
    run: () => {
      const all = !Object.values(useBench.getState().folded).every(Boolean);
      bench.set({ folded: { left: all, right: all, drawer: all } });
    },
  },
  { id: "walk", title: "Walk as the player, or fly again", short: "Walk", group: "Camera", keys: ["z"], isOn: () => bench.get().walking, run: () => bench.set({ walking: !bench.get().walking }) },
  {
    id: "carry-lamp",
    title: "Walk with a lamp in the hand, or without",
    short: "Lamp in the hand",
    group: "Camera",
    keys: ["Shift+z"],
    isOn: () => bench.get().walking && bench.get().carried.on,
    run: () => {
      const { walking, carried } = bench.get();
      bench.set({ walking: true, carried: { ...carried, on: !walking || !carried.on } });
    },
  },
  { id: "palette", title: "Find a command or a thing", group: "Help", keys: ["Ctrl+K"], run: () => bench.set({ dialog: "palette" }) },
  { id: "keys", title: "All keys", group: "Help", keys: ["?"], run: () => bench.set({ dialog: "keys" }) },
];
