import { DataArrayTexture, DataTexture, FloatType, FrontSide, GLSL3, RawShaderMaterial, RGBAFormat, Vector2, Vector3, type Texture } from "three";
import { halfScale } from "../mix";
import { highlightGLSL, mirrorGLSL, mirrorUniforms } from "./mirror";
import { densityBands, scaleGLSL, shadowBands } from "../scale";
import { shadowsGLSL } from "../shadows";
import { puddleGLSL, puddleUniforms } from "./puddles";
import { waterGLSL, waterUniforms } from "./water";

/** The most times white that a surface or the sky counts for, as core/grade has it. */
export const ceiling = 16;

/** The roughness from which on nothing mirrors. */
const mattFrom = "0.999";

/** Surfaces: radiance over white into a half-float target, or a plain reading of it. */
export function surfaceMaterial(lightmap: Texture, pageSize: number) {
  const uniforms = {
    ...mirrorUniforms(),
    ...waterUniforms(),
    ...puddleUniforms(),
    waterPass: { value: 0 },
    lightmap: { value: lightmap },
    pageSize: { value: pageSize },
    mode: { value: 0 },
    white: { value: 1 },
    lightMax: { value: 0 },
    images: { value: new DataArrayTexture(new Uint8Array([255, 255, 255, 255]), 1, 1, 1) },
    wind: { value: new Vector3() },
    seconds: { value: 0 },
    torch: { value: new Vector3() },
    torchAt: { value: new Vector3() },
    torchAim: { value: new Vector3(0, 0, -1) },
    torchCone: { value: new Vector2(1, 0.9) },
    shadowBodies: { value: new DataTexture(new Float32Array(16), 4, 1, RGBAFormat, FloatType) },
    shadowCount: { value: 0 },
    shadowMost: { value: 0 },
  };
  const material = new RawShaderMaterial({
    glslVersion: GLSL3,
    uniforms,
    defines: {},
    vertexShader: `
      precision highp float;
      uniform mat4 projectionMatrix, modelViewMatrix;
      uniform vec3 wind;
      uniform float seconds;
      uniform highp int waterPass;
      in vec3 position, normal, texel, albedo, moving;
      in vec2 sway, finish;
      in vec4 image;
      in float emission, oneSided, water;
      centroid out vec3 vTexel; // at the rim of a triangle a pixel's middle may lie off its chart
      out vec3 vAlbedo, vNormal, vPlace, vMoving;
      out float vEmission, vOneSided, vWater;
      out vec2 vFinish;
      out vec4 vImage;
      void main() {
        vImage = image;
        vFinish = finish;
        vOneSided = oneSided;
        vWater = water;
        vTexel = texel; vAlbedo = albedo; vNormal = normal; vEmission = emission; vPlace = position; vMoving = moving;
        vec3 place = position;
        float speed = length(wind);
        if (speed > 0.0 && sway.x > 0.0) { // as core/scene has it
          float turn = (seconds - dot(position, wind) / (speed * speed)) / sway.y;
          place += wind * sway.x * (0.6 + 0.4 * sin(6.28318530718 * turn));
        }
        gl_Position = projectionMatrix * modelViewMatrix * vec4(place, 1.0);
        #ifdef WATER
        if (waterPass > 0 && water < 0.5) gl_Position = vec4(2.0, 2.0, 2.0, 1.0); // not of this draw
        #endif
      }`,
    fragmentShader: `
      precision highp float;
      precision highp sampler2DArray;
      uniform sampler2DArray lightmap, images;
      uniform float pageSize, white, lightMax;
      uniform vec3 torch, torchAt, torchAim; // candela; it stands at the eye, so none of its shadows is seen
      uniform vec2 torchCone; // cosines where it begins to fade and where it ends
      uniform int mode; // 0 final, 1 unlit, 2 light alone, 3 brightness, 4 texels, 6 backs, 7 shadows, 8 reflections, 9 ground
      uniform int shadowMost; // that a platform takes at one point; 0 is no limit
      centroid in vec3 vTexel;
      in vec3 vAlbedo, vNormal, vPlace, vMoving;
      in float vEmission, vOneSided, vWater;
      in vec4 vImage;
      in vec2 vFinish; // roughness, metalness
      uniform vec3 cameraPosition;
      out vec4 color;
      const float PI = 3.14159265358979;
      #ifdef MIRRORS
      ${mirrorGLSL}
      ${highlightGLSL}
      #endif
      #ifdef PUDDLES
      ${puddleGLSL}
      #endif
      #ifdef WATER
      uniform vec3 wind;
      uniform float seconds;
      ${waterGLSL}
      #endif
      ${scaleGLSL}
      ${shadowsGLSL}
      float striped() { return mod(gl_FragCoord.x + gl_FragCoord.y, 12.0) < 6.0 ? 1.0 : 0.0; } // on screen
      void main() {
        if (vOneSided > 0.5 && !gl_FrontFacing) discard; // the other side is drawn instead
        #ifdef WATER
        bool isWater = mode == 0 && vWater > 0.5;
        // Water is drawn over what is beneath it; its bottom is as deep water, and from within it is clear.
        if (isWater && (waterPass > 0 ? !gl_FrontFacing : gl_FrontFacing || vNormal.y > -0.5)) discard;
        if (waterPass > 0 && !isWater) discard;
        #endif
        vec3 albedo = vAlbedo;
        if (vImage.z > -0.5) {
          vec4 texel = texture(images, vec3(vImage.xy, floor(vImage.z + 0.5)));
          if (texel.a < vImage.w) discard;
          albedo *= texel.rgb;
        }
        vec3 lux = vTexel.z < -0.5 ? vMoving : texture(lightmap, vec3(vTexel.xy / pageSize, vTexel.z)).rgb * ${(1 / halfScale).toFixed(1)};
        #ifdef TORCH
        {
          vec3 from = torchAt - vPlace;
          float d = max(length(from), 0.05);
          vec3 toward = from / d;
          float fade = clamp((dot(-toward, torchAim) - torchCone.y) / max(torchCone.x - torchCone.y, 0.001), 0.0, 1.0);
          lux += torch * fade * fade * abs(dot(vNormal, toward)) / (d * d);
        }
        #endif
        vec3 light = lux / PI / white; // of a white surface
        if (lightMax > 0.0) light = min(light, vec3(lightMax));
        vec3 matt = albedo, mirror = vec3(0.0);
        float matted = 1.0; // the share of the light that is not mirrored
        #ifdef MIRRORS
        if (mode == 0 && vFinish.x < 1.0) {
          vec3 dir = normalize(vPlace - cameraPosition), n = normalize(vNormal);
          vec2 finish = vFinish;
          float f0 = 0.04;
          #ifdef PUDDLES
          if (n.y > 0.0) {
            float puddle = puddleAt(vPlace);
            finish.x = mix(finish.x, 0.02, puddle);
            if (puddle > 0.0) n = normalize(mix(n, vec3(0.0, 1.0, 0.0), puddle));
          }
          #endif
          #ifdef WATER
          if (isWater) {
            f0 = 0.02;
            if (vNormal.y > 0.99) {
              vec3 slope = waterSlope(vPlace.xz, waterWaves[int(vWater + 0.5) - 1], distance(vPlace, cameraPosition) * pixel / max(-dot(dir, n), 0.02));
              finish.x = pow(pow(finish.x, 4.0) + 2.0 * slope.z, 0.25);
              n = normalize(vec3(-slope.x, 1.0, -slope.y));
              float away = -dot(dir, n);
              if (away < 0.02) n = normalize(n - dir * (0.02 - away));
            }
          }
          #endif
          vec2 lobe = mirrorLobe(finish.x, abs(dot(dir, n)));
          float share = mirrorShare(finish.x), plain = f0 * lobe.x + lobe.y;
          vec3 weight = share * mix(vec3(plain), albedo * lobe.x + lobe.y, finish.y);
          matted = 1.0 - share + share * (1.0 - finish.y) * (1.0 - plain);
          matt *= matted;
          mirror = weight * mirrored(vPlace, reflect(dir, n), finish.x) / white;
          mirror += highlights(vPlace, dot(dir, n) > 0.0 ? -n : n, -dir, albedo, finish, f0, dot(lux, vec3(0.2126, 0.7152, 0.0722))) / white;
        }
        #endif
        vec3 shown = min(matt * light + albedo * vEmission / white + mirror, vec3(${ceiling}.0));
        float taken = 1.0; // of its light, by water before it
        #ifdef WATER
        if (waterPass == 1) { color = vec4(min(matt * light, vec3(${ceiling}.0)), matted); return; }
        if (waterPass == 2) { color = vec4(min(mirror, vec3(${ceiling}.0)), 1.0); return; }
        if (mode == 0) {
          vec3 left = isWater ? vec3(0.0) : betweenWater(cameraPosition, vPlace);
          shown *= left;
          taken = 1.0 - (left.r + left.g + left.b) / 3.0;
        }
        #endif
        #ifdef READING
        if (mode == 1 || mode == 6) shown = albedo * (0.72 + 0.22 * vNormal.y + 0.06 * vNormal.x);
        if (mode == 2) shown = vec3(0.5) * light;
        if (mode == 3) shown = vec3(dot(lux, vec3(0.2126, 0.7152, 0.0722)));
        if (mode == 4) {
          // Texels a metre, from how fast texel coordinates go by over the surface.
          float a = length(dFdx(vPlace)), b = length(dFdx(vTexel.xy));
          float c = length(dFdy(vPlace)), d = length(dFdy(vTexel.xy));
          float density = (b + d) / max(a + c, 1e-9);
          float x = clamp((log2(max(density, 0.5)) - ${densityBands.first}.0) / ${densityBands.count}.0, 0.0, 1.0);
          vec3 hue = scaleAt(x);
          float check = mod(floor(vTexel.x) + floor(vTexel.y), 2.0);
          float fade = smoothstep(1.0, 0.4, max(b, d)); // squares under a pixel blend
          shown = vTexel.z < -0.5 ? vec3(0.02) : hue * mix(0.75, 0.5 + 0.5 * check, fade) * (0.6 + 0.4 * vNormal.y * vNormal.y);
        }
        float form = 0.6 + 0.4 * vNormal.y * vNormal.y;
        if (mode == 6) {
          shown = vec3(dot(shown, vec3(0.2126, 0.7152, 0.0722)));
          if (!gl_FrontFacing && vImage.w <= 0.0) shown = mix(vec3(0.3, 0.02, 0.2), vec3(0.8, 0.1, 0.5), striped());
        }
        if (mode == 7) {
          int n = shadowsAt(vPlace);
          shown = n == 0 ? vec3(0.05) : scaleAt(clamp((float(n) - 0.5) / ${shadowBands}.0, 0.0, 1.0)) * form;
          if (shadowMost > 0 && n > shadowMost) shown = mix(vec3(0.25, 0.01, 0.01), vec3(0.85, 0.08, 0.05), striped()) * form;
        }
        if (mode == 8) shown = vFinish.x < ${mattFrom} ? scaleAt(1.0 - vFinish.x / ${mattFrom}) * form : vec3(0.05) * form;
        if (mode == 9) shown = vec3(0.12 + 0.1 * dot(albedo, vec3(0.2126, 0.7152, 0.0722))) * form;
        #endif
        color = vec4(shown, taken);
      }`,
  });
  return material as Omit<RawShaderMaterial, "uniforms"> & { uniforms: typeof uniforms };
}

/** The same material for fronts alone, with the same uniforms. */
export function frontMaterial(of: ReturnType<typeof surfaceMaterial>): RawShaderMaterial {
  const { glslVersion, uniforms, vertexShader, fragmentShader, defines } = of;
  return new RawShaderMaterial({ glslVersion, uniforms, vertexShader, fragmentShader, defines: { ...defines }, side: FrontSide });
}
