import { atEachAlike, clipOf, duplicate, fixtureOf, mirror, move, paste, readClip, removal, selectedThings, setEach, withGeometries } from "../model/edits";
import { bench, camera } from "../model/bench";
import { breakRigs, makeRig, rigsOf } from "../model/rigs";
import type { Thing } from "../model/things";
import { notice } from "../ui/messages";
import { needsBoth, needsEdit, needsSelection, type Command, type Context } from "./command";

const pasteStepM = 0.5;

// What was copied last, where the browser keeps its clipboard to itself.
let copied = "";

function copy(c: Context): boolean {
  const clip = withGeometries(c.level, clipOf(c.level, c.selection));
  if (!clip) return false;
  copied = JSON.stringify(clip);
  navigator.clipboard?.writeText(copied).catch(() => undefined);
  return true;
}

function remove(c: Context) {
  const op = removal(c.level, c.selection);
  if (!op) return;
  bench.set({ selection: [] });
  c.edit(op);
}

/** The name is typed in the outliner's row of the last selected; the others get numbers. */
function rename(c: Context) {
  const t = selectedThings(c.level, c.selection).at(-1);
  if (t) bench.set({ renaming: t.id, folded: { ...bench.get().folded, left: false } });
}

async function pasteClip(c: Context) {
  const text = (await navigator.clipboard?.readText().catch(() => "")) || copied;
  const clip = readClip(text) ?? readClip(copied);
  if (!clip) return notice("Nothing was copied from a level yet.");
  const made = paste(c.level, clip, [pasteStepM, 0, 0]);
  c.edit(made.op);
  bench.select(made.ids);
}

/** The values that a light is copied by: what it shines like, without where it stands. */
const lightValues = ["strength", "color", "kelvin", "range_m", "falloff", "inner_deg", "outer_deg", "radius_m", "bounce_scale", "fog_share", "flicker", "shadows"] as const;
let values: { part: string; fields: Record<string, unknown> } | null = null;

function copyValues(c: Context) {
  const t = selectedThings(c.level, c.selection.slice(-1))[0];
  if (!t) return;
  const skip = new Set(["id", "name", "transform", "parent", "rig", "zone", "tags", "note", "boxes", "geometry", "scale", "positions", "indices", "uvs", "planes", "size", "keys", "kind"]);
  const entity = t.entity as unknown as Record<string, unknown>;
  const names = t.part === "lights" ? lightValues : Object.keys(entity).filter((k) => !skip.has(k));
  values = { part: t.part, fields: Object.fromEntries(names.map((k) => [k, entity[k] ?? null])) };
  notice(`Copied the values of ${t.name}.`);
}

/** The values that were copied last. */
export const copiedValues = () => values;

/** Pastes some of the copied values, by their names. */
export function pasteSome(c: Context, names: readonly string[]) {
  pasteFields(c, Object.fromEntries(Object.entries(values?.fields ?? {}).filter(([k]) => names.includes(k))));
}

const pasteValues = (c: Context) => pasteFields(c, values?.fields ?? {});

function pasteFields(c: Context, fields: Record<string, unknown>) {
  const from = values;
  if (!from || Object.keys(fields).length === 0) return;
  const to = selectedThings(c.level, c.selection).filter((t) => t.part === from.part);
  if (to.length === 0) return notice("The values were copied from another kind of thing.");
  c.edit({ op: "batch", label: `Paste values onto ${to.length === 1 ? to[0]!.name : `${to.length} things`}`, steps: to.map((t) => ({ op: "set", id: t.id, fields })) });
}

/** A step of the arrow keys, in the level's axes, as seen from the camera. */
function nudge(c: Context, x: number, y: number, z: number, event?: KeyboardEvent) {
  const s = bench.get();
  const step = (s.snapM || 0.05) * (event?.shiftKey ? 10 : 1);
  const now = camera.now?.();
  let by = [x * step, y * step, z * step];
  if (now && y === 0) {
    // The axis nearest to the camera's right is where the right arrow goes.
    const [qx, qy, qz, qw] = now.rotation;
    const yaw = Math.atan2(2 * (qw * qy + qx * qz), 1 - 2 * (qy * qy + qx * qx));
    const turn = (Math.round(yaw / (Math.PI / 2)) * Math.PI) / 2;
    const cos = Math.round(Math.cos(turn));
    const sin = Math.round(Math.sin(turn));
    by = [(x * cos + z * sin) * step, 0, (-x * sin + z * cos) * step];
  }
  const op = move(c.level, c.selection, by);
  if (op) c.edit(op, "nudge");
}

