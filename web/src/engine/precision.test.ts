import { FloatType, HalfFloatType, type WebGLRenderer } from "three";
import { expect, test } from "vitest";
import { pictureType } from "./precision";

const named = 0x9246;

/** A renderer of a driver of this name, that lacks some extensions. */
function renderer(driver: string, ...lacks: string[]) {
  const extensions = { has: (name: string) => !lacks.includes(name), get: (name: string) => (lacks.includes(name) ? null : { UNMASKED_RENDERER_WEBGL: named }) };
  const getContext = () => ({ getParameter: (what: number) => (what === named ? driver : null) });
  return { extensions, getContext } as unknown as WebGLRenderer;
}

test("a card gets half-floats, a processor in its place whole ones", () => {
  expect(pictureType(renderer("ANGLE (Some Card, Vulkan 1.3)"))).toBe(HalfFloatType);
  expect(pictureType(renderer("ANGLE (Google, Vulkan 1.3.0 (SwiftShader Device), SwiftShader driver)"))).toBe(FloatType);
  expect(pictureType(renderer("llvmpipe (LLVM 15, 256 bits)"))).toBe(FloatType);
});

test("whole floats are taken only where they can be drawn, blended and filtered", () => {
  for (const name of ["EXT_color_buffer_float", "EXT_float_blend", "OES_texture_float_linear"]) {
    expect(pictureType(renderer("llvmpipe", name)), name).toBe(HalfFloatType);
  }
  expect(pictureType(renderer("llvmpipe", "WEBGL_debug_renderer_info")), "a driver without a name").toBe(HalfFloatType);
});
