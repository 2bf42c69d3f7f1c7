import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import type { Document, Light, LightmapState } from "../../api/client";
import { complain } from "../../ui/messages";
import { askPoint, useAir, useFog, useFogOf, useLayers, useMovingLight, usePixels, usePlatforms, useScene, useSeconds, useSky } from "../data";
import { flickerAt } from "../flicker";
import { withChanges } from "../fog";
import { icons, kinds } from "../kinds";
import { linear, Mix, swatch, type Weight } from "../layers";
import { bench, camera, useBench, type ViewMode } from "../store";
import { stripOf, weightOf } from "../weights";
import { reachLines } from "./reach";
import { Stage } from "./stage";

const modeNames: [ViewMode, string, string][] = [
  ["unlit", "Unlit", "1"],
  ["final", "Lit", "2"],
  ["light", "Light alone", "3"],
  ["brightness", "Brightness", "4"],
  ["texels", "Texels", "5"],
];

export function View({ doc, state, onPlace, onAimSun }: { doc: Document; state: LightmapState | undefined; onPlace: (on: { at: number[]; normal: number[] }) => void; onAimSun: (toSun: number[]) => void }) {
  const level = doc.document;
  const host = useRef<HTMLDivElement>(null);
  const overlay = useRef<HTMLDivElement>(null);
  const stage = useRef<Stage | null>(null);
  const [broken, setBroken] = useState("");
  const { mode, markers, selected, live, muted, solo, exposure, goal, placing, lookOn, airOn, playing, display } = useBench();
  const lightMax = usePlatforms().data?.items.find((p) => p.profile.name === display)?.profile.display.light_max ?? 0;
  const hint = placing && { rig: `Click where ${placing.name} goes. Esc leaves.`, "sun-at": "Click where in the sky the sun should stand. Esc leaves.", "sun-on": "Click what the sun should strike, coming from where you stand. Esc leaves." }[placing.kind];

  // Colours and sway are in the mesh, and are no part of the geometry's name.
  const colors = useMemo(
    () => JSON.stringify([level.materials.map((m) => [m.id, m.color, m.emission, m.image, m.image_m, m.alpha_cutoff]), level.meshes.map((m) => m.sways)]),
    [level.materials, level.meshes],
  );
  const scene = useScene(doc.level.id, state?.geometry, colors).data;
  const layers = useLayers(doc.level.id, state);
  const mix = useMemo(() => (scene ? new Mix(scene.pageSize, scene.pages) : null), [scene]);

  useEffect(() => {
    try {
      const s = new Stage(host.current!);
      stage.current = s;
      camera.now = () => ({ position: s.camera.position.toArray(), rotation: s.camera.quaternion.toArray(), fov_deg: s.camera.fov });
      s.onFrame = () => {
        placeMarkers(s, overlay.current);
        host.current!.dataset.frames = String(Number(host.current!.dataset.frames ?? 0) + 1);
      };
    } catch {
      setBroken("This browser has no WebGL 2, which the view needs.");
      return;
    }
    return () => {
      stage.current?.dispose();
      stage.current = null;
      camera.now = null;
    };
  }, []);

  useEffect(() => {
    const s = stage.current;
    if (!s) return;
    s.onPick = (picked, ray) => {
      const placing = useBench.getState().placing;
      if (placing?.kind === "sun-at") return onAimSun(ray.direction);
      if (!picked) return bench.set({ selected: null });
      if (placing?.kind === "sun-on") return onAimSun(ray.origin.map((v, i) => v - picked.point[i]!));
      if (placing) return onPlace({ at: picked.point, normal: picked.normal });
      askPoint(doc.level.id, picked.point, picked.normal).catch(complain);
    };
  }, [doc.level.id, onPlace, onAimSun]);

  // A level opens at its first viewpoint, or from above.
  const opened = useRef(false);
  useEffect(() => {
    if (!stage.current || !scene || opened.current) return;
    opened.current = true;
    const v = level.viewpoints[0];
    if (v) {
      stage.current.camera.fov = v.fov_deg;
      stage.current.camera.updateProjectionMatrix();
      stage.current.hand.stand(v.transform.position, v.transform.rotation);
    } else {
      const middle = scene.min.map((m, i) => (m + scene.max[i]!) / 2);
      const size = Math.hypot(...scene.min.map((m, i) => scene.max[i]! - m)) || 4;
      stage.current.hand.look([middle[0]! + size * 0.55, middle[1]! + size * 0.45, middle[2]! + size * 0.75], middle);
    }
  }, [scene, level.viewpoints]);

  useEffect(() => {
    if (!goal || !stage.current) return;
    if (goal.fov) {
      stage.current.camera.fov = goal.fov;
      stage.current.camera.updateProjectionMatrix();
    }
    stage.current.hand.look(goal.position, goal.target);
  }, [goal]);

  useEffect(() => {
    if (scene && mix) stage.current?.setScene(scene, mix);
    stage.current?.setMode(mode);
  }, [scene, mix, mode]);

  const movingLight = useMovingLight(doc.level.id, scene, state).data;
  useEffect(() => {
    if (movingLight) stage.current?.setMovingLight(movingLight);
  }, [movingLight, scene, mix]);

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

  // The mix: layers as they come, weights as they are dragged. Layers of another
  // layout wait for their scene.
  useEffect(() => {
    if (!mix || !state || !scene || state.geometry !== scene.geometry) return;
    const anySolo = Object.values(solo).some(Boolean);
    let changed = false;
    mix.keepOnly(new Set(state.sources.map((s) => s.id)));
    for (const { source, key, layer } of layers) {
      if (layer.pageSize === mix.pageSize && layer.pages === mix.pages) mix.setLayer(source, key, layer);
    }
    for (const s of state.sources) {
      const strip = stripOf(s); // the patches of a sky move together
      const k = flicker(s.id);
      const [r, g, b] = weightOf(s, live[strip], muted[strip] ?? false, anySolo && !solo[strip]);
      changed = mix.setWeight(s.id, [r * k, g * k, b * k]) || changed;
    }
    if (changed) stage.current?.refresh();
  }, [mix, scene, state, layers, live, muted, solo, flicker]);

  const report = useAir(doc.level.id, doc.level.revision).data;
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
    if (painted) stage.current?.setImages(painted);
  }, [painted, scene, mix]);
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
    stage.current?.setAir({ report, zones: level.zones, fog: shown, images, tint, exposure, look: lookOn, air: airOn, seconds }, lightMax);
    if (shown || report.costs.length === 0) host.current!.dataset.air = String(report.revision);
  }, [report, fogNow, images, level.zones, state, live, muted, solo, exposure, lookOn, airOn, seconds, lightMax]);

  useEffect(() => {
    stage.current?.setSkyNits((live.sky?.strength ?? level.environment.sky.luminance) * (muted.sky ? 0 : 1));
  }, [level.environment.sky.luminance, live.sky, muted.sky]);

  const sky = useSky(doc.level.id, level).data;
  useEffect(() => {
    if (sky) stage.current?.setSky(sky);
  }, [sky]);

  const picked = level.lights.find((l) => l.id === selected);
  useEffect(() => {
    stage.current?.setLines(picked && markers ? reachLines(picked) : []);
  }, [picked, markers]);

  return (
    <section className="relative min-h-0 min-w-0 flex-1 bg-black" aria-label="View">
      <div ref={host} className="absolute inset-0" data-testid="view">
        <div ref={overlay} className="pointer-events-none absolute inset-0 overflow-hidden">
          {markers && level.lights.filter((l) => kinds[l.kind].placed).map((l) => <Marker key={l.id} light={l} color={colorOf(l, state)} selected={l.id === selected} />)}
        </div>
      </div>
      {broken && <p className="absolute inset-0 grid place-items-center">{broken}</p>}
      <div className="absolute left-2 top-2 flex bg-base-100" role="radiogroup" aria-label="View mode">
        {modeNames.map(([m, name, key]) => (
          <button key={m} role="radio" aria-checked={mode === m} title={`${name} (${key})`} className={`h-6 border-b-2 px-2 ${mode === m ? "border-accent bg-base-300" : "dim border-transparent"}`} onClick={() => bench.set({ mode: m })}>
            {name}
          </button>
        ))}
        <button aria-pressed={markers} title="Markers (M)" className={`h-6 border-b-2 px-2 ${markers ? "border-accent bg-base-300" : "dim border-transparent"}`} onClick={() => bench.set({ markers: !markers })}>
          Markers
        </button>
      </div>
      <Viewpoints doc={doc} />
      <Shown />
      <p className="absolute bottom-2 left-2 bg-base-100/90 px-2 py-1 text-[11px]">
        {hint ? hint : mode === "brightness" ? "Bands double: 1/8 lx blue, 8 lx green, 512 lx red" : mode === "texels" ? "Each square is a texel; blue 1, green 8, red 64 a metre" : `EV ${(exposure ?? level.look.exposure_ev).toFixed(1)} · ${level.look.tone} · click a spot to ask what lights it`}
      </p>
    </section>
  );
}

