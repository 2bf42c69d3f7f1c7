import { useEffect, useMemo, useRef, useState, useSyncExternalStore } from "react";
import { keepPreviousData, useMutation, useQueries, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, bytes, take, takeLayers, type AirReport, type Bake, type Document, type LightmapState } from "../api/client";
import { complain } from "../ui/messages";
import { parseLayers } from "../engine/layers";
import type { Range } from "../engine/picking";
import { LayerLoader } from "../model/layerLoader";
import { heard } from "../model/presence";
import { useBench, bench, type Vec } from "../model/bench";

// The bench's server state. Revisions come by events too, so that somebody
// else's edit shows at once.

export function useDocument(id: string) {
  return useQuery({
    queryKey: ["level", id],
    queryFn: () => take(api.GET("/api/v1/levels/{id}", { params: { path: { id } } })),
  });
}

export function useLightmap(id: string, revision: number | undefined) {
  return useQuery({
    queryKey: ["lightmap", id, revision],
    queryFn: () => take(api.GET("/api/v1/levels/{id}/lightmap", { params: { path: { id } } })),
    enabled: revision !== undefined,
    placeholderData: (old: LightmapState | undefined) => old,
  });
}

/** What the checks find, for every platform that a level is for; its own comes first. */
export function useReports(id: string, revision: number | undefined, platforms: readonly string[]) {
  return useQuery({
    queryKey: ["checks", id, revision, ...platforms],
    queryFn: () => take(api.GET("/api/v1/levels/{id}/checks", { params: { path: { id }, query: { platforms: [...platforms] } } })),
    enabled: revision !== undefined,
    placeholderData: (old) => old,
  });
}

export type SceneMesh = {
  geometry: string;
  pageSize: number;
  pages: number;
  ranges: Range[];
  min: number[];
  max: number[];
  positions: Float32Array;
  normals: Float32Array;
  texels: Float32Array;
  albedo: Float32Array;
  emission: Float32Array;
  /** Metres that a wind of 1 m/s takes it, and seconds of a swing. */
  sway: Float32Array;
  /** 1 where the other side has triangles of its own. */
  sides: Float32Array;
  /** Ids of images, and for each vertex u, v, which of them, and its alpha cutoff. */
  imageIDs: string[];
  images: Float32Array;
  /** Roughness and metalness of each vertex. */
  finish: Float32Array;
  waters: Water[];
  puddles: Puddles | null;
};

/** Where water stands on wet ground: for each cell, along x and then z, how high the ground is over the base and how deep the
 *  water on it, as half-floats. */
export type Puddles = { x: number; z: number; cellM: number; width: number; height: number; baseM: number; values: Uint16Array<ArrayBuffer> };

/** A block that water fills: planes that bound it (normal, how far out), how fast light fades in it for each metre, and its waves. */
export type Water = { id: string; planes: [number, number, number, number][]; fades: [number, number, number]; waveM: number; lengthM: number };

function parseScene(data: ArrayBuffer): SceneMesh {
  const length = new DataView(data).getUint32(0, true);
  const head = JSON.parse(new TextDecoder().decode(new Uint8Array(data, 4, length)));
  const n: number = head.vertices;
  let at = 4 + length;
  const next = (perVertex: number) => {
    const values = new Float32Array(data, at, n * perVertex);
    at += n * perVertex * 4;
    return values;
  };
  const mesh = {
    geometry: head.geometry,
    pageSize: head.page_size,
    pages: head.pages,
    ranges: head.ranges,
    min: head.min,
    max: head.max,
    positions: next(3),
    normals: next(3),
    texels: next(3),
    albedo: next(3),
    emission: next(1),
    sway: next(2),
    imageIDs: head.images,
    images: next(4),
    sides: next(1),
    finish: next(2),
    waters: (head.waters as { id: string; planes: Water["planes"]; fades: Water["fades"]; wave_m: number; length_m: number }[]).map(({ wave_m, length_m, ...w }) => ({ ...w, waveM: wave_m, lengthM: length_m })),
  };
  const p = head.puddles as { x: number; z: number; cell_m: number; width: number; height: number; base_m: number } | null;
  return { ...mesh, puddles: p && { x: p.x, z: p.z, cellM: p.cell_m, width: p.width, height: p.height, baseM: p.base_m, values: new Uint16Array(data, at, 2 * p.width * p.height) } };
}