const scaleLights = (c: Context, k: number) => {
  const lights = selectedThings(c.level, c.selection).filter((t) => t.part === "lights");
  const op = setEach(c.level, lights.map((t) => t.id), "strength", (v) => Number(((v as number) * k).toPrecision(6)), `Strength ×${k} of ${lights.length === 1 ? lights[0]!.name : `${lights.length} lights`}`);
  if (op) c.edit(op, `scale ${k > 1}`);
};

const setEnabled = (c: Context) => {
  const things = selectedThings(c.level, c.selection).filter((t) => t.part !== "zones" && t.part !== "rigs");
  const on = !things.some((t: Thing) => t.enabled);
  const op = setEach(c.level, things.map((t) => t.id), "enabled", () => on, `${things.length === 1 ? things[0]!.name : `${things.length} things`}: ${on ? "on" : "off"}`);
  if (op) c.edit(op);
};

const hasLight = (c: Context) => needsBoth(c) || (selectedThings(c.level, c.selection).some((t) => t.part === "lights") ? "" : "No light is selected.");

/** The fixture is the block or mesh in the selection, else what the light hangs on. */
function fixtureIn(c: Context): string | null {
  const things = selectedThings(c.level, c.selection);
  const body = things.find((t) => t.part === "solids" || t.part === "meshes");
  if (body && things.length > 1) return body.id;
  return things[0] ? fixtureOf(c.level, things[0].id) : null;
}

