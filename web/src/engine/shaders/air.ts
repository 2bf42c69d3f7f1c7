import { CustomBlending, Data3DTexture, DataTexture, FloatType, GLSL3, Matrix4, OneFactor, RawShaderMaterial, RGBAFormat, Vector2, Vector3, Vector4, type Texture } from "three";
import { ceiling } from "./surface";

// What the air does to light, as core/air has it, line by line. Radiance is over white.

export const maxGlows = 64;
export const maxBeams = 16;
export const maxVolumes = 9;
/** Steps along a ray from corner to corner of the largest fog volume: of a picture, and while something moves on a slow
 *  machine. A shorter way has fewer. core/air has 64 always; a test holds the view against it. */
export const fogSteps = { fine: 32, hasty: 12 };
const leastSteps = 6;
const rows = { glows: 0, beams: 3, volumes: 9 };

/** The items of the air as a texture: a column an item, a row four numbers of it. */
export class Items {
  readonly values = new Float32Array(4 * maxGlows * 14);
  readonly texture = new DataTexture(this.values, maxGlows, 14, RGBAFormat, FloatType);

  set(kind: keyof typeof rows, index: number, row: number, ...v: [number, number, number, number]) {
    this.values.set(v, 4 * ((rows[kind] + row) * maxGlows + index));
  }
}

/** Uniforms that say what the air is, shared by all that pass through it. */
export function airUniforms(items: Items) {
  const dark = new Data3DTexture(new Uint16Array(4 * 2), 2, 1, 1);
  return {
    items: { value: items.texture },
    volumeCount: { value: 0 },
    fogLit: { value: 1 },
    fogLight: { value: dark as Texture },
    fogToward: { value: dark as Texture },
    fogSize: { value: new Vector3(2, 1, 1) },
    fogScale: { value: 0 },
    fogSteps: { value: fogSteps.fine },
    fogLongest: { value: 1 },
    phase: { value: 0 },
    haze: { value: new Vector3() },
    hazeShape: { value: new Vector4() }, // start, end, density, most; most 0 is none
    hazeSky: { value: 1 }, // how much of its share holds for the sky
    low: { value: new Vector3() },
    lowShape: { value: new Vector4(0, 1, 0, 0) }, // base, falloff, density, most
    eye: { value: new Vector3() },
    white: { value: 1 },
  };
}

export type AirUniforms = ReturnType<typeof airUniforms>;

