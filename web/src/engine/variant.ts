import type { RawShaderMaterial } from "three";

/** Gives a part of a material's program to it or takes it away. Programs without a part are made and run faster: a processor
 *  that draws without a graphics card runs both sides of every branch. */
export function setPart(material: RawShaderMaterial, name: string, on: boolean) {
  const defines = (material.defines ??= {});
  if (name in defines === on) return;
  if (on) defines[name] = "";
  else delete defines[name];
  material.needsUpdate = true;
}