/** What of a level is in its mesh beside the geometry. */
export const sceneColors = (level: Document["document"]) => JSON.stringify([level.materials.map((m) => [m.id, m.color, m.emission, m.image, m.image_m, m.alpha_cutoff, m.roughness, m.metalness, m.porosity, m.water]), level.meshes.map((m) => m.sways), level.environment.wetness, level.environment.mode, level.zones.map((z) => [z.wetness, z.mode])]);

export function useScene(id: string, geometry: string | undefined, colors: string) {
  return useQuery({
    queryKey: ["scene", id, geometry, colors],
    queryFn: async () => parseScene(await bytes(`/api/v1/levels/${id}/scene`)),
    enabled: geometry !== undefined,
    placeholderData: (old: SceneMesh | undefined) => old,
    staleTime: Infinity,
  });
}

/** The light on vertices of the scene that move, as far as there are any. */
export function useMovingLight(id: string, scene: SceneMesh | undefined, state: LightmapState | undefined) {
  const moving = useMemo(() => [...Array((scene?.texels.length ?? 0) / 3).keys()].filter((i) => scene!.texels[3 * i + 2] === -2), [scene]);
  const lit = state?.sources.map((s) => [s.layer, s.weight]);
  return useQuery({
    queryKey: ["moving-light", id, scene?.geometry, lit],
    queryFn: async () => {
      const lux = new Float32Array(await bytes(`/api/v1/levels/${id}/moving-light`));
      const all = new Float32Array(scene!.texels.length);
      moving.forEach((vertex, k) => all.set(lux.subarray(3 * k, 3 * k + 3), 3 * vertex));
      return all;
    },
    enabled: moving.length > 0 && state?.geometry === scene?.geometry,
    placeholderData: (old: Float32Array<ArrayBuffer> | undefined) => (old?.length === scene?.texels.length ? old : undefined),
    staleTime: Infinity,
    gcTime: 60_000,
  });
}

export type Mirrors = {
  /** Of the sharpest step; each of the steps below it is half as wide. */
  width: number;
  steps: number;
  height: number;
  places: { at: Vec; half: Vec }[];
  /** Lights as mirrors show them; at is a direction where they are parallel, and candela lux. */
  lamps: { id: string; at: Vec; parallel: boolean; radius: number; aim: Vec; cosines: [number, number]; range: number; candela: Vec }[];
  pictures: Uint16Array<ArrayBuffer>;
  tableSide: number;
  table: Uint16Array<ArrayBuffer>;
};

function parseMirrors(data: ArrayBuffer): Mirrors {
  const length = new DataView(data).getUint32(0, true);
  const head = JSON.parse(new TextDecoder().decode(new Uint8Array(data, 4, length)));
  const count = 4 * (head.width + 2) * head.height * head.places.length;
  const pictures = new Uint16Array(data, 4 + length, count);
  const table = new Uint16Array(data, 4 + length + 2 * count);
  return { width: head.width, steps: head.steps, height: head.height, places: head.places, lamps: head.lamps, pictures, tableSide: head.table_side, table };
}

/** What the level's materials mirror, in the light as it is saved; nothing is read where none does, nor before light that is on its way is there. */
export function useMirrors(id: string, known: Document["document"], scene: SceneMesh | undefined, state: LightmapState | undefined, onItsWay: boolean) {
  const finish = scene?.finish;
  const mirrors = useMemo(() => finish?.some((v, i) => i % 2 === 0 && v < 1) ?? false, [finish]);
  const lit = state?.sources.map((s) => [s.layer, s.weight]);
  return useQuery({
    queryKey: ["mirrors", id, scene?.geometry, lit, known.reflections, known.environment.sky, known.materials],
    queryFn: async ({ signal }: { signal: AbortSignal }) => parseMirrors(await bytes(`/api/v1/levels/${id}/mirrors`, signal)), // what is newer ends it
    enabled: mirrors && !onItsWay && state?.geometry === scene?.geometry,
    placeholderData: (old: Mirrors | undefined) => old,
    staleTime: Infinity,
    gcTime: 60_000,
  });
}

export type SkyMap = { width: number; height: number; half: Uint16Array };