export const airFunctions = `
  precision highp float;
  precision highp int;
  precision highp sampler3D;
  uniform sampler2D items;
  uniform sampler3D fogLight, fogToward;
  uniform int fogSteps, volumeCount, fogLit; // fogLit: 0 nowhere, 1 in volumes, 2 everywhere
  uniform float fogScale, fogLongest, phase, white, hazeSky;
  uniform vec3 fogSize, haze, low, eye;
  uniform vec4 hazeShape, lowShape;

  vec4 item(int index, int row) { return texelFetch(items, ivec2(index, row), 0); }

  float hazeShare(float d) {
    if (hazeShape.w == 0.0 || d <= hazeShape.x) return 0.0;
    float share = 1.0;
    if (hazeShape.z > 0.0) share = 1.0 - exp(-hazeShape.z * (d - hazeShape.x));
    else if (hazeShape.y > hazeShape.x) share = (d - hazeShape.x) / (hazeShape.y - hazeShape.x);
    return min(share, hazeShape.w) * (d >= 1e6 ? hazeSky : 1.0);
  }
  float lowAt(float y) { return lowShape.z * exp(-max(y - lowShape.x, 0.0) / lowShape.y); }
  float lowBelow(float y) {
    float h = y - lowShape.x;
    return h <= 0.0 ? lowShape.z * h : lowShape.z * lowShape.y * (1.0 - exp(-h / lowShape.y));
  }
  float lowShare(vec3 dir, float d) {
    if (lowShape.w == 0.0) return 0.0;
    float from = eye.y, to = eye.y + dir.y * d;
    float depth = abs(to - from) < 1e-3 * max(d, 1e-3) ? lowAt((from + to) / 2.0) * d : (lowBelow(to) - lowBelow(from)) / (to - from) * d;
    return min(1.0 - exp(-depth), lowShape.w);
  }
  float clear(vec3 dir, float d) { return (1.0 - hazeShare(d)) * (1.0 - lowShare(dir, d)); }

  // What haze and height fog send, and in w the share they hide.
  vec4 veil(vec3 dir, float d) {
    float a = hazeShare(d), b = lowShare(dir, d);
    if (a == 0.0 && b == 0.0) return vec4(0.0);
    float depthA = -log(1.0 - min(a, 0.999999)), depthB = -log(1.0 - min(b, 0.999999));
    float share = 1.0 - (1.0 - a) * (1.0 - b);
    return vec4(mix(haze, low, depthB / (depthA + depthB)) * share, share);
  }

  float density(float y, float d) {
    float sum = lowShape.w > 0.0 ? lowAt(y) : 0.0;
    if (hazeShape.w == 0.0 || d < hazeShape.x) return sum;
    if (hazeShape.z > 0.0) return sum + hazeShape.z;
    return hazeShape.y > hazeShape.x ? sum + 1.0 / (hazeShape.y - hazeShape.x) : sum;
  }

  vec2 span(vec3 low, vec3 high, vec3 from, vec3 dir, float end) {
    vec3 d = mix(dir, vec3(1e-9), lessThan(abs(dir), vec3(1e-9)));
    vec3 a = (low - from) / d, b = (high - from) / d;
    vec3 near = min(a, b), far = max(a, b);
    return vec2(max(max(near.x, near.y), max(near.z, 0.0)), min(min(far.x, far.y), min(far.z, end)));
  }

  float inside(vec3 p, vec3 low, vec3 high, float edge) {
    vec3 depth = min(p - low, high - p);
    if (min(depth.x, min(depth.y, depth.z)) <= 0.0) return 0.0;
    if (edge <= 0.0) return 1.0;
    vec3 s = smoothstep(0.0, edge, depth);
    return s.x * s.y * s.z;
  }

  vec3 scattered(int index, vec3 p, vec3 low, vec3 high, vec3 dir) {
    vec4 place = item(index, ${rows.volumes + 4}); // first layer, cells
    if (place.y == 0.0 || fogLit == 0) return vec3(0.0);
    vec3 at = clamp((p - low) / (high - low) * place.yzw, vec3(0.5), place.yzw - 0.5);
    at.z += place.x;
    vec3 light = texture(fogLight, at / fogSize).rgb;
    float luminance = dot(light, vec3(0.2126, 0.7152, 0.0722));
    if (luminance <= 0.0) return vec3(0.0);
    if (phase == 0.0) return light * (fogScale / white) / 12.566370614; // the same all round
    float cosine = dot(texture(fogToward, at / fogSize).rgb, dir) / luminance;
    return light * (fogScale / white) * max(0.0, 1.0 + 3.0 * phase * cosine) / 12.566370614;
  }

  // Volumes without fog of their own show light in haze and height fog.
  bool shows(int index) { return item(index, ${rows.volumes + 1}).w > 0.0 || fogLit == 2; }

  // Where along a ray the volumes that show are, or those alone that bring fog.
  vec2 reach(vec3 dir, float end, bool foggy) {
    vec2 whole = vec2(1e30, 0.0);
    for (int i = 0; i < volumeCount; i++) {
      vec4 high = item(i, ${rows.volumes + 1});
      if (high.w <= 0.0 && (foggy || fogLit != 2)) continue;
      vec2 t = span(item(i, ${rows.volumes}).xyz, high.xyz, eye, dir, end);
      if (t.y > t.x) whole = vec2(min(whole.x, t.x), max(whole.y, t.y));
    }
    return whole;
  }

  // How long all steps are but the last, which is what is left of the way. If each way were parted evenly, a pixel whose way
  // has one step more than its neighbour's would look at other places, and fog would show bands.
  float stepOver(float length) { return clamp(fogLongest / float(fogSteps), length / float(fogSteps), length / float(min(${leastSteps}, fogSteps))); }

  // What fog volumes send, and in w the share that gets through.
  vec4 volumesAlong(vec3 dir, float end) {
    vec2 t0 = reach(dir, end, false);
    vec4 result = vec4(0.0, 0.0, 0.0, 1.0);
    if (t0.y <= t0.x) return result;
    float most = stepOver(t0.y - t0.x);
    for (int s = 0; s <= fogSteps; s++) {
      float from = t0.x + float(s) * most, step = min(most, t0.y - from), t = from + 0.5 * step;
      if (step <= 0.0) break;
      vec3 p = eye + dir * t;
      float own = 0.0;
      vec3 sent = vec3(0.0);
      for (int i = 0; i < volumeCount; i++) {
        vec4 low = item(i, ${rows.volumes}), high = item(i, ${rows.volumes + 1});
        float d = inside(p, low.xyz, high.xyz, low.w);
        if (d == 0.0 || !shows(i)) continue;
        if (high.w == 0.0) d *= density(p.y, t); // which the veil counts already
        else { d *= high.w; own += d; }
        if (d > 0.0) sent += (item(i, ${rows.volumes + 2}).rgb + scattered(i, p, low.xyz, high.xyz, dir)) * d;
      }
      if (own == 0.0 && sent == vec3(0.0)) continue;
      float kept = exp(-own * step);
      float length = own > 1e-6 ? (1.0 - kept) / own : step;
      result.rgb += sent * result.w * length * clear(dir, t);
      result.w *= kept;
      if (result.w < 1e-3) break;
    }
    return result;
  }

  // The share that fog volumes let through: what they send needs more time, and is not asked.
  float through(vec3 dir, float end) {
    vec2 t0 = reach(dir, end, true);
    if (t0.y <= t0.x) return 1.0;
    float most = stepOver(t0.y - t0.x), depth = 0.0;
    for (int s = 0; s <= fogSteps; s++) {
      float from = t0.x + float(s) * most, step = min(most, t0.y - from);
      if (step <= 0.0) break;
      vec3 p = eye + dir * (from + 0.5 * step);
      for (int i = 0; i < volumeCount; i++) {
        vec4 low = item(i, ${rows.volumes}), high = item(i, ${rows.volumes + 1});
        if (high.w > 0.0) depth += high.w * step * inside(p, low.xyz, high.xyz, low.w);
      }
    }
    return exp(-depth);
  }

  float hidden(vec3 dir, float d) { return 1.0 - (1.0 - veil(dir, d).w) * through(dir, d); }
`;

