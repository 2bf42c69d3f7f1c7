import { FloatType, HalfFloatType, type TextureDataType, type WebGLRenderer } from "three";

/** What drivers call themselves that draw with the processor. */
const byProcessor = /swiftshader|llvmpipe|software|basic render/i;

/** The numbers of which pictures consist on their way to the screen. A graphics card is fastest with half-floats. A processor
 *  that draws in its place takes longer to pack and unpack those than to keep whole floats. */
export function pictureType({ extensions, getContext }: Pick<WebGLRenderer, "extensions" | "getContext">): TextureDataType {
  const about = extensions.get("WEBGL_debug_renderer_info") as { UNMASKED_RENDERER_WEBGL: number } | null;
  const driver = about ? String(getContext().getParameter(about.UNMASKED_RENDERER_WEBGL)) : "";
  const takesFloats = ["EXT_color_buffer_float", "EXT_float_blend", "OES_texture_float_linear"].every((name) => extensions.has(name));
  return takesFloats && byProcessor.test(driver) ? FloatType : HalfFloatType;
}
