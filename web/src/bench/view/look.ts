import { GLSL3, RawShaderMaterial, Vector3, Vector4, Matrix4, type Texture } from "three";

// The look of the live view. These shaders follow core/shot line by line:
// radiance of surfaces, then sky, haze and glows, then exposure and tone. A test
// compares the view with a shot.

export const maxGlows = 64;

/** Surfaces: radiance in nits into a half-float target, or a plain reading of it. */
export function surfaceMaterial(lightmap: Texture, pageSize: number): RawShaderMaterial {
  return new RawShaderMaterial({
    glslVersion: GLSL3,
    uniforms: { lightmap: { value: lightmap }, pageSize: { value: pageSize }, mode: { value: 0 } },
    vertexShader: `
      precision highp float;
      uniform mat4 projectionMatrix, modelViewMatrix;
      in vec3 position, normal, texel, albedo;
      in float emission;
      out vec3 vTexel, vAlbedo, vNormal, vPlace;
      out float vEmission;
      void main() {
        vTexel = texel; vAlbedo = albedo; vNormal = normal; vEmission = emission; vPlace = position;
        gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0);
      }`,
    fragmentShader: `
      precision highp float;
      precision highp sampler2DArray;
      uniform sampler2DArray lightmap;
      uniform float pageSize;
      uniform int mode; // 0 final, 1 unlit, 2 light alone, 3 brightness, 4 texels
      in vec3 vTexel, vAlbedo, vNormal, vPlace;
      in float vEmission;
      out vec4 color;
      const float PI = 3.14159265358979;
      void main() {
        vec3 lux = vTexel.z < -0.5 ? vec3(0.0) : texture(lightmap, vec3(vTexel.xy / pageSize, vTexel.z)).rgb;
        vec3 nits = vAlbedo * (lux / PI + vEmission);
        if (mode == 1) nits = vAlbedo * (0.72 + 0.22 * vNormal.y + 0.06 * vNormal.x);
        if (mode == 2) nits = vec3(0.5) * lux / PI;
        if (mode == 3) nits = vec3(dot(lux, vec3(0.2126, 0.7152, 0.0722)));
        if (mode == 4) {
          // Texels a metre, from how fast texel coordinates go by over the surface.
          float a = length(dFdx(vPlace)), b = length(dFdx(vTexel.xy));
          float c = length(dFdy(vPlace)), d = length(dFdy(vTexel.xy));
          float density = (b + d) / max(a + c, 1e-9);
          float x = clamp(log2(max(density, 0.5)) / 6.0, 0.0, 1.0);
          vec3 hue = clamp(vec3(2.2 * x - 0.8, 1.3 - abs(2.6 * x - 1.3), 1.0 - 2.4 * x), 0.05, 1.0);
          float check = mod(floor(vTexel.x) + floor(vTexel.y), 2.0);
          float fade = smoothstep(1.0, 0.4, max(b, d)); // squares under a pixel blend
          nits = vTexel.z < -0.5 ? vec3(0.02) : hue * mix(0.5, 0.25 + 0.5 * check, fade) * (0.6 + 0.4 * vNormal.y * vNormal.y);
        }
        color = vec4(nits, 1.0);
      }`,
  });
}