/** How far what is seen at a pixel is, the sky 1e6, and the ray there in the camera's space, which is 1 long along the camera's
 *  axis. axialOf is how far along that axis a depth is; inverse is 1 over the distances between which the camera draws. */
export const seen = `
  uniform vec2 inverse;
  vec3 rayAt(vec2 at) { return vec3((at * 2.0 - 1.0) * tanHalf * vec2(size.x / size.y, 1.0), -1.0); }
  float axialOf(float z) { return 1.0 / mix(inverse.x, inverse.y, z); }
  float distanceAt(vec2 at) { float z = texture(depth, at).r; return z < 1.0 ? axialOf(z) * length(rayAt(at)) : 1e6; }
`;

/** How the eye looks: what seen and the rays of pixels read. */
const eyeUniforms = () => ({
  depth: { value: null },
  inverse: { value: new Vector2() },
  right: { value: new Vector3() },
  up: { value: new Vector3() },
  forward: { value: new Vector3() },
  tanHalf: { value: 1 },
  size: { value: new Vector2(1, 1) },
});

/** Sky, occlusion and the air over the surfaces, for each pixel. Without AIR among its defines there is none in its
 *  program, which is then made in a fraction of the time. */
export function airMaterial(air: AirUniforms): RawShaderMaterial {
  return new RawShaderMaterial({
    glslVersion: GLSL3,
    depthTest: false,
    depthWrite: false,
    uniforms: {
      ...air,
      scene: { value: null },
      mode: { value: 0 },
      skyMap: { value: null }, // by azimuth and height, the middle north
      skyNits: { value: 1 },
      discs: { value: [new Vector4(), new Vector4()] }, // direction, half angle; 0 is none
      discNits: { value: [new Vector3(), new Vector3()] },
      ...eyeUniforms(),
      occlusion: { value: new Vector2() }, // strength, radius; strength 0 is none
      occluded: { value: null }, // what occlusion leaves, and distances
      fogBlocks: { value: null }, // what fog volumes do, for a pixel of each block
      fogBlock: { value: 2 }, // pixels along a block
    },
    vertexShader: screenVertex,
    defines: {},
    fragmentShader: `
      #ifdef AIR
      ${airFunctions}
      #else
      precision highp float;
      uniform float white;
      #endif
      uniform sampler2D scene, depth, skyMap, occluded, fogBlocks;
      uniform float fogBlock;
      uniform int mode;
      uniform float skyNits, tanHalf;
      uniform vec4 discs[2];
      uniform vec3 discNits[2], right, up, forward;
      uniform vec2 size, occlusion;
      in vec2 uv;
      out vec4 color;

      ${seen}
      #ifdef AIR
      // What fog volumes do at a pixel: between the blocks about it that see as far. At edges, where there are none, the
      // ray is followed.
      vec4 fogAt(vec3 dir, float distance) {
        vec2 pixel = floor(uv * size), first = floor(pixel / fogBlock), part = pixel / fogBlock - first;
        vec4 sum = vec4(0.0);
        float weights = 0.0;
        for (int k = 0; k < 4; k++) {
          vec2 corner = vec2(k & 1, k >> 1), block = first + corner;
          vec2 at = (block * fogBlock + 0.5) / size;
          if (at.x >= 1.0 || at.y >= 1.0) continue;
          vec2 near = mix(1.0 - part, part, corner);
          float weight = near.x * near.y;
          if (weight == 0.0 || abs(distanceAt(at) - distance) > 0.1 * distance) continue;
          sum += weight * texelFetch(fogBlocks, ivec2(block), 0);
          weights += weight;
        }
        if (weights > 0.0) return sum / weights;
        return fogSteps < ${fogSteps.fine} ? texelFetch(fogBlocks, ivec2(first), 0) : volumesAlong(dir, distance);
      }
      #endif
      #ifdef OCCLUSION
      // The mean of what occlusion leaves over the pixels about one that are as far away. Where there is none just now it is
      // the same program: making another would hold up the first frame of a move.
      float openness(vec2 pixel, float distance) {
        float sum = 0.0, count = 0.0;
        ivec2 at = ivec2(pixel), from = max(at - ivec2(2, 1), ivec2(0)), to = min(at + ivec2(1, 2), ivec2(size) - 1);
        if (occlusion.x == 0.0) to = ivec2(-1);
        for (int y = from.y; y <= to.y; y++) {
          for (int x = from.x; x <= to.x; x++) {
            vec2 open = texelFetch(occluded, ivec2(x, y), 0).rg;
            if (abs(open.y - distance) < occlusion.y) { sum += open.x; count++; }
          }
        }
        return count > 0.0 ? sum / count : 1.0;
      }
      #endif

      void main() {
        vec3 light = texture(scene, uv).rgb;
        if (mode == 1 || mode == 3 || mode == 4 || mode >= 6) { color = vec4(light, texture(depth, uv).r < 1.0 ? 1.0 : 0.0); return; }
        vec3 view = rayAt(uv);
        vec3 dir = normalize(view.x * right + view.y * up - view.z * forward);
        float distance = distanceAt(uv);
        if (distance >= 1e6) {
          light = skyNits / white * textureLod(skyMap, vec2(0.5 + atan(dir.x, -dir.z) / 6.28318530718, acos(clamp(dir.y, -1.0, 1.0)) / 3.14159265359), 0.0).rgb;
          for (int i = 0; i < 2; i++) {
            if (mode != 0 || discs[i].w == 0.0 || dir.y < 0.0) continue;
            float angle = 2.0 * asin(min(length(dir - discs[i].xyz) / 2.0, 1.0));
            light += discNits[i] / white * (1.0 - smoothstep(0.95 * discs[i].w, 1.05 * discs[i].w, angle));
          }
          light = min(light, vec3(${ceiling}.0));
        }
        #ifdef OCCLUSION
        if (distance < 1e6) light *= openness(floor(uv * size), distance);
        #endif
        #ifdef AIR
        if (mode == 0) {
          vec4 v = veil(dir, distance);
          light = light * (1.0 - v.w) + v.rgb;
          if (volumeCount > 0) { vec4 fog = fogAt(dir, distance); light = light * fog.w + fog.rgb; }
        }
        #endif
        color = vec4(light, distance >= 1e6 ? 0.0 : 1.0);
      }`,
  });
}

