import { GLSL3, RawShaderMaterial, Vector2, Vector3 } from "three";
import { brightnessBands, scaleGLSL } from "../scale";
import { ceiling } from "./surface";
import { screenVertex, seen } from "./air";

// The look, as core/grade has it: occlusion, which the air puts together, depth of
// field, shafts, bloom, then what a display gets. Light is over white.

function pass(uniforms: Record<string, { value: unknown }>, fragmentShader: string): RawShaderMaterial {
  return new RawShaderMaterial({ glslVersion: GLSL3, depthTest: false, depthWrite: false, uniforms, vertexShader: screenVertex, fragmentShader: `precision highp float;\nin vec2 uv;\nout vec4 color;\n${fragmentShader}` });
}

/** Points that go round by the golden angle, one after the other, are spread evenly. */
const golden = Math.PI * (3 - Math.sqrt(5));
const [goldenCos, goldenSin] = [Math.cos(golden), Math.sin(golden)];

const depths = `
  uniform sampler2D light, depth;
  uniform vec2 size;
  uniform float tanHalf;
  ${seen}
  float axial(vec2 at) { float z = texture(depth, at).r; return z < 1.0 ? axialOf(z) : 1e6 / length(rayAt(at)); }
`;

const depthUniforms = () => ({ light: { value: null }, depth: { value: null }, inverse: { value: new Vector2() }, size: { value: new Vector2(1, 1) }, tanHalf: { value: 1 } });

/** What occlusion leaves of the light of each pixel by its own points, and the pixel's distance. */
export const occlusionMaterial = () =>
  pass(
    { ...depthUniforms(), occlusion: { value: new Vector2() } },
    `${depths}
    uniform vec2 occlusion; // strength, radius
    vec3 viewed(vec2 at) { return rayAt(at) * axial(at); }
    // From the nearer neighbour along an axis, or the only one at the rim.
    vec3 slope(vec2 at, vec2 step, vec3 p, float i, float n) {
      vec3 before = i > 0.5 ? p - viewed(at - step) : vec3(0.0);
      vec3 after = i < n - 1.5 ? viewed(at + step) - p : vec3(0.0);
      return i > n - 1.5 || (i > 0.5 && abs(before.z) < abs(after.z)) ? before : after;
    }
    float occlude(vec2 pixel) {
      vec2 one = 1.0 / size;
      vec2 at = (pixel + 0.5) * one;
      vec3 p = viewed(at);
      vec3 across = slope(at, vec2(one.x, 0.0), p, pixel.x, size.x), upward = slope(at, vec2(0.0, one.y), p, pixel.y, size.y);
      vec3 n = normalize(cross(across, upward));
      float r = occlusion.y, r2 = r * r, spread = r / (2.0 * tanHalf * max(-p.z, 1e-3)) * size.y, sum = 0.0;
      float place = mod(size.y - 1.0 - pixel.y, 4.0) * 4.0 + mod(pixel.x, 4.0);
      vec2 way = vec2(cos(place * 0.39269908169872414), sin(place * 0.39269908169872414));
      for (int k = 0; k < 16; k++) {
        float reach = spread * (float(k) + (mod(5.0 * place, 16.0) + 0.5) / 16.0) / 16.0;
        vec2 q = pixel + floor(reach * way + 0.5) * vec2(1.0, -1.0);
        way = vec2(${goldenCos} * way.x - ${goldenSin} * way.y, ${goldenSin} * way.x + ${goldenCos} * way.y);
        if (q.x < 0.0 || q.y < 0.0 || q.x >= size.x || q.y >= size.y) continue;
        float z = texelFetch(depth, ivec2(q), 0).r;
        if (z >= 1.0) continue;
        vec3 v = rayAt((q + 0.5) * one) * axialOf(z) - p;
        float v2 = dot(v, v), near = max(0.0, r2 - v2);
        sum += near * near * near * max(0.0, (dot(v, n) + 0.01 * p.z) / (v2 + 0.01 * r2));
      }
      return max(0.0, 1.0 - 5.0 * occlusion.x * r * sum / (r2 * r2 * r2 * 16.0));
    }
    void main() {
      bool sky = texture(depth, uv).r >= 1.0;
      color = vec4(sky ? 1.0 : occlude(floor(uv * size)), min(distanceAt(uv), 6e4), 0.0, 1.0);
    }`,
  );