/** The sky's radiance by direction, for a luminance of 1. */
export function useSky(id: string, level: Document["document"]) {
  const { luminance: _, ...sky } = level.environment.sky;
  return useQuery({
    queryKey: ["sky", id, sky, level.environment.sun],
    queryFn: async (): Promise<SkyMap> => {
      const data = await bytes(`/api/v1/levels/${id}/sky`);
      const [width, height] = new Uint32Array(data, 0, 2) as unknown as [number, number];
      return { width, height, half: new Uint16Array(data, 8) };
    },
    placeholderData: (old: SkyMap | undefined) => old,
    staleTime: Infinity,
    gcTime: 60_000,
  });
}

/** The air as plain numbers, at the newest revision. */
export function useAir(id: string, revision: number) {
  return useQuery({
    queryKey: ["air", id, revision],
    queryFn: () => take(api.GET("/api/v1/levels/{id}/air", { params: { path: { id } } })),
    placeholderData: (old: AirReport | undefined) => old,
    staleTime: Infinity,
    gcTime: 60_000,
  });
}

/** The light in fog volumes, stacked; places are first layer and cells of each. */
export type FogBlock = { revision: number; size: [number, number, number]; places: [number, number, number, number][]; scale: number; light: Uint16Array<ArrayBuffer>; toward: Uint16Array<ArrayBuffer> };

export function parseFog(data: ArrayBuffer, revision: number, volumes: number): FogBlock {
  const head = new Uint32Array(data, 0, 3 + 4 * volumes);
  const size: FogBlock["size"] = [head[0]!, head[1]!, head[2]!];
  const places = Array.from({ length: volumes }, (_, i) => [...head.subarray(3 + 4 * i, 7 + 4 * i)] as FogBlock["places"][number]);
  const at = 4 * head.length;
  const scale = new DataView(data).getFloat32(at, true);
  const n = 4 * size[0] * size[1] * size[2];
  return { revision, size, places, scale, light: new Uint16Array(data, at + 4, n), toward: new Uint16Array(data, at + 4 + 2 * n, n) };
}

export function useFog(id: string, report: AirReport | undefined) {
  return useQuery({
    queryKey: ["fog", id, report?.revision],
    queryFn: async () => parseFog(await bytes(`/api/v1/levels/${id}/fog`), report!.revision, report!.air.volumes.length),
    enabled: (report?.costs.length ?? 0) > 0,
    placeholderData: (old: FogBlock | undefined) => old,
    staleTime: Infinity,
    gcTime: 60_000,
  });
}

/** What some sources alone show in the fog, as far as it is read. */
export function useFogOf(id: string, report: AirReport | undefined, sources: readonly string[]) {
  return useQueries({
    queries: sources.map((source) => ({
      queryKey: ["fog-of", id, report?.revision, source],
      queryFn: async () => parseFog(await bytes(`/api/v1/levels/${id}/fog?source=${encodeURIComponent(source)}`), report!.revision, report!.air.volumes.length),
      enabled: report !== undefined,
      staleTime: Infinity,
      gcTime: 60_000,
    })),
    combine: (results) => new Map(sources.flatMap((s, i) => (results[i]?.data ? [[s, results[i].data] as const] : []))),
  });
}

/** Images of a level, all of one size, as bytes. */
export type Pixels = { side: number; ids: readonly string[]; pixels: Uint8Array };

export function usePixels(images: Document["document"]["images"], ids: readonly string[], side: number) {
  return useQuery({
    queryKey: ["pixels", ids, side],
    queryFn: async (): Promise<Pixels> => {
      const pixels = new Uint8Array(4 * side * side * ids.length);
      for (const [i, id] of ids.entries()) {
        const data = Uint8Array.from(atob(images.find((v) => v.id === id)!.data), (c) => c.charCodeAt(0));
        const picture = await createImageBitmap(new Blob([data]), { resizeWidth: side, resizeHeight: side, premultiplyAlpha: "none" });
        const canvas = new OffscreenCanvas(side, side).getContext("2d")!;
        canvas.drawImage(picture, 0, 0);
        pixels.set(canvas.getImageData(0, 0, side, side).data, 4 * side * side * i);
      }
      return { side, ids, pixels };
    },
    enabled: ids.length > 0,
    staleTime: Infinity,
  });
}

export function usePlatforms() {
  return useQuery({ queryKey: ["platforms"], queryFn: () => take(api.GET("/api/v1/platforms")) });
}

