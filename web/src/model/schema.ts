import schema from "../../../docs/level.schema.json";

// What the level's schema says of each field: its default, its limits and its words. The
// schema is made from the service's own types, so nothing here repeats them.

type Node = {
  $ref?: string;
  type?: string;
  default?: unknown;
  description?: string;
  minimum?: number;
  maximum?: number;
  exclusiveMinimum?: number;
  enum?: readonly string[];
  items?: Node;
  minItems?: number;
  properties?: Record<string, Node>;
};

const defs = schema.$defs as unknown as Record<string, Node>;

export type Part = "images" | "materials" | "zones" | "solids" | "geometries" | "meshes" | "rigs" | "lights" | "glows" | "fog_volumes" | "beams" | "motes" | "viewpoints" | "paths" | "probes" | "reflections" | "mixes" | "profiles" | "imports";

const nodeOf = (n: Node): Node => (n.$ref ? defs[n.$ref.slice("#/$defs/".length)]! : n);

/** The schema of one part's entities, or of the level itself. */
function typeOf(part: Part | null): Node {
  const level = defs.Level!;
  return part === null ? level : nodeOf(nodeOf(level.properties![part]!).items!);
}

const isRotation = (n: Node) => n.minItems === 4;

/** The value of a field that is left out; undefined where it may be absent. */
function defaultOf(n: Node, required: boolean): unknown {
  if (n.default !== undefined) return structuredClone(n.default);
  if (!required) return undefined;
  const node = nodeOf(n);
  if (node.properties) return objectOf(node);
  if (node.type === "array" && node.items?.exclusiveMinimum !== undefined) return undefined; // zeros are not allowed: it is left out
  if (node.type === "array") return isRotation(node) ? [0, 0, 0, 1] : Array.from({ length: node.minItems ?? 0 }, () => 0);
  return undefined;
}

// Objects that are not there at all where they are left out.
const optional = new Set(["Flicker", "Gobo", "Sun", "Place", "Sway", "Ambient", "Fog", "Look", "Disc"]);
const nameOf = (n: Node) => n.$ref?.slice("#/$defs/".length) ?? "";

function objectOf(type: Node): Record<string, unknown> {
  const out: Record<string, unknown> = {};
  for (const [name, node] of Object.entries(type.properties ?? {})) {
    const isOptional = optional.has(nameOf(node)) && !(type === defs.Environment || type === defs.Level ? ["fog", "look", "ambient"].includes(name) : false);
    const value = defaultOf(node, !isOptional && (node.$ref !== undefined || (node.type === "array" && (node.minItems ?? 0) > 0)));
    if (value !== undefined) out[name] = value;
  }
  return out;
}

/** An entity of a part with every default in place. */
export function entityDefaults(part: Part): Record<string, unknown> {
  return objectOf(typeOf(part));
}

/** The schema of a field by its dotted path; undefined where there is none. */
function fieldAt(part: Part | null, path: string): Node | undefined {
  let node: Node | undefined = typeOf(part);
  for (const key of path.split(".")) {
    node = node?.properties?.[key];
    if (!node) return undefined;
    const rest: Node = nodeOf(node);
    if (rest !== node) node = { ...rest, ...node, properties: rest.properties };
  }
  return node;
}

/** What a field is when it is put back to its default. */
export function fieldDefault(part: Part | null, path: string): unknown {
  const node = fieldAt(part, path);
  return node ? defaultOf(node, false) : undefined;
}

/** A whole object of a field, such as a moon, with its defaults; {} where it is none. */
export function objectDefault(part: Part | null, path: string): Record<string, unknown> {
  const node = fieldAt(part, path);
  return node?.properties ? objectOf(node) : {};
}

export type Limits = { min: number; max: number; exclusiveMin: boolean; initial: number | undefined; about: string };

/** The limits of a number, by its part and dotted path. */
export function limitsOf(part: Part | null, path: string): Limits {
  const node = fieldAt(part, path) ?? {};
  return {
    min: node.exclusiveMinimum ?? node.minimum ?? -Infinity,
    max: node.maximum ?? Infinity,
    exclusiveMin: node.exclusiveMinimum !== undefined,
    initial: typeof node.default === "number" ? node.default : undefined,
    about: node.description ?? "",
  };
}
