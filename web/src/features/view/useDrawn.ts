import { useCallback, useEffect, useLayoutEffect, useMemo, useRef, useState } from "react";
import type { Document, Level, LightmapState } from "../../api/client";
import { linear } from "../../engine/color";
import { flickerAt } from "../../engine/flicker";
import { withChanges } from "../../engine/fog";
import type { Preview } from "../../engine/layers";
import { Mix, type Weight } from "../../engine/mix";
import type { Stage } from "../../engine/stage";
import { stripOf, weightOf } from "../../engine/weights";
import { useBench } from "../../model/bench";
import { changeBetween, unchanged } from "../../model/moved";
import { pendingLive } from "../../model/pending";
import type { Session } from "../session";
import { useAirPreview } from "./useAirPreview";
import { usePreview } from "./usePreview";
import { useLate } from "./useLate";
import { useAir, useFog, useFogOf, useLayers, useMirrors, useMovingLight, usePixels, usePlatforms, useScene, sceneColors, useSeconds, useSky, useBakeNow, hasStopped } from "../data";

// What the view shows of the level: its mesh, the mix of its layers, its air and look. Each
// part is read as it is needed and handed to the stage.

/** Draws the level; the answer is its mesh, once it is read, and what is deleted but still in it. */
export function useDrawn(stage: Stage | null, host: HTMLElement | null, doc: Document, session: Session, state: LightmapState | undefined) {
  const saved = session.saved ?? doc;
  const level = doc.document;
  const known = saved.document; // what the service answers is of this
  const { mode, muted, solo, exposure, lookOn, airOn, mirrorsOn, playing, display, ghost } = useBench();
  const dragged = useBench((s) => s.live);
  const live = useMemo(() => ({ ...pendingLive(level, state), ...dragged }), [level, state, dragged]);
  const lightMax = usePlatforms().data?.items.find((p) => p.ref === display)?.profile.display.light_max ?? 0;

  // Colours and sway are in the mesh, and are no part of the geometry's name.
  const colors = useMemo(() => sceneColors(known), [known]);
  const scene = useScene(doc.level.id, state?.geometry, colors).data;
  const { layers, trouble } = useLayers(doc.level.id, state);
  const mix = useMemo(() => (scene ? new Mix(scene.pageSize, scene.pages) : null), [scene]);
  // While the light of a change is on its way, things keep the light that they had.
  const follows = useBench((s) => s.autoBake);
  const stopped = hasStopped(useBakeNow(doc.level.id).data, state);
  const own = state !== undefined && state.geometry === scene?.geometry && state.stale === 0 && layers.length >= state.sources.length;
  const standIn = follows && !stopped && !own;
  const [stands, setStands] = useState(false);
  useLayoutEffect(() => {
    // Before a frame can be drawn: it would show the level unlit, as if there were no light.
    if (stage && scene && mix) setStands(stage.setScene(scene, mix, standIn));
  }, [stage, scene, mix, standIn]);
  useEffect(() => {
    if (standIn) return;
    stage?.showOwnLight(own);
    setStands(false);
  }, [stage, scene, mix, standIn, own]);

  // Blocks and meshes follow the hand before they are laid out again.
  const laid = useRef<{ scene: typeof scene; level: Level } | null>(null); // the level that the mesh is of
  const [gone, setGone] = useState<readonly string[]>([]);
  useEffect(() => {
    if (!stage || !scene) return;
    if (state?.geometry === scene.geometry && state.revision === saved.level.revision) laid.current = { scene, level: known };
    const change = laid.current?.scene === scene ? changeBetween(laid.current.level, level) : unchanged;
    stage.setMoved(change.moved);
    setGone((before) => (before.join() === change.gone.join() ? before : change.gone));
  }, [stage, scene, mix, state, saved.level.revision, known, level]);

  // Without any light yet the level shows unlit, and the view says so.
  const baked = state?.sources.filter((s) => s.layer).length ?? 0; // layers that the service has
  const isDark = state !== undefined && state.sources.length > 0 && state.stale === 0 && baked === 0; // there is nothing to wait for
  const lit = stands || layers.length > 0 || isDark;
  const shownMode = mode === "final" && !lit ? "unlit" : mode;
  useEffect(() => stage?.setMode(shownMode), [stage, scene, mix, shownMode]);
  useEffect(() => {
    if (host) host.dataset.light = stands ? "before" : "own";
  }, [host, stands]);

  const movingLight = useMovingLight(doc.level.id, scene, state).data;
  useEffect(() => {
    if (movingLight) stage?.setMovingLight(movingLight);
  }, [stage, movingLight, scene, mix]);

  const mirrors = useMirrors(doc.level.id, known, mirrorsOn ? scene : undefined, state, standIn).data;
  useEffect(() => {
    stage?.setMirrors((mirrorsOn && mirrors) || null);
    if (host && mirrors) host.dataset.mirrors = String(mirrors.places.length);
  }, [stage, host, mirrors, mirrorsOn, scene, mix]);

  const inHand = session.inGesture || ghost !== null || Object.keys(dragged).length > 0;
  useEffect(() => stage?.hold(inHand), [stage, inHand]);

  const seconds = useSeconds(playing);
  const lights = level.lights;
  // A level without flicker is the same at all times, and need not be mixed again.
  const at = lights.some((l) => l.flicker && l.enabled) ? seconds : 0;
  const flicker = useCallback(
    (id: string) => {
      const f = playing ? lights.find((l) => l.id === id)?.flicker : undefined;
      return f ? flickerAt(f, at, id) : 1;
    },
    [playing, lights, at],
  );

  const [previews, setPreviews] = useState<Record<string, Preview>>({});
  usePreview(session, ghost, useCallback((p: Preview) => setPreviews((all) => ({ ...all, [p.id]: p })), []));
  // A preview holds until its change is saved, or what would be placed is not pointed at any more.
  const ghosts = ghost?.lights.join("\n") ?? "";
  useEffect(() => {
    if (session.waiting > 0) return;
    const kept = new Set(ghosts.split("\n"));
    setPreviews((all) => (Object.keys(all).every((id) => kept.has(id)) ? all : Object.fromEntries(Object.entries(all).filter(([id]) => kept.has(id)))));
  }, [session.waiting, ghosts]);

  // The mix: layers as they come, weights as they are dragged. Layers of another
  // layout wait for their scene.
  useEffect(() => {
    if (!mix || !state || !scene || state.geometry !== scene.geometry) return;
    const anySolo = Object.values(solo).some(Boolean);
    const now: Record<string, Weight> = {};
    const newest = state.revision === doc.level.revision;
    if (session.waiting === 0 && newest) mix.settle();
    // The list of sources is older than a light that was just placed.
    let changed = mix.keepOnly(new Set([...state.sources, ...(newest ? [] : lights), ...Object.values(previews)].map((s) => s.id)));
    for (const { source, key, layer } of layers) {
      if (layer.pageSize === mix.pageSize && layer.pages === mix.pages) mix.setLayer(source, key, layer);
    }
    for (const p of Object.values(previews)) {
      if (p.geometry === scene.geometry && mix.takesPreview(p)) {
        changed = true;
        if (host) host.dataset.previews = String(Number(host.dataset.previews ?? 0) + 1);
      }
    }
    const placed = Object.values(previews).filter((p) => !state.sources.some((s) => s.id === p.id));
    for (const p of placed) changed = mix.setWeight(p.id, p.weight as unknown as Weight) || changed;
    for (const s of state.sources) {
      const strip = stripOf(s); // the patches of a sky move together
      const k = flicker(s.id);
      const [r, g, b] = weightOf(s, live[strip], muted[strip] ?? false, anySolo && !solo[strip]);
      now[s.id] = [r * k, g * k, b * k];
      changed = mix.setWeight(s.id, now[s.id]!) || changed;
    }
    stage?.setLampLight(now);
    if (changed) stage?.refresh();
  }, [stage, host, mix, scene, state, layers, lights, live, muted, solo, flicker, previews, session.waiting, doc.level.revision]);

  const read = useAir(doc.level.id, doc.level.revision).data;
  const tried = useAirPreview(session, ghost, read);
  // The fog's own light is that of the last revision, wherever its volumes are dragged.
  const report = useMemo(() => (tried && read ? { ...tried, revision: read.revision, costs: read.costs } : read), [tried, read]);
  const fog = useFog(doc.level.id, report).data ?? null;
  // What each source that shows in fog weighs now, times what it weighs as saved.
  const inFog = useMemo(() => {
    const shown = new Set(airOn ? report?.costs.flatMap((c) => c.sources) : []);
    const anySolo = Object.values(solo).some(Boolean);
    return (state?.sources ?? [])
      .filter((s) => shown.has(s.id))
      .map((s) => {
        const now = weightOf(s, live[s.id], muted[s.id] ?? false, anySolo && !solo[s.id]);
        const k = flicker(s.id);
        return { id: s.id, times: now.map((w, i) => (s.weight[i] ? (w * k) / s.weight[i]! : 1)) as unknown as Weight };
      })
      .filter(({ times }) => times.some((v) => v !== 1));
  }, [report, airOn, state, live, muted, solo, flicker]);
  const owns = useFogOf(doc.level.id, report, inFog.map((s) => s.id));
  const fogNow = useMemo(() => {
    if (!fog) return null;
    const changes = inFog.flatMap(({ id, times }) => (owns.get(id)?.revision === fog.revision ? [{ own: owns.get(id)!, times }] : []));
    return withChanges(fog, changes);
  }, [fog, inFog, owns]);
  const glowing = useMemo(() => level.images.filter((v) => level.glows.some((g) => g.shape === "image" && g.image === v.id)).map((v) => v.id), [level.images, level.glows]);
  const images = usePixels(level.images, glowing, 128).data ?? null;
  const painted = usePixels(level.images, scene?.imageIDs ?? [], 512).data;
  useEffect(() => {
    if (painted) stage?.setImages(painted);
  }, [stage, painted, scene, mix]);
  useEffect(() => {
    if (!report) return;
    const byID = new Map((state?.sources ?? []).map((s) => [s.id, s]));
    const anySolo = Object.values(solo).some(Boolean);
    // What follows a light is as that light is now, also while it is dragged.
    const tint = (source: string | undefined, own: readonly number[]) => {
      const from = source ? byID.get(source) : undefined;
      if (!from) return own;
      const lit = weightOf(from, live[from.id], muted[from.id] ?? false, anySolo && !solo[from.id]).some((w) => w > 0);
      const color = live[from.id]?.color;
      return lit ? (color ? linear(color) : own.some((v) => v > 0) ? own : from.color) : [0, 0, 0];
    };
    const shown = fogNow && fogNow.revision === report.revision ? fogNow : null;
    stage?.setAir({ report, zones: level.zones, fog: shown, images, tint, exposure, look: lookOn, air: airOn, seconds }, lightMax);
    if (host && tried) host.dataset.tried = "";
    else delete host?.dataset.tried;
    if (host && (shown || report.costs.length === 0)) host.dataset.air = String(report.revision);
  }, [stage, host, report, tried, fogNow, images, level.zones, state, live, muted, solo, exposure, lookOn, airOn, seconds, lightMax]);

  useEffect(() => {
    stage?.setSkyNits((live.sky?.strength ?? level.environment.sky.luminance) * (muted.sky ? 0 : 1));
  }, [stage, level.environment.sky.luminance, live.sky, muted.sky]);

  const sky = useSky(doc.level.id, known).data;
  useEffect(() => {
    if (sky) stage?.setSky(sky);
  }, [stage, sky]);

  const waits = scene !== undefined && state !== undefined && (state.revision < saved.level.revision || state.geometry !== scene.geometry);
  const behind = useLate(waits, 800);
  const stood = useLate(stands, 1500);
  const reading = readingText({ behind, stood, trouble, lit, here: layers.length, baked });
  return { scene, gone, lit, reading };
}

type Reading = { behind: boolean; stood: boolean; trouble: string; lit: boolean; here: number; baked: number };

/** What the view says while something that it shows is still on its way; "" if nothing is. */
function readingText({ behind, stood, trouble, lit, here, baked }: Reading): string {
  if (behind) return "The changed level is made ready. The picture is of before.";
  if (stood) return "The light is of before the change. A draft is on its way.";
  if (trouble) return `Some light is missing, and is asked for again: ${trouble}`;
  if (!lit && baked > 0) return "Its light is on its way: shown unlit.";
  if (baked - here > 64) return `Reading light: ${here} of ${baked} layers`;
  return "";
}