/** How light it is where players walk, by the level's own platform. */
export function useGround(id: string, revision: number, wanted: boolean) {
  return useQuery({
    queryKey: ["ground", id, revision],
    enabled: wanted,
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) => take(api.GET("/api/v1/levels/{id}/ground", { params: { path: { id } }, signal })),
  });
}

/** What the platforms are called where one is chosen. */
export const usePlatformNames = () => (usePlatforms().data?.items ?? []).map((p) => p.ref);

/** What a file that comes in may be read with. */
export function useReadingChoices() {
  const platforms = usePlatformNames();
  const rules = useQuery({ queryKey: ["presets", "import_rules"], queryFn: () => take(api.GET("/api/v1/presets", { params: { query: { kind: ["import_rules"], limit: 100 } } })) });
  return { platforms, rules: (rules.data?.items ?? []).map((p) => `${p.owner}/${p.name}`) };
}

/** Seconds that go by while playing, about twenty times a second. */
export function useSeconds(playing: boolean) {
  const [seconds, setSeconds] = useState(0);
  const reached = useRef(0); // where playing goes on
  useEffect(() => {
    if (!playing) return;
    const from = performance.now() - reached.current * 1000;
    const timer = setInterval(() => {
      reached.current = (performance.now() - from) / 1000;
      setSeconds(reached.current);
    }, 50);
    return () => clearInterval(timer);
  }, [playing]);
  return seconds;
}

/** The layers of a lightmap, each read once, and what is in the way of reading them. */
export function useLayers(id: string, state: LightmapState | undefined) {
  const loader = useMemo(() => new LayerLoader(async (wanted, signal) => parseLayers(await takeLayers(id, wanted, signal))), [id]);
  useEffect(() => {
    loader.want((state?.sources ?? []).flatMap((s) => (s.layer ? [{ source: s.id, key: s.layer }] : [])));
  }, [loader, state]);
  useEffect(() => () => loader.close(), [loader]);
  return useSyncExternalStore(loader.subscribe, loader.snapshot);
}

export function useStartBake(id: string) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (quality: "draft" | "good" | "final") => take(api.POST("/api/v1/levels/{id}/bakes", { params: { path: { id } }, body: { quality } })),
    onSuccess: (b: Bake) => queries.setQueryData<Bake | null>(["bake-now", id], (now) => newer(now, b)),
    onSettled: () => queries.invalidateQueries({ queryKey: ["lightmap", id] }),
    onError: complain,
  });
}

export const isOver = (b: Bake) => b.state === "done" || b.state === "cancelled" || b.state === "failed";

/** Answers and events overtake each other; a bake that is over stays so. */
function newer(now: Bake | null | undefined, b: Bake): Bake {
  return now?.id === b.id && isOver(now) ? now : b;
}

/** The bake that runs or ran last. Events feed it; asking now and then makes up
 *  for one that was missed. */
export function useBakeNow(id: string) {
  const queries = useQueryClient();
  return useQuery<Bake | null>({
    queryKey: ["bake-now", id],
    queryFn: async () => {
      const now = queries.getQueryData<Bake | null>(["bake-now", id]);
      if (!now || isOver(now)) return now ?? null;
      const b = await take(api.GET("/api/v1/bakes/{id}", { params: { path: { id: now.id } } }));
      if (isOver(b)) queries.invalidateQueries({ queryKey: ["lightmap", id] });
      return b;
    },
    refetchInterval: (q) => (q.state.data && !isOver(q.state.data) ? 2000 : false),
    staleTime: Infinity,
    initialData: null,
  });
}

const reopenMs = 3000;

