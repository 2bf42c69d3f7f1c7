import type { Level, Operation } from "../api/client";
import { entityDefaults, fieldDefault, objectDefault, type Part } from "./schema";
import { parts } from "./things";

// Operations on a level, as the service applies them, so that an edit shows before it is
// saved. The service has the last word: its document replaces what is guessed here.

type Tree = Record<string, unknown>;
const allParts: readonly Part[] = [...parts, "geometries", "images", "materials", "mixes", "profiles", "imports"];

function find(level: Level, id: string): { part: Part; index: number } | null {
  for (const part of allParts) {
    const index = (level[part] as { id: string }[]).findIndex((e) => e.id === id);
    if (index >= 0) return { part, index };
  }
  return null;
}

/** Sets a value by its dotted path in a copy; what lies beside the path is shared. */
function withField(tree: Tree, part: Part | null, path: readonly string[], done: readonly string[], value: unknown): Tree {
  const [key, ...rest] = path as [string, ...string[]];
  const here = [...done, key];
  if (rest.length === 0) {
    const next = value === null ? fieldDefault(part, here.join(".")) : value;
    const { [key]: _, ...others } = tree;
    return next === undefined ? others : { ...tree, [key]: next };
  }
  const inner = (tree[key] as Tree | undefined) ?? objectDefault(part, here.join("."));
  return { ...tree, [key]: withField(inner, part, rest, here, value) };
}

/** Lays what an entity gives over its defaults. */
function over(defaults: Tree, given: Tree): Tree {
  const out: Tree = { ...defaults };
  for (const [key, value] of Object.entries(given)) {
    const base = defaults[key];
    const isTree = (v: unknown): v is Tree => typeof v === "object" && v !== null && !Array.isArray(v);
    out[key] = isTree(base) && isTree(value) ? over(base, value) : value;
  }
  return out;
}

/** The level after an operation. What cannot be applied, as its entity is gone, changes nothing. */
export function apply(level: Level, op: Operation): Level {
  switch (op.op) {
    case "batch":
      return (op.steps ?? []).reduce(apply, level);
    case "add": {
      const part = op.part as Part;
      const entity = over(entityDefaults(part), (op.entity ?? {}) as Tree);
      const list = [...(level[part] as unknown[])];
      list.splice(op.index ?? list.length, 0, entity);
      return { ...level, [part]: list };
    }
    case "remove": {
      const at = find(level, op.id ?? "");
      if (!at) return level;
      return { ...level, [at.part]: (level[at.part] as unknown[]).filter((_, i) => i !== at.index) };
    }
    case "set": {
      const fields = Object.entries((op.fields ?? {}) as Tree);
      if (!op.id) return fields.reduce<Tree>((tree, [path, value]) => withField(tree, null, path.split("."), [], value), level as unknown as Tree) as unknown as Level;
      const at = find(level, op.id);
      if (!at) return level;
      const list = [...(level[at.part] as unknown as Tree[])];
      list[at.index] = fields.reduce<Tree>((tree, [path, value]) => withField(tree, at.part, path.split("."), [], value), list[at.index]!);
      return { ...level, [at.part]: list };
    }
  }
  return level;
}

/** Two operations as one, as far as both only set fields; else one after the other. */
export function merge(a: Operation, b: Operation): Operation {
  const flat = (op: Operation): Operation[] => (op.op === "batch" ? (op.steps ?? []).flatMap(flat) : [op]);
  const steps: Operation[] = [];
  for (const op of [...flat(a), ...flat(b)]) {
    const same = op.op === "set" ? steps.findLast((s) => s.op === "set" && (s.id ?? "") === (op.id ?? "")) : undefined;
    if (same && steps.every((s) => s.op === "set")) {
      // A whole that is set takes the place of its parts, and of itself.
      const kept = Object.entries((same.fields ?? {}) as Tree).filter(([path]) => !Object.keys((op.fields ?? {}) as Tree).some((p) => path === p || path.startsWith(`${p}.`)));
      same.fields = { ...Object.fromEntries(kept), ...(op.fields as Tree) };
    } else steps.push({ ...op });
  }
  const label = b.label ?? a.label;
  if (steps.length === 1) return { ...steps[0]!, ...(label ? { label } : {}) };
  return { op: "batch", ...(label ? { label } : {}), steps };
}

/** An id for a base word that the level does not have. */
export function freshID(level: Level, base: string, alsoTaken: ReadonlySet<string> = new Set()): string {
  const stem =
    base
      .toLowerCase()
      .replace(/[^a-z0-9._-]+/g, "-")
      .replace(/^[^a-z0-9]+/, "")
      .replace(/-\d+$/, "")
      .slice(0, 56) || "thing";
  const taken = new Set(allParts.flatMap((p) => (level[p] as { id: string }[]).map((e) => e.id)));
  // What has a number goes on with the next one.
  for (let n = /-\d+$/.test(base) ? 2 : 1; ; n++) {
    const id = n === 1 ? stem : `${stem}-${n}`;
    if (!taken.has(id) && !alsoTaken.has(id)) return id;
  }
}
