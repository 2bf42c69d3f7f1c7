import { linear } from "../engine/color";
import { kelvinHex } from "./things";

/** The lamp that a player carries while walking; it is of the view alone, and in no bake. */
export type Carried = { on: boolean; candela: number; coneDeg: number; kelvin: number };

export const carriedAtFirst: Carried = { on: false, candela: 200, coneDeg: 30, kelvin: 4500 };

/** What the view needs of it: candela per channel, and the cosines where it begins to fade and ends. */
export type Torch = { candela: [number, number, number]; cosInner: number; cosOuter: number };

export function torchOf(c: Carried): Torch {
  const color = linear(kelvinHex(c.kelvin));
  const outer = (c.coneDeg * Math.PI) / 180;
  return { candela: [color[0] * c.candela, color[1] * c.candela, color[2] * c.candela], cosInner: Math.cos(outer * 0.6), cosOuter: Math.cos(outer) };
}

/** Lux on a surface that faces it at a distance, off its axis by an angle: as a spot light's (KHR_lights_punctual). */
export function luxOf(t: Torch, distanceM: number, offDeg: number): [number, number, number] {
  const a = Math.min(Math.max((Math.cos((offDeg * Math.PI) / 180) - t.cosOuter) / Math.max(t.cosInner - t.cosOuter, 0.001), 0), 1);
  const share = (a * a) / (distanceM * distanceM);
  return [t.candela[0] * share, t.candela[1] * share, t.candela[2] * share];
}