export function useEvents(id: string) {
  const queries = useQueryClient();
  const [opened, setOpened] = useState(0);
  useEffect(() => {
    const stream = new EventSource(`/api/v1/levels/${id}/events`);
    let again: ReturnType<typeof setTimeout> | undefined;
    // A browser tries again where the service is away, but not where it answered something else.
    stream.addEventListener("error", () => {
      if (stream.readyState === EventSource.CLOSED) again = setTimeout(() => setOpened((n) => n + 1), reopenMs);
    });
    stream.addEventListener("revision", (e) => {
      const { revision } = JSON.parse((e as MessageEvent).data);
      const have = queries.getQueryData<Document>(["level", id]);
      if (!have || have.level.revision < revision) queries.invalidateQueries({ queryKey: ["level", id] });
    });
    stream.addEventListener("presence", (e) => void heard(JSON.parse((e as MessageEvent).data), Date.now()));
    stream.addEventListener("shot", (e) => {
      const { watch, done } = JSON.parse((e as MessageEvent).data);
      queries.setQueryData<number>(["shot-done", watch], (was) => Math.max(was ?? 0, done));
    });
    stream.addEventListener("bake", (e) => {
      const bake: Bake = JSON.parse((e as MessageEvent).data);
      queries.setQueryData<Bake | null>(["bake-now", id], (now) => newer(now, bake));
      if (bake.state !== "queued") queries.invalidateQueries({ queryKey: ["lightmap", id] });
      if (bake.state === "failed") complain(new Error(bake.error));
    });
    stream.addEventListener("talk", () => {
      for (const key of ["comments", "reviews"]) queries.invalidateQueries({ queryKey: [key, id] });
    });
    // After a break anything may have happened.
    stream.addEventListener("open", () => queries.invalidateQueries({ queryKey: ["level", id] }));
    return () => {
      clearTimeout(again);
      stream.close();
    };
  }, [id, queries, opened]);
}

/** Whether the bake of a revision ended without its light. */
export const hasStopped = (now: Bake | null | undefined, state: LightmapState | undefined) => (now?.state === "cancelled" || now?.state === "failed") && now.revision === state?.revision;

/** Bakes what an edit made stale, at draft, so that the view follows the hand. */
export function useAutoBake(id: string, state: LightmapState | undefined, canBake: boolean) {
  const { mutate, isPending } = useStartBake(id);
  const auto = useBench((s) => s.autoBake);
  const now = useBakeNow(id).data;
  const running = now && !isOver(now);
  const stale = state?.stale ?? 0;
  const stopped = hasStopped(now, state);
  const asked = useRef(""); // for what a bake was last asked, so that a refusal is not repeated
  const what = `${state?.revision} ${stale} ${auto}`;
  useEffect(() => {
    if (!auto || stale === 0 || !canBake || running || stopped || isPending || asked.current === what) return;
    asked.current = what;
    mutate("draft");
  }, [what, auto, stale, canBake, running, stopped, isPending, mutate]);
}

/** How far some shots are together, 0 to 1. */
export function useShotsDone(watches: readonly string[]): number {
  return useQueries({
    queries: watches.map((w) => ({ queryKey: ["shot-done", w], queryFn: () => 0, enabled: false, initialData: 0, gcTime: 0 })),
    combine: (all) => all.reduce((sum, one) => sum + one.data, 0) / all.length,
  });
}

const pointText = (v: readonly number[]) => v.map((x) => x.toFixed(5)).join(",");
const vec = (v: readonly number[]): Vec => [v[0]!, v[1]!, v[2]!];

export async function askPoint(id: string, point: readonly number[], normal: readonly number[]) {
  const asked = { point: vec(point), normal: vec(normal) };
  const isAskedStill = () => bench.get().ledger?.point === asked.point; // an older answer may come after a newer question
  bench.set({ panel: "ledger", line: null, ledger: { ...asked, answer: null } });
  try {
    const answer = await take(api.GET("/api/v1/levels/{id}/ledger", { params: { path: { id }, query: { point: pointText(point), normal: pointText(normal) } } }));
    if (isAskedStill()) bench.set({ ledger: { ...asked, answer } });
  } catch (error) {
    if (isAskedStill()) bench.set({ ledger: null });
    complain(error);
  }
}

const linePlaces = 48;

/** Asks for the light along the line between two points, as of a surface that faces the first one's
 *  normal. */
export async function askLine(id: string, from: readonly number[], to: readonly number[], normal: readonly number[]) {
  const asked = { from: vec(from), to: vec(to), normal: vec(normal) };
  const isAskedStill = () => bench.get().line?.from === asked.from;
  bench.set({ panel: "ledger", line: { ...asked, answer: null } });
  try {
    const query = { from: pointText(from), to: pointText(to), normal: pointText(normal), places: linePlaces };
    const answer = await take(api.GET("/api/v1/levels/{id}/line", { params: { path: { id }, query } }));
    if (isAskedStill()) bench.set({ line: { ...asked, answer } });
  } catch (error) {
    if (isAskedStill()) bench.set({ line: null });
    complain(error);
  }
}