/** Everything after the surfaces, for each pixel. */
export function lookMaterial(): RawShaderMaterial {
  return new RawShaderMaterial({
    glslVersion: GLSL3,
    depthTest: false,
    depthWrite: false,
    uniforms: {
      scene: { value: null },
      depth: { value: null },
      mode: { value: 0 },
      toWorld: { value: new Matrix4() },
      eye: { value: new Vector3() },
      skyMap: { value: null }, // by azimuth and height, the middle north
      skyNits: { value: 1 },
      haze: { value: new Vector3() },
      hazeShape: { value: new Vector4() }, // start, end, density, most; most 0 is none
      glows: { value: Array.from({ length: maxGlows }, () => new Vector4()) }, // middle, radius
      glowNits: { value: Array.from({ length: maxGlows }, () => new Vector3()) },
      glowCount: { value: 0 },
      white: { value: 1 },
      filmic: { value: true },
    },
    vertexShader: `
      precision highp float;
      in vec3 position;
      out vec2 uv;
      void main() { uv = position.xy * 0.5 + 0.5; gl_Position = vec4(position.xy, 0.0, 1.0); }`,
    fragmentShader: `
      precision highp float;
      uniform sampler2D scene, depth;
      uniform int mode, glowCount;
      uniform mat4 toWorld;
      uniform vec3 eye, haze;
      uniform sampler2D skyMap;
      uniform float skyNits;
      uniform vec4 hazeShape;
      uniform vec4 glows[${maxGlows}];
      uniform vec3 glowNits[${maxGlows}];
      uniform float white;
      uniform bool filmic;
      in vec2 uv;
      out vec4 color;

      float hazeShare(float d) {
        if (d <= hazeShape.x || hazeShape.w == 0.0) return 0.0;
        float share = 1.0;
        if (hazeShape.z > 0.0) share = 1.0 - exp(-hazeShape.z * (d - hazeShape.x));
        else if (hazeShape.y > hazeShape.x) share = (d - hazeShape.x) / (hazeShape.y - hazeShape.x);
        return min(share, hazeShape.w);
      }
      float falloff(float share) {
        return share >= 1.0 ? 0.0 : (exp(-4.5 * share * share) - 0.0111089965) / (1.0 - 0.0111089965);
      }
      vec3 encode(vec3 c) {
        c = clamp(c, 0.0, 1.0);
        return mix(c * 12.92, 1.055 * pow(c, vec3(1.0 / 2.4)) - 0.055, step(0.0031308, c));
      }
      // Bands of a factor of two, from 1/8 lux (blue) over 8 lux (green) to 512 lux (red).
      vec3 bands(float lux) {
        float x = clamp((log2(max(lux, 1e-6)) + 3.0) / 12.0, 0.0, 1.0);
        x = floor(x * 12.0) / 12.0;
        vec3 c = clamp(vec3(2.2 * x - 0.8, 1.3 - abs(2.6 * x - 1.3), 1.0 - 2.4 * x), 0.0, 1.0);
        return lux < 0.03 ? vec3(0.02) : c * 0.8 + 0.05;
      }
      void main() {
        vec3 light = texture(scene, uv).rgb;
        float z = texture(depth, uv).r;
        vec4 far = toWorld * vec4(uv * 2.0 - 1.0, 1.0, 1.0);
        vec3 dir = normalize(far.xyz / far.w - eye);
        float distance = 1e6;
        if (z < 1.0) {
          vec4 at = toWorld * vec4(vec3(uv, z) * 2.0 - 1.0, 1.0);
          distance = length(at.xyz / at.w - eye);
        }
        if (mode == 1 || mode == 4) { color = vec4(encode(z < 1.0 ? light : vec3(0.03)), 1.0); return; }
        if (mode == 3) { color = vec4(z < 1.0 ? bands(light.r) : vec3(0.08), 1.0); return; }
        if (z >= 1.0) light = skyNits * textureLod(skyMap, vec2(0.5 + atan(dir.x, -dir.z) / 6.28318530718, acos(clamp(dir.y, -1.0, 1.0)) / 3.14159265359), 0.0).rgb;
        if (mode == 0) {
          light = mix(light, haze, hazeShare(distance));
          for (int i = 0; i < glowCount; i++) {
            vec3 to = glows[i].xyz - eye;
            float along = dot(to, dir);
            if (along <= 0.0) continue;
            float share = length(to - dir * along) / glows[i].w;
            float soft = clamp((distance - along) / glows[i].w + 1.0, 0.0, 1.0);
            light += glowNits[i] * falloff(share) * soft * (1.0 - hazeShare(along));
          }
        }
        light /= white;
        if (filmic) light = light * (1.0 + light / 16.0) / (1.0 + light);
        color = vec4(encode(light), 1.0);
      }`,
  });
}