export const focusMaterial = () =>
  pass(
    { ...depthUniforms(), focus: { value: new Vector2(4, 2.8) } },
    `${depths}
    uniform vec2 focus; // metres, f-stop
    float blur(float d) { // radius, pixels
      float f = 0.012 / tanHalf, s = max(focus.x, 1.05 * f);
      return min(f * f / focus.y * abs(d - s) / (d * (s - f)) / 0.048, 0.02) * size.y;
    }
    void main() {
      vec2 pixel = floor(uv * size);
      float d = axial(uv), radius = blur(d);
      color = texture(light, uv);
      if (radius < 0.5) return;
      vec3 sum = vec3(0.0);
      float total = 0.0;
      for (int k = 0; k < 48; k++) {
        float r = radius * sqrt((float(k) + 0.5) / 48.0), turn = float(k) * 2.399963229728653;
        vec2 at = (clamp(pixel + vec2(floor(r * cos(turn) + 0.5), -floor(r * sin(turn) + 0.5)), vec2(0.0), size - 1.0) + 0.5) / size;
        float there = axial(at), w = 1.0;
        if (there < d) w = min(blur(there) / radius, 1.0);
        w = max(w, 1e-4);
        sum += w * texture(light, at).rgb;
        total += w;
      }
      color.rgb = sum / total;
    }`,
  );

export const shaftMaterial = () =>
  pass(
    { ...depthUniforms(), sun: { value: new Vector3() }, shafts: { value: new Vector2() } },
    `${depths}
    uniform vec3 sun; // place in pixels from below left; z under 0 behind the camera
    uniform vec2 shafts; // strength, length
    void main() {
      color = texture(light, uv);
      if (sun.z < 0.0) return;
      vec2 p = floor(uv * size) + 0.5;
      vec3 sum = vec3(0.0);
      for (int k = 0; k < 48; k++) {
        float t = shafts.y * (float(k) + 0.5) / 48.0;
        vec2 at = floor(p + (sun.xy - p) * t) + 0.5;
        if (at.x < 0.0 || at.y < 0.0 || at.x >= size.x || at.y >= size.y || texture(depth, at / size).r < 1.0) continue;
        sum += (1.0 - t / shafts.y) * min(texture(light, at / size).rgb, vec3(4.0));
      }
      color.rgb += sum * shafts.x * exp(-2.0 * length(p - sun.xy) / size.y) * 2.0 / 48.0;
    }`,
  );

/** What is over the threshold, averaged over squares of step pixels. */
export const brightMaterial = () =>
  pass(
    { light: { value: null }, size: { value: new Vector2(1, 1) }, step: { value: 1 }, threshold: { value: 1 } },
    `uniform sampler2D light;
    uniform vec2 size;
    uniform float threshold;
    uniform int step;
    void main() {
      ivec2 from = ivec2(gl_FragCoord.xy) * step;
      vec3 sum = vec3(0.0);
      float n = 0.0;
      for (int j = 0; j < step; j++) for (int i = 0; i < step; i++) {
        ivec2 at = from + ivec2(i, j);
        if (at.x >= int(size.x) || at.y >= int(size.y)) continue;
        vec3 c = texelFetch(light, at, 0).rgb;
        float y = dot(c, vec3(0.2126, 0.7152, 0.0722));
        if (y > threshold) sum += c * (min(y, ${ceiling}.0) - threshold) / y;
        n += 1.0;
      }
      color = vec4(sum / n, 1.0);
    }`,
  );

/** The widest blur in one go, in pixels. */
export const mostSigma = 6;
const gaussReach = 3 * mostSigma;

/** What the middle pixel and those beside it, at either side, count for in a blur. They sum up to 1 over both sides. */
export function gaussWeights(sigma: number): number[] {
  const reach = Math.max(Math.ceil(3 * sigma), 1);
  const bell = Array.from({ length: gaussReach + 1 }, (_, i) => (i <= reach ? Math.exp((-i * i) / (2 * sigma * sigma)) : 0));
  const total = bell.reduce((sum, w, i) => sum + (i ? 2 : 1) * w, 0);
  return bell.map((w) => w / total);
}

export const gaussMaterial = () =>
  pass(
    { light: { value: null }, along: { value: new Vector2(1, 0) }, weights: { value: gaussWeights(1) } },
    `uniform sampler2D light;
    uniform vec2 along;
    uniform float weights[${gaussReach + 1}];
    void main() {
      ivec2 most = textureSize(light, 0) - 1, at = ivec2(gl_FragCoord.xy), one = ivec2(along);
      vec3 sum = weights[0] * texelFetch(light, at, 0).rgb;
      for (int i = 1; i <= ${gaussReach} && weights[i] > 0.0; i++) {
        sum += weights[i] * (texelFetch(light, max(at - one * i, ivec2(0)), 0).rgb + texelFetch(light, min(at + one * i, most), 0).rgb);
      }
      color = vec4(sum, 1.0);
    }`,
  );