export const editCommands: Command[] = [
  { id: "undo", title: "Undo", group: "Edit", keys: ["Ctrl+Z"], whyNot: (c) => needsEdit(c) || (c.doc.can_undo ? "" : "You have nothing to undo here."), run: (c) => c.undo() },
  { id: "redo", title: "Redo", group: "Edit", keys: ["Ctrl+Shift+Z", "Ctrl+Y"], whyNot: (c) => needsEdit(c) || (c.doc.can_redo ? "" : "You have nothing to do again."), run: (c) => c.redo() },
  { id: "delete", title: "Delete what is selected", group: "Edit", keys: ["Delete", "Backspace"], whyNot: needsBoth, run: remove },
  {
    id: "duplicate",
    title: "Duplicate what is selected",
    group: "Edit",
    keys: ["Ctrl+D"],
    whyNot: needsBoth,
    run: (c) => {
      const made = duplicate(c.level, c.selection, [pasteStepM, 0, 0]);
      if (!made) return;
      c.edit(made.op);
      bench.select(made.ids);
    },
  },
  { id: "copy", title: "Copy", group: "Edit", keys: ["Ctrl+C"], whyNot: needsSelection, run: (c) => void copy(c) },
  { id: "cut", title: "Cut", group: "Edit", keys: ["Ctrl+X"], whyNot: needsBoth, run: (c) => copy(c) && remove(c) },
  { id: "paste", title: "Paste", group: "Edit", keys: ["Ctrl+V"], whyNot: needsEdit, run: (c) => void pasteClip(c) },
  { id: "rename", title: "Rename what is selected", also: "name", short: "Rename", group: "Edit", keys: ["F2"], whyNot: needsBoth, run: rename },
  { id: "copy-values", title: "Copy values of the thing", group: "Edit", keys: ["Shift+c"], whyNot: needsSelection, run: copyValues },
  { id: "paste-values", title: "Paste values onto what is selected", group: "Edit", keys: ["Shift+v"], whyNot: (c) => needsBoth(c) || (values ? "" : "No values were copied yet."), run: pasteValues },
  { id: "paste-some", title: "Paste some of the values…", group: "Edit", whyNot: (c) => needsBoth(c) || (values ? "" : "No values were copied yet."), run: () => bench.set({ dialog: "paste" }) },
  { id: "nudge-left", title: "Move left", group: "Edit", keys: ["ArrowLeft", "Shift+ArrowLeft"], repeats: true, whyNot: needsBoth, run: (c, e) => nudge(c, -1, 0, 0, e) },
  { id: "nudge-right", title: "Move right", group: "Edit", keys: ["ArrowRight", "Shift+ArrowRight"], repeats: true, whyNot: needsBoth, run: (c, e) => nudge(c, 1, 0, 0, e) },
  { id: "nudge-away", title: "Move away", group: "Edit", keys: ["ArrowUp", "Shift+ArrowUp"], repeats: true, whyNot: needsBoth, run: (c, e) => nudge(c, 0, 0, -1, e) },
  { id: "nudge-near", title: "Move nearer", group: "Edit", keys: ["ArrowDown", "Shift+ArrowDown"], repeats: true, whyNot: needsBoth, run: (c, e) => nudge(c, 0, 0, 1, e) },
  { id: "nudge-up", title: "Move up", group: "Edit", keys: ["PageUp", "Shift+PageUp"], repeats: true, whyNot: needsBoth, run: (c, e) => nudge(c, 0, 1, 0, e) },
  { id: "nudge-down", title: "Move down", group: "Edit", keys: ["PageDown", "Shift+PageDown"], repeats: true, whyNot: needsBoth, run: (c, e) => nudge(c, 0, -1, 0, e) },
  { id: "repeat", title: "Repeat in rows…", short: "Repeat…", group: "Edit", keys: ["r"], whyNot: needsBoth, run: () => bench.set({ dialog: "repeat" }) },
  {
    id: "make-rig",
    title: "Make a rig of what is selected",
    short: "Make a rig",
    group: "Edit",
    keys: ["Shift+n"],
    whyNot: (c) => needsBoth(c) || (makeRig(c.level, c.selection) ? "" : "Select a light and what belongs to it."),
    run: (c) => {
      const made = makeRig(c.level, c.selection);
      if (!made) return;
      c.edit(made.op);
      bench.select(made.ids);
    },
  },
  {
    id: "break-rig",
    title: "Break the rig up into its things",
    short: "Break the rig",
    group: "Edit",
    keys: ["Shift+x"],
    whyNot: (c) => needsBoth(c) || (rigsOf(c.level, c.selection).length > 0 ? "" : "Nothing of a rig is selected."),
    run: (c) => {
      const made = breakRigs(c.level, c.selection);
      if (!made) return;
      c.edit(made.op);
      bench.select(made.ids);
    },
  },
  { id: "keep-mix", title: "Keep the lights as a mix…", short: "Keep as a mix", group: "Light", whyNot: needsEdit, run: () => bench.set({ panel: "mixer", folded: { ...bench.get().folded, drawer: false }, namingMix: true }) },
  {
    id: "clear-lights",
    title: "Select all lights, to clear old ones",
    short: "Old lights",
    group: "Light",
    whyNot: (c) => (c.level.lights.length > 0 ? "" : "The level has no light."),
    run: (c) => {
      bench.select(c.level.lights.map((l) => l.id));
      notice(`${c.level.lights.length} lights are selected. Delete removes them; Shift click keeps one.`);
    },
  },
  ...(["x", "z"] as const).map((axis, i): Command => ({
    id: `mirror-${axis}`,
    title: `Mirror across the level's ${axis} = 0`,
    group: "Edit",
    whyNot: needsBoth,
    run: (c) => {
      const made = mirror(c.level, c.selection, i === 0 ? 0 : 2, 0);
      if (!made) return;
      c.edit(made.op);
      bench.select(made.ids);
    },
  })),
  {
    id: "each-fixture",
    title: "One at each fixture that looks alike",
    short: "At fixtures alike",
    group: "Place",
    keys: ["Shift+f"],
    whyNot: (c) => needsBoth(c) || (fixtureIn(c) ? "" : "No block or mesh is within a metre, so it hangs on nothing. Select its fixture too."),
    run: (c) => {
      const fixture = fixtureIn(c);
      const made = fixture && atEachAlike(c.level, c.selection, fixture);
      if (!made) return notice("No other fixture looks like this one, or each has one already.");
      c.edit(made.op);
      bench.select([...c.selection, ...made.ids]);
      notice(`Placed ${made.ids.length}.`);
    },
  },
  { id: "on-off", title: "Switch on or off", group: "Light", keys: ["o"], whyNot: needsBoth, run: setEnabled },
  { id: "brighter", title: "Brighter by a tenth", group: "Light", keys: ["+", "="], repeats: true, whyNot: hasLight, run: (c) => scaleLights(c, 1.1) },
  { id: "dimmer", title: "Dimmer by a tenth", group: "Light", keys: ["-"], repeats: true, whyNot: hasLight, run: (c) => scaleLights(c, 1 / 1.1) },
  ...(["draft", "good", "final"] as const).map((q): Command => ({ id: `bake-${q}`, title: `Bake at ${q} quality`, group: "Light", whyNot: needsEdit, run: (c) => c.bake(q) })),
  { id: "aim", title: "Aim at a spot", short: "Aim", group: "Light", keys: ["b"], whyNot: needsBoth, isOn: () => bench.get().tool.is === "aim", run: () => bench.set({ tool: { is: "aim" } }) },
];