const glowGLSL = `
  float bell(float r) { float inside = 1.0 - r * r; return r >= 1.0 ? 0.0 : exp(-3.0 * r * r) * inside * inside; }
  float ray(float along, float across) { return 0.8 * bell(abs(along)) * bell(abs(across) / 0.08); }
  float glowShape(int shape, vec2 p) {
    float r = length(p);
    if (shape == 1) return max(bell(abs(r - 0.7) / 0.3), 0.25 * bell(r));
    if (shape == 2) return max(bell(r / 0.4), max(ray(p.x, p.y), ray(p.y, p.x)));
    if (shape == 3) return max(bell(r / 0.3), ray(p.x, p.y));
    return bell(r);
  }
  vec3 glow(int i, vec3 dir, float distance) {
    vec4 at = item(i, ${rows.glows}), nits = item(i, ${rows.glows + 1}), more = item(i, ${rows.glows + 2}); // more: tolerance, fade, shape
    vec3 to = at.xyz - eye;
    float along = dot(to, dir);
    if (along <= 0.0 || nits.rgb == vec3(0.0)) return vec3(0.0);
    float radius = nits.w > 0.5 ? at.w * tanHalf * along : at.w / 2.0;
    vec3 off = dir * along - to;
    float share = length(off) / radius;
    if (share >= 1.0) return vec3(0.0);
    float strength = clamp((distance - along) / max(more.x, 0.02) + 1.0, 0.0, 1.0);
    if (more.z > 0.0) strength *= more.z <= more.y ? float(length(to) < more.y) : 1.0 - smoothstep(more.y, more.z, length(to));
    if (strength == 0.0) return vec3(0.0);
    vec2 p = vec2(dot(off, right), dot(off, up)) / radius;
    vec3 shape = more.w >= 4.0 ? texture(glowImages, vec3(0.5 + p.x / 2.0, 0.5 - p.y / 2.0, more.w - 4.0)).rgb : vec3(glowShape(int(more.w), p));
    return nits.rgb * shape * strength * (1.0 - hidden(dir, along));
  }
`;

