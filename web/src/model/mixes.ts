import type { Level, Mix, Operation } from "../api/client";
import { freshID } from "./apply";

// Mixes: kept states of all lights.

/** Keeps the lights as they are, under a name. */
export function keepMix(level: Level, name: string): Operation {
  const settings = level.lights.map((l) => ({ light: l.id, enabled: l.enabled, strength: l.strength, ...(l.color ? { color: l.color } : {}), ...(l.kelvin ? { kelvin: l.kelvin } : {}) }));
  return { op: "add", part: "mixes", entity: { id: freshID(level, "mix"), name, settings }, label: `Keep the mix ${name}` };
}

/** Sets the lights as they are in a mix; null where they are so already. */
export function applyMix(level: Level, mix: Mix): Operation | null {
  const lights = new Map(level.lights.map((l) => [l.id, l]));
  const steps = mix.settings.flatMap((s): Operation[] => {
    const light = s.light ? lights.get(s.light) : undefined;
    if (!light) return [];
    const fields: Record<string, unknown> = {};
    if (light.enabled !== s.enabled) fields.enabled = s.enabled;
    if (light.strength !== s.strength) fields.strength = s.strength;
    if ((light.color ?? "") !== (s.color ?? "")) fields.color = s.color || null;
    if ((light.kelvin ?? 0) !== (s.kelvin ?? 0)) fields.kelvin = s.kelvin || null;
    return Object.keys(fields).length > 0 ? [{ op: "set", id: light.id, fields }] : [];
  });
  return steps.length > 0 ? { op: "batch", label: `Apply the mix ${mix.name || mix.id}`, steps } : null;
}