export const displayMaterial = () =>
  pass(
    {
      light: { value: null },
      bloom: { value: null },
      bloomStrength: { value: 0 },
      bloomStep: { value: 1 },
      mode: { value: 0 },
      size: { value: new Vector2(1, 1) },
      gains: { value: new Vector3(1, 1, 1) },
      tone: { value: 0 }, // 0 clamp, 1 headroom, 2 filmic
      headroom: { value: 4 },
      graded: { value: false },
      slope: { value: new Vector3(1, 1, 1) },
      offset: { value: new Vector3() },
      power: { value: new Vector3(1, 1, 1) },
      saturation: { value: 1 },
      sharpen: { value: 0 },
    },
    `uniform sampler2D light, bloom;
    uniform float bloomStrength, bloomStep, headroom, saturation, sharpen;
    uniform int mode, tone;
    uniform vec2 size;
    uniform vec3 gains, slope, offset, power;
    uniform bool graded;
    const vec3 luma = vec3(0.2126, 0.7152, 0.0722);
    vec3 encode(vec3 c) {
      c = clamp(c, 0.0, 1.0);
      return mix(c * 12.92, 1.055 * pow(c, vec3(1.0 / 2.4)) - 0.055, step(0.0031308, c));
    }
    ${scaleGLSL}
    vec3 bands(float lux) {
      const float count = ${brightnessBands.count}.0;
      float octave = floor(log2(max(lux, 1e-6)) - float(${brightnessBands.first}));
      return octave < 0.0 ? vec3(0.0) : encode(scaleAt(min(octave, count - 1.0) / count));
    }
    // Grey, but for channels that are full and for what is black.
    vec3 clipped(vec3 c) {
      if (max(c.r, max(c.g, c.b)) >= 1.0) return step(1.0, c) * vec3(1.0, 0.85, 1.0) + 0.05;
      if (max(c.r, max(c.g, c.b)) < 0.0005) return vec3(0.1, 0.2, 0.55);
      return vec3(0.1 + 0.6 * dot(encode(c), luma));
    }
    vec3 spread(vec2 pixel) {
      vec2 small = vec2(textureSize(bloom, 0));
      return texture(bloom, pixel / bloomStep / small).rgb;
    }
    vec3 toned(ivec2 at) {
      at = clamp(at, ivec2(0), ivec2(size) - 1);
      vec3 c = texelFetch(light, at, 0).rgb;
      if (bloomStrength > 0.0) c += bloomStrength * spread(vec2(at) + 0.5);
      c = max(c * gains, vec3(0.0));
      if (tone == 2) c = c * (1.0 + c / (headroom * headroom)) / (1.0 + c);
      if (tone == 1) { c = min(c, vec3(headroom)); c /= max(1.0, max(c.r, max(c.g, c.b))); }
      return c;
    }
    vec3 shown(ivec2 at) {
      vec3 c = encode(toned(at));
      if (graded) {
        c = pow(clamp(c * slope + offset, 0.0, 1.0), power);
        c = clamp(mix(vec3(dot(c, luma)), c, saturation), 0.0, 1.0);
      }
      return c;
    }
    // Where fronts and backs meet at an outline, rounding shows a line of back that is one pixel wide: what is beside it is shown instead.
    float pink(vec4 c) { return c.r - c.g; }
    vec4 withoutThinBacks(ivec2 at, vec4 here) {
      ivec2 most = ivec2(size) - 1;
      for (int axis = 0; axis < 2; axis++) {
        ivec2 step = axis == 0 ? ivec2(1, 0) : ivec2(0, 1);
        vec4 a = texelFetch(light, clamp(at - step, ivec2(0), most), 0), b = texelFetch(light, clamp(at + step, ivec2(0), most), 0);
        if (max(pink(a), pink(b)) < 0.5 * pink(here)) return pink(a) < pink(b) ? a : b;
      }
      return here;
    }
    void main() {
      ivec2 at = ivec2(gl_FragCoord.xy);
      #ifdef READING
      vec4 raw = texelFetch(light, at, 0);
      if (mode == 6) raw = withoutThinBacks(at, raw);
      if (mode == 5) { color = vec4(clipped(toned(at)), 1.0); return; }
      if (mode == 1 || mode == 4 || mode >= 6) { color = vec4(encode(raw.a > 0.5 ? raw.rgb : vec3(0.03)), 1.0); return; }
      if (mode == 3) { color = vec4(raw.a > 0.5 ? bands(raw.r) : vec3(0.08), 1.0); return; }
      #endif
      vec3 c = shown(at);
      #ifdef SHARPEN
      c += sharpen * (c - (shown(at - ivec2(1, 0)) + shown(at + ivec2(1, 0)) + shown(at - ivec2(0, 1)) + shown(at + ivec2(0, 1))) / 4.0);
      #endif
      color = vec4(clamp(c, 0.0, 1.0), 1.0);
    }`,
  );
