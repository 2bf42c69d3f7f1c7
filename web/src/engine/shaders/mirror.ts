import { DataArrayTexture, DataTexture, HalfFloatType, LinearFilter, RGBAFormat, RGFormat, Vector3, Vector4 } from "three";
import type { Mirrors } from "../../features/data";

/** The most places from which is captured what surfaces mirror, as core/mirror has it. */
const mostPlaces = 64;

/** The most lamps that are mirrored at once, and while something moves on a slow machine: those that seem brightest
 *  from the camera. A highlight has a bit for each: 32 at most. */
export const mostLamps = 24;
export const mostLampsInHaste = 3;

/** What surfaces mirror, as core/mirror has it. It wants uniforms of `mirrorUniforms`, and PI. */
export const mirrorGLSL = `
  uniform highp sampler2DArray mirrors;
  uniform highp sampler2D mirrorTable;
  uniform vec3 mirrorAt[${mostPlaces}], mirrorHalf[${mostPlaces}];
  uniform int mirrorPlaces, mirrorSteps;
  uniform vec2 mirrorSize; // width of the sharpest step, height of all
  uniform float tableSide;

  float mirrorShare(float roughness) { return clamp((1.0 - roughness) / 0.3, 0.0, 1.0); }

  // x weighs F0 and y is added, of an even surrounding.
  vec2 mirrorLobe(float roughness, float cosine) {
    vec2 at = vec2(sqrt(clamp(cosine, 0.0, 1.0)), roughness) * (tableSide - 1.0) + 0.5;
    return texture(mirrorTable, at / tableSide).xy;
  }

  // way: azimuth from 0 to 1, the middle north, and angle from the zenith over pi
  vec3 mirrorStep(int place, int step, vec2 way) {
    float width = mirrorSize.x / exp2(float(step));
    float top = mirrorSize.x * (1.0 - exp2(-float(step))); // of all steps above it
    float x = 1.0 + way.x * width;
    float y = top + clamp(way.y * width / 2.0, 0.5, width / 2.0 - 0.5);
    return textureLod(mirrors, vec3(x / (mirrorSize.x + 2.0), y / mirrorSize.y, place), 0.0).rgb;
  }

  // The smallest box round a point, or else the nearest.
  int mirrorServing(vec3 at) {
    int best = -1;
    float least = 3e38;
    for (int i = 0; i < mirrorPlaces; i++) {
      vec3 to = at - mirrorAt[i], inner = mirrorHalf[i];
      bool inside = all(lessThanEqual(abs(to), inner));
      float order = inside ? inner.x * inner.y * inner.z * 1e-12 : 1e9 + length(to) * 1e3;
      if (order < least) { least = order; best = i; }
    }
    return best;
  }

  vec3 mirrored(vec3 at, vec3 dir, float roughness) {
    int place = mirrorServing(at);
    if (place < 0) return vec3(0.0);
    vec3 to = at - mirrorAt[place], inner = mirrorHalf[place], d = dir;
    if (all(lessThanEqual(abs(to), inner))) {
      vec3 far = (sign(dir) * inner - to) / dir;
      if (dir.x == 0.0) far.x = 3e38;
      if (dir.y == 0.0) far.y = 3e38;
      if (dir.z == 0.0) far.z = 3e38;
      d = normalize(to + dir * min(far.x, min(far.y, far.z)));
    }
    float step = clamp(roughness, 0.0, 1.0) * float(mirrorSteps - 1);
    int k = min(int(step), mirrorSteps - 2);
    vec2 way = vec2(0.5 + atan(d.x, -d.z) / (2.0 * PI), acos(clamp(d.y, -1.0, 1.0)) / PI);
    return mix(mirrorStep(place, k, way), mirrorStep(place, k + 1, way), step - float(k));
  }
`;

/** Lamps that surfaces mirror. There are no rays here for their shadows. So where a place gets less light than
 *  a lamp alone would give it, the lamp counts as hidden from it. */