const beamGLSL = `
  float beamWeight(vec3 p, vec4 axis, vec4 at, vec4 right, vec4 up, vec4 more) {
    float along = dot(p, axis.xyz);
    float s = (along - at.w) / axis.w;
    if (s <= 0.0 || s >= 1.0) return 0.0;
    float r = more.y > 0.5 ? max(abs(dot(p, right.xyz)) / right.w, abs(dot(p, up.xyz)) / up.w) : length(p - axis.xyz * along) / max(along * more.x, 1e-6);
    if (r >= 1.0) return 0.0;
    float edge = 1.0 - r * r;
    return pow(1.0 - s, more.z) * edge * edge;
  }
  vec3 beam(int i, vec3 dir, float distance) {
    vec4 at = item(i, ${rows.beams}), axis = item(i, ${rows.beams + 1}), right = item(i, ${rows.beams + 2}), up = item(i, ${rows.beams + 3}), nits = item(i, ${rows.beams + 4}), more = item(i, ${rows.beams + 5}); // more: tangent, shaft, falloff, facing
    if (nits.rgb == vec3(0.0)) return vec3(0.0);
    float end = at.w + axis.w;
    vec2 breadth = more.y > 0.5 ? vec2(right.w, up.w) : vec2(end * more.x);
    vec3 off = eye - at.xyz;
    mat3 own = transpose(mat3(right.xyz, up.xyz, axis.xyz));
    vec2 t = span(vec3(-breadth, at.w), vec3(breadth, end), own * off, own * dir, distance);
    if (t.y <= t.x) return vec3(0.0);
    if (more.y < 0.5) {
      float k = 1.0 + more.x * more.x, oa = dot(off, axis.xyz), da = dot(dir, axis.xyz);
      float a = 1.0 - k * da * da, b = dot(off, dir) - k * oa * da, c = dot(off, off) - k * oa * oa, root = b * b - a * c;
      if (abs(a) >= 1e-9) {
        if (root <= 0.0) { if (a > 0.0) return vec3(0.0); }
        else {
          root = sqrt(root);
          float x = (-b - root) / a, y = (-b + root) / a;
          if (a > 0.0) t = vec2(max(t.x, x), min(t.y, y));
          else if (da > 0.0) t.x = max(t.x, max(x, y));
          else t.y = min(t.y, min(x, y));
        }
      }
      if (t.y <= t.x) return vec3(0.0);
    }
    float step = (t.y - t.x) / 16.0, sum = 0.0, where = 0.0;
    for (int s = 0; s < 16; s++) {
      float d = t.x + (float(s) + 0.5) * step;
      float w = beamWeight(off + dir * d, axis, at, right, up, more);
      sum += w;
      where += w * d;
    }
    if (sum == 0.0) return vec3(0.0);
    return nits.rgb * sum * step * pow(max(0.0, 1.0 - dot(dir, axis.xyz)), more.w) * (1.0 - hidden(dir, where / sum));
  }
`;