/** What of the air and the look is shown, and on whose display. */
function Shown() {
  const { airOn, lookOn, playing, display } = useBench();
  const platforms = usePlatforms().data?.items ?? [];
  const cut = platforms.filter((p) => p.profile.display.light_max > 0);
  const toggle = (name: string, title: string, on: boolean, to: Parameters<typeof bench.set>[0]) => (
    <button aria-pressed={on} title={title} className={`h-6 border-b-2 px-2 ${on ? "border-accent bg-base-300" : "dim border-transparent"}`} onClick={() => bench.set(to)}>
      {name}
    </button>
  );
  return (
    <div className="absolute bottom-2 right-2 flex bg-base-100">
      {toggle("Air", "Fog, glows, beams and motes (F)", airOn, { airOn: !airOn })}
      {toggle("Look", "Everything after the light but exposure (L)", lookOn, { lookOn: !lookOn })}
      {toggle("Play", "Time goes on: motes drift, lights flicker (P)", playing, { playing: !playing })}
      {cut.length > 0 && (
        <select className="field !w-32 !bg-base-100" aria-label="Display" title="Light over what a platform takes is cut, as it is there" value={display} onChange={(e) => bench.set({ display: e.target.value })}>
          <option value="">all light</option>
          {cut.map((p) => (
            <option key={p.profile.name} value={p.profile.name}>
              as on {p.profile.name}
            </option>
          ))}
        </select>
      )}
    </div>
  );
}