export const highlightGLSL = `
  uniform int lampCount;
  uniform vec4 lampAt[${mostLamps}], lampAim[${mostLamps}]; // w: radius, negative of parallel light; 1 over the square of its range, or 0
  uniform vec4 lampLight[${mostLamps}]; // w: cosine where it begins to fade
  uniform float lampEnd[${mostLamps}]; // cosine where it ends

  vec3 highlights(vec3 at, vec3 n, vec3 toEye, vec3 base, vec2 finish, float plain, float lux) {
    float view = dot(n, toEye);
    if (view <= 0.0) return vec3(0.0);
    vec3 ray = reflect(-toEye, n), sum = vec3(0.0), f0 = mix(vec3(plain), base, finish.y);
    float a = max(finish.x * finish.x, 0.002);
    uint left = 0u; // a bit for each lamp that reaches the place: the loop below goes over those alone
    for (int i = 0; i < lampCount; i++) {
      vec4 lamp = lampAt[i];
      vec3 to = lamp.w < 0.0 ? lamp.xyz : lamp.xyz - at;
      if (dot(n, to) + abs(lamp.w) > 0.0 && (lamp.w < 0.0 || dot(to, to) * lampAim[i].w < 1.0)) left |= 1u << i;
    }
    for (; left != 0u; left &= left - 1u) {
      int i = int(log2(float(left & (~left + 1u))) + 0.5); // of the lowest bit
      vec4 lamp = lampAt[i], candela = lampLight[i];
      bool parallel = lamp.w < 0.0;
      vec3 to = parallel ? lamp.xyz : lamp.xyz - at;
      float radius = abs(lamp.w), facing = dot(n, to), d2 = max(dot(to, to), 1e-6), d = sqrt(d2), far2 = d2 * lampAim[i].w;
      float falls = parallel ? 1.0 : (1.0 - far2 * far2) / d2;
      if (!parallel && candela.w > -1.0) {
        float cone = clamp((dot(-to, lampAim[i].xyz) / d - lampEnd[i]) / max(candela.w - lampEnd[i], 1e-4), 0.0, 1.0);
        if (cone == 0.0) continue;
        falls *= cone * cone;
      }
      float straight = dot(candela.rgb, vec3(0.2126, 0.7152, 0.0722)) * falls * max(facing, 0.0) / d;
      float visible = smoothstep(0.4, 0.9, lux / max(straight, 1e-9));
      if (visible <= 0.0) continue;
      vec3 aside = ray * dot(to, ray) - to;
      vec3 light = normalize(to + aside * min(radius / max(length(aside), 1e-6), 1.0));
      float cosine = dot(n, light);
      if (cosine <= 0.0) continue;
      float wide = min(a + radius / (2.0 * d), 1.0);
      vec3 middle = normalize(light + toEye), across = cross(n, middle);
      float along = dot(n, middle), spread = dot(across, across) + along * along * a * a;
      float density = a * a / (PI * spread * spread) * (a / wide) * (a / wide);
      float masked = 0.5 / (cosine * sqrt(view * view * (1.0 - a * a) + a * a) + view * sqrt(cosine * cosine * (1.0 - a * a) + a * a));
      float fresnel = pow(1.0 - min(dot(light, middle), 1.0), 5.0);
      sum += visible * falls * density * masked * cosine * candela.rgb * (f0 + (1.0 - f0) * fresnel);
    }
    return mirrorShare(finish.x) * sum;
  }
`;

export function mirrorUniforms() {
  const none = new DataArrayTexture(new Uint16Array(4), 1, 1, 1);
  none.format = RGBAFormat;
  none.type = HalfFloatType;
  none.needsUpdate = true;
  const places = () => Array.from({ length: mostPlaces }, () => new Vector3());
  const lamps = () => Array.from({ length: mostLamps }, () => new Vector4());
  return {
    mirrors: { value: none },
    mirrorTable: { value: new DataTexture(new Uint8Array(4), 1, 1) },
    mirrorAt: { value: places() },
    mirrorHalf: { value: places() },
    mirrorPlaces: { value: 0 },
    mirrorSteps: { value: 2 },
    mirrorSize: { value: [4, 4] },
    tableSide: { value: 1 },
    lampCount: { value: 0 },
    lampAt: { value: lamps() },
    lampAim: { value: lamps() },
    lampLight: { value: lamps() },
    lampEnd: { value: new Array<number>(mostLamps).fill(0) },
  };
}

/** Hands what surfaces mirror to the uniforms of a material. */
export function setMirrors(u: ReturnType<typeof mirrorUniforms>, m: Mirrors) {
  freeMirrors(u);
  const pictures = new DataArrayTexture(m.pictures, m.width + 2, m.height, Math.max(m.places.length, 1));
  pictures.format = RGBAFormat;
  const table = new DataTexture(m.table, m.tableSide, m.tableSide, RGFormat);
  for (const t of [pictures, table]) {
    t.type = HalfFloatType;
    t.minFilter = t.magFilter = LinearFilter;
    t.needsUpdate = true;
  }
  u.mirrors.value = pictures;
  u.mirrorTable.value = table;
  m.places.slice(0, mostPlaces).forEach((p, i) => {
    u.mirrorAt.value[i]!.set(...p.at);
    u.mirrorHalf.value[i]!.set(...p.half);
  });
  u.mirrorPlaces.value = Math.min(m.places.length, mostPlaces);
  u.mirrorSteps.value = m.steps;
  u.mirrorSize.value = [m.width, m.height];
  u.tableSide.value = m.tableSide;
}

/** Hands the lamps that seem brightest from a place to the uniforms, so many at most, with what each sends now. */
export function setLamps(u: ReturnType<typeof mirrorUniforms>, lamps: Mirrors["lamps"], now: Record<string, readonly [number, number, number]>, eye: Vector3, most = mostLamps) {
  const seems = (l: Mirrors["lamps"][number]) => {
    const d2 = l.parallel ? 1 : eye.distanceToSquared({ x: l.at[0], y: l.at[1], z: l.at[2] });
    return Math.max(...l.candela) / Math.max(d2, 1e-4);
  };
  const chosen = lamps.length <= most ? lamps : lamps.map((l) => ({ l, by: seems(l) })).sort((a, b) => b.by - a.by).slice(0, most).map(({ l }) => l);
  chosen.forEach((l, i) => {
    u.lampAt.value[i]!.set(...l.at, l.parallel ? -l.radius : l.radius);
    u.lampAim.value[i]!.set(...l.aim, l.range > 0 ? 1 / (l.range * l.range) : 0);
    u.lampLight.value[i]!.set(...(now[l.id] ?? l.candela), l.cosines[0]);
    u.lampEnd.value[i] = l.cosines[1];
  });
  u.lampCount.value = chosen.length;
}

/** Gives what the uniforms hold on the card back. */
export function freeMirrors(u: ReturnType<typeof mirrorUniforms>) {
  u.mirrors.value.dispose();
  u.mirrorTable.value.dispose();
}