/** What shines in the air over a part of the picture: a square for each, which covers the ball that holds it. ball gives
 *  its middle from the eye, and its radius; light what it adds to a pixel. */
function airSprites(air: AirUniforms, of: { uniforms: string; functions: string; ball: string; light: string }): RawShaderMaterial {
  return new RawShaderMaterial({
    glslVersion: GLSL3,
    depthTest: false,
    depthWrite: false,
    transparent: true,
    blending: CustomBlending,
    blendSrc: OneFactor,
    blendDst: OneFactor,
    uniforms: { ...air, ...eyeUniforms(), glowImages: { value: null } }, // of glows alone
    vertexShader: `
      ${airFunctions}
      uniform float tanHalf;
      uniform vec2 size;
      uniform vec3 right, up, forward;
      in vec3 position; // a corner, -1 to 1
      flat out int index;
      ${of.ball}
      // The tangents of the angles between which a ball is seen along one axis of the screen, by its middle along that axis
      // and ahead; all of the screen where the eye is within it.
      vec2 ends(float side, float ahead, float radius) {
        float d = length(vec2(side, ahead));
        if (d <= radius) return vec2(-1e3, 1e3);
        float middle = atan(side, ahead), wide = asin(radius / d);
        return tan(clamp(vec2(middle - wide, middle + wide), -1.57, 1.57));
      }
      void main() {
        index = gl_InstanceID;
        vec4 middle = ball(index); // from the eye, and its radius
        vec3 own = vec3(dot(middle.xyz, right), dot(middle.xyz, up), dot(middle.xyz, forward));
        if (own.z + middle.w <= 0.0) { gl_Position = vec4(2.0, 2.0, 2.0, 1.0); return; } // behind the eye
        vec2 across = ends(own.x, own.z, middle.w), upward = ends(own.y, own.z, middle.w);
        vec2 corner = vec2(position.x < 0.0 ? across.x : across.y, position.y < 0.0 ? upward.x : upward.y) / (tanHalf * vec2(size.x / size.y, 1.0));
        gl_Position = vec4(clamp(corner, -1.0, 1.0), 0.0, 1.0);
      }`,
    fragmentShader: `
      ${airFunctions}
      precision highp sampler2DArray;
      uniform sampler2D depth;
      uniform float tanHalf;
      uniform vec2 size;
      uniform vec3 right, up, forward;
      ${of.uniforms}
      flat in int index;
      out vec4 color;
      ${of.functions}
      ${seen}
      void main() {
        vec2 uv = gl_FragCoord.xy / size;
        vec3 view = rayAt(uv);
        vec3 dir = normalize(view.x * right + view.y * up - view.z * forward);
        color = vec4(${of.light}(index, dir, distanceAt(uv)), 0.0);
      }`,
  });
}

export const glowMaterial = (air: AirUniforms) =>
  airSprites(air, {
    uniforms: "uniform sampler2DArray glowImages;",
    functions: glowGLSL,
    light: "glow",
    ball: `vec4 ball(int i) {
        vec4 at = item(i, ${rows.glows}), nits = item(i, ${rows.glows + 1});
        vec3 to = at.xyz - eye;
        float share = at.w * tanHalf; // of its distance
        return vec4(to, nits.w > 0.5 ? length(to) * share / sqrt(1.0 + share * share) : at.w / 2.0);
      }`,
  });

export const beamMaterial = (air: AirUniforms) =>
  airSprites(air, {
    uniforms: "",
    functions: beamGLSL,
    light: "beam",
    ball: `vec4 ball(int i) {
        vec4 at = item(i, ${rows.beams}), axis = item(i, ${rows.beams + 1}), more = item(i, ${rows.beams + 5});
        float end = at.w + axis.w;
        vec2 breadth = more.y > 0.5 ? vec2(item(i, ${rows.beams + 2}).w, item(i, ${rows.beams + 3}).w) : vec2(end * more.x);
        return vec4(at.xyz + axis.xyz * (at.w + axis.w / 2.0) - eye, length(vec3(breadth, axis.w / 2.0)));
      }`,
  });