function colorOf(light: Light, state: LightmapState | undefined): string {
  return swatch(state?.sources.find((s) => s.id === light.id)?.color ?? [0.5, 0.5, 0.5]);
}

function Marker({ light, color, selected }: { light: Light; color: string; selected: boolean }) {
  const Icon = icons[light.kind];
  return (
    <button
      className={`marker pointer-events-auto ${light.enabled ? "" : "off"}`}
      style={{ "--lamp": color, display: "none" } as React.CSSProperties}
      data-at={light.transform.position.join(",")}
      aria-label={`${light.name || light.id}, ${light.kind} light`}
      aria-pressed={selected}
      title={light.name || light.id}
      onClick={() => bench.set({ selected: light.id })}
    >
      <Icon size={12} />
    </button>
  );
}

/** Moves the markers to where their lights are on screen. */
function placeMarkers(stage: Stage, overlay: HTMLElement | null) {
  for (const m of overlay?.querySelectorAll<HTMLElement>("[data-at]") ?? []) {
    const at = stage.project(m.dataset.at!.split(",").map(Number));
    m.style.display = at ? "grid" : "none";
    if (at) m.style.transform = `translate(${at.x}px, ${at.y}px)`;
  }
}

function Viewpoints({ doc }: { doc: Document }) {
  const views = doc.document.viewpoints;
  if (views.length === 0) return null;
  return (
    <select
      className="field absolute right-2 top-2 !w-40 bg-base-100"
      aria-label="Go to a viewpoint"
      value=""
      onChange={(e) => {
        const v = views.find((x) => x.id === e.target.value);
        if (v) goTo(v);
      }}
    >
      <option value="">Viewpoints…</option>
      {views.map((v) => (
        <option key={v.id} value={v.id}>
          {v.name || v.id}
        </option>
      ))}
    </select>
  );
}

export function goTo(v: Document["document"]["viewpoints"][number]) {
  const [x, y, z, w] = v.transform.rotation as [number, number, number, number];
  // -Z turned by the quaternion.
  const f = [-2 * (x * z + w * y), -2 * (y * z - w * x), -(1 - 2 * (x * x + y * y))];
  const p = v.transform.position as [number, number, number];
  bench.fly(p, [p[0] + f[0]! * 6, p[1] + f[1]! * 6, p[2] + f[2]! * 6], v.fov_deg);
}