/** What fog volumes do to the light of one pixel of each block. */
export function fogMaterial(air: AirUniforms): RawShaderMaterial {
  return new RawShaderMaterial({
    glslVersion: GLSL3,
    depthTest: false,
    depthWrite: false,
    uniforms: {
      ...air,
      ...eyeUniforms(),
      fogBlock: { value: 2 },
    },
    vertexShader: screenVertex,
    fragmentShader: `
      ${airFunctions}
      uniform sampler2D depth;
      uniform float tanHalf, fogBlock;
      uniform vec3 right, up, forward;
      uniform vec2 size;
      out vec4 color;
      ${seen}
      void main() {
        vec2 at = (floor(gl_FragCoord.xy) * fogBlock + 0.5) / size;
        vec3 view = rayAt(at);
        color = volumesAlong(normalize(view.x * right + view.y * up - view.z * forward), distanceAt(at));
      }`,
  });
}

export const screenVertex = `
  precision highp float;
  in vec3 position;
  out vec2 uv;
  void main() { uv = position.xy * 0.5 + 0.5; gl_Position = vec4(position.xy, 0.0, 1.0); }`;

/** Stars and motes: soft dots, as core/shot draws them. */
export function speckMaterial(air: AirUniforms): RawShaderMaterial {
  return new RawShaderMaterial({
    glslVersion: GLSL3,
    depthTest: false,
    depthWrite: false,
    transparent: true,
    uniforms: { ...air, depth: { value: null }, inverse: { value: new Vector2() }, size: { value: new Vector2(1, 1) }, tanHalf: { value: 1 }, projectionMatrix: { value: new Matrix4() }, viewMatrix: { value: new Matrix4() } },
    vertexShader: `
      ${airFunctions}
      uniform mat4 projectionMatrix, viewMatrix;
      uniform vec2 size;
      uniform float tanHalf;
      in vec3 position, nits; // of a star, a direction and lux
      in float sizeM; // under 0 for a star
      out vec3 vNits;
      out vec2 vMiddle;
      out float vSpread, vDistance;
      void main() {
        float pixel = 2.0 * tanHalf / size.y;
        bool star = sizeM < 0.0;
        vec3 to = star ? position : position - eye;
        float distance = length(to), depth = -(viewMatrix * vec4(to, 0.0)).z;
        vec3 dir = to / distance;
        if (depth < (star ? 1e-6 : 0.05) || nits == vec3(0.0)) { gl_Position = vec4(2.0, 2.0, 2.0, 1.0); gl_PointSize = 1.0; return; }
        vDistance = star ? 1e6 : distance;
        float spread = star ? 0.6 : sizeM / depth / pixel / 4.0;
        float strength = star ? 1.0 / (6.28318530718 * 0.36 * pixel * pixel) : min(1.0, spread * spread / 0.36);
        vSpread = clamp(spread, 0.6, 40.0);
        vNits = nits / white * strength * (1.0 - hidden(dir, vDistance));
        vec4 clip = projectionMatrix * viewMatrix * vec4(eye + dir, 1.0);
        vMiddle = (clip.xy / clip.w * 0.5 + 0.5) * size;
        gl_Position = vec4(clip.xy / clip.w, 0.0, 1.0);
        gl_PointSize = 2.0 * ceil(3.0 * vSpread) + 1.0;
      }`,
    fragmentShader: `
      precision highp float;
      uniform sampler2D depth;
      uniform vec2 size;
      uniform float tanHalf;
      in vec3 vNits;
      in vec2 vMiddle;
      in float vSpread, vDistance;
      out vec4 color;
      ${seen}
      void main() {
        vec2 off = gl_FragCoord.xy - vMiddle;
        float d2 = dot(off, off) / (vSpread * vSpread);
        if (d2 >= 9.0 || distanceAt(gl_FragCoord.xy / size) < vDistance * (1.0 - 1e-6)) discard;
        color = vec4(vNits * exp(-d2 / 2.0), 0.0);
      }`,
  });
}
