import { useEffect, useMemo, useRef, useState } from "react";
import type { Document, Level, LightmapState } from "../../api/client";
import { goTo } from "../../commands/view";
import { keyLabel, type Context } from "../../commands";
import { reachLines } from "../../engine/reach";
import { shadowBodies } from "../../engine/shadows";
import { Stage } from "../../engine/stage";
import { bench, camera, picture, useBench, usePrimary } from "../../model/bench";
import { blockerLines } from "../../model/blockers";
import { torchOf, type Carried } from "../../model/carried";
import { viewModes, type ViewMode } from "../../model/viewModes";
import { zoneAt } from "../../model/zones";
import { platformsOf } from "../../model/platforms";
import { useGround, usePlatforms, useReports } from "../data";
import type { Session } from "../session";
import { OthersInView } from "../presence/People";
import { Trying } from "../presets/Trying";
import { CommentPins } from "../talk/CommentPins";
import { Legend, useShadowLimit } from "./Legend";
import { Pins } from "./Pins";
import { discNames } from "../../model/discs";
import { DiscHandle } from "./DiscHandle";
import { boxLines, evidenceLines, ghostLines, leakLines, Handles, Markers } from "./Overlay";
import { useDrawn } from "./useDrawn";
import { hintOf, useTool } from "./useTool";

type Props = { doc: Document; state: LightmapState | undefined; context: Context; session: Session; onApplied: () => void };

export function View({ doc, state, context, session, onApplied }: Props) {
  const level = doc.document;
  const [host, setHost] = useState<HTMLDivElement | null>(null);
  const { stage, broken } = useStage(host);
  const { scene, gone, lit, reading } = useDrawn(stage, host, doc, session, state);
  const markers = useBench((s) => s.markers);
  const mode = useBench((s) => s.mode);
  const hidden = useBench((s) => s.hidden);
  const { mark, box } = useTool(stage, context, onApplied);
  useOpening(stage, doc, scene !== undefined);
  useGoal(stage);
  useLines(stage, doc, markers);
  useShadows(stage, level, scene !== undefined);
  useGroundShown(stage, doc, scene !== undefined);
  useWalking(stage, doc, scene !== undefined);
  useEffect(() => stage?.setHidden(new Set([...Object.keys(hidden), ...gone])), [stage, hidden, gone, scene]);
  return (
    <section className="@container relative min-h-0 min-w-0 flex-1 overflow-hidden bg-black" aria-label="View">
      <div ref={setHost} className="absolute inset-0" data-testid="view">
        {markers && <Markers doc={doc} state={state} stage={stage} />}
        {markers && <Handles level={level} context={context} stage={stage} endGesture={session.endGesture} dropGesture={session.dropGesture} />}
        <Pins stage={stage} revision={doc.level.revision} />
        {discNames.map((name) => (
          <DiscHandle key={name} name={name} context={context} stage={stage} endGesture={session.endGesture} dropGesture={session.dropGesture} />
        ))}
        <OthersInView doc={doc} stage={stage} />
        {markers && <CommentPins doc={doc} stage={stage} />}
        {mark && (
          <div className="pointer-events-none absolute" style={{ left: mark.x, top: mark.y }}>
            <span className="ghost" />
            <span className="absolute left-4 top-2 whitespace-nowrap bg-base-100/90 px-2 py-0.5">{mark.text}</span>
          </div>
        )}
        {box && <div className="pointer-events-none absolute border border-accent bg-[#f0c35a22]" style={box} />}
      </div>
      {broken && <p className="absolute inset-0 grid place-items-center">{broken}</p>}
      {mode === "final" && !lit && !broken && !reading && <p className="absolute left-1/2 top-11 -translate-x-1/2 bg-base-100/90 px-3 py-1">{state && state.sources.length === 0 ? "Nothing shines yet: shown unlit. Place a light." : "No light is baked yet: shown unlit. A draft is on its way."}</p>}
      {reading && !broken && (
        <p role="status" className="absolute left-1/2 top-11 -translate-x-1/2 bg-base-100/90 px-3 py-1">
          {reading}
        </p>
      )}
      <Trying doc={doc} />
      <Legend doc={doc} />
      <Modes />
      <Viewpoints doc={doc} />
      <Shown />
      <Foot doc={doc} stage={stage} />
    </section>
  );
}

function useStage(host: HTMLDivElement | null) {
  const [stage, setStage] = useState<Stage | null>(null);
  const [broken, setBroken] = useState("");
  useEffect(() => {
    if (!host) return;
    let s: Stage;
    try {
      s = new Stage(host);
    } catch {
      setBroken("This browser has no WebGL 2, which the view needs.");
      return;
    }
    camera.now = () => ({ position: s.camera.position.toArray(), rotation: s.camera.quaternion.toArray(), fov_deg: s.camera.fov });
    camera.frame = (low, high) => s.lookAt(low, high);
    const count = s.eachFrame(() => {
      host.dataset.frames = String(Number(host.dataset.frames ?? 0) + 1);
    });
    picture.read = s.readSmall;
    s.onWhole = (whole) => {
      if (whole) host.dataset.whole = "";
      else delete host.dataset.whole;
    };
    setStage(s);
    return () => {
      count();
      s.dispose();
      setStage(null);
      camera.now = camera.frame = picture.read = null;
    };
  }, [host]);
  return { stage, broken };
}

/** A level opens at its first viewpoint, or from above. */
function useOpening(stage: Stage | null, doc: Document, ready: boolean) {
  const opened = useRef<Stage | null>(null);
  const first = doc.document.viewpoints[0];
  useEffect(() => {
    if (!stage || !ready || opened.current === stage) return;
    opened.current = stage;
    if (first) {
      stage.camera.fov = first.fov_deg;
      stage.camera.updateProjectionMatrix();
      stage.hand.stand(first.transform.position, first.transform.rotation);
    } else stage.overview();
  }, [stage, ready, first]);
}

/** Flies to where somebody asked to go. */
function useGoal(stage: Stage | null) {
  const goal = useBench((s) => s.goal);
  useEffect(() => {
    if (!goal || !stage) return;
    if (goal.fov) {
      stage.camera.fov = goal.fov;
      stage.camera.updateProjectionMatrix();
    }
    stage.hand.look(goal.position, goal.target);
  }, [goal, stage]);
}

/** Walks as the player while that is on and the level stands; blocks that do not collide are passed. */
function useWalking(stage: Stage | null, doc: Document, ready: boolean) {
  const walking = useBench((s) => s.walking) && ready;
  const goal = useBench((s) => s.goal); // where one went walks on from there
  const eyeM = useBench((s) => s.eyeM);
  const { solids, meshes } = doc.document;
  const passedIDs = [...solids, ...meshes].filter((e) => !e.surface.collides).map((e) => e.id).join("\n");
  const passed = useMemo(() => new Set(passedIDs.split("\n")), [passedIDs]); // so that an edit of something else does not restart the walk
  useEffect(() => {
    if (!stage || !walking) return;
    stage.walk(bench.get().eyeM, passed);
    stage.element.focus();
    return () => stage.walk(null);
  }, [stage, walking, passed, goal]);
  useEffect(() => {
    if (walking) stage?.hand.setEye(eyeM);
  }, [stage, walking, eyeM]);
  const carried = useBench((s) => s.carried);
  useEffect(() => stage?.setTorch(walking && carried.on ? torchOf(carried) : null), [stage, walking, carried]);
}

/** Where lights cast shadows, while that is shown. */
function useShadows(stage: Stage | null, level: Level, ready: boolean) {
  const shown = useBench((s) => s.mode === "shadows");
  const most = useShadowLimit(level);
  useEffect(() => {
    if (shown && ready) stage?.setShadows(shadowBodies(level), most);
  }, [stage, shown, ready, level, most]);
}

/** How light the ground is, while that is shown. */
function useGroundShown(stage: Stage | null, doc: Document, ready: boolean) {
  const shown = useBench((s) => s.mode === "ground");
  const floors = useGround(doc.level.id, doc.level.revision, shown).data?.floors;
  useEffect(() => {
    if (ready) stage?.setGround(shown && floors ? floors : []);
  }, [stage, shown, ready, floors]);
}

/** The reach of the selected light, and the boxes and outlines of what is selected. */
function useLines(stage: Stage | null, doc: Document, markers: boolean) {
  const level = doc.document;
  const primary = usePrimary();
  const selection = useBench((s) => s.selection);
  const hovered = useBench((s) => s.hovered);
  const mode = useBench((s) => s.mode);
  const blockers = useBench((s) => s.stage === "surfaces") || mode === "backs" || mode === "leaks";
  const findings = useReports(doc.level.id, doc.level.revision, platformsOf(doc)).data?.items[0]?.findings;
  const evidence = useBench((s) => s.evidence);
  const ghost = useBench((s) => s.ghost);
  useEffect(() => {
    if (!stage) return;
    const light = level.lights.find((l) => l.id === primary);
    stage.setLines(markers ? [...(ghost ? ghostLines(level, ghost) : []), ...(light ? reachLines(light) : []), ...boxLines(level, selection), ...(blockers ? blockerLines(level) : []), ...evidenceLines(evidence), ...(mode === "leaks" ? leakLines(findings ?? []) : []), ...(mode === "reflections" ? boxLines(level, level.reflections.map((r) => r.id)) : [])] : []);
    stage.setOutlined(markers ? selection : [], markers ? hovered : null);
  }, [stage, level, primary, selection, hovered, markers, blockers, mode, findings, evidence, ghost]);
}

const barred = viewModes.filter((m) => !("rare" in m));
const rare = viewModes.filter((m) => "rare" in m);

function Modes() {
  const mode = useBench((s) => s.mode);
  const markers = useBench((s) => s.markers);
  return (
    <>
      <div className="absolute left-2 top-2 z-20 flex @[660px]:hidden">
        <ModeList label="View mode, as a list" modes={viewModes} mode={mode} />
      </div>
      <div className="absolute left-2 top-2 z-20 hidden bg-base-100 @[660px]:flex" role="group" aria-label="View mode">
        {barred.map(({ id, title, key }) => (
          <button key={id} aria-pressed={mode === id} title={`${title} (${keyLabel(key)})`} className={`h-6 border-b-2 px-2 ${mode === id ? "border-accent bg-base-300" : "dim border-transparent"}`} onClick={() => bench.set({ mode: id })}>
            {title}
          </button>
        ))}
        <ModeList label="More view modes" modes={rare} mode={mode} none="More…" />
        <button aria-pressed={markers} title="Markers and handles (M)" className={`h-6 border-b-2 px-2 ${markers ? "border-accent bg-base-300" : "dim border-transparent"}`} onClick={() => bench.set({ markers: !markers })}>
          Markers
        </button>
      </div>
    </>
  );
}

function ModeList({ label, modes, mode, none }: { label: string; modes: readonly (typeof viewModes)[number][]; mode: ViewMode; none?: string }) {
  const shown = modes.some((m) => m.id === mode);
  return (
    <select className={`field !w-34 border-b-2 !bg-base-100 ${none && shown ? "border-accent" : "border-transparent"}`} aria-label={label} value={shown ? mode : ""} onChange={(e) => bench.set({ mode: (e.target.value || "final") as ViewMode })}>
      {none && <option value="">{none}</option>}
      {modes.map(({ id, title, key }) => (
        <option key={id} value={id}>
          {`${title} (${keyLabel(key)})`}
        </option>
      ))}
    </select>
  );
}

/** What of the air and the look is shown, and on whose display. */
function Shown() {
  const { airOn, mirrorsOn, lookOn, playing, display } = useBench();
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
      {toggle("Mirrors", "What smooth and wet surfaces show; without it the view is faster", mirrorsOn, { mirrorsOn: !mirrorsOn })}
      {toggle("Look", "Everything after the light but exposure (L)", lookOn, { lookOn: !lookOn })}
      {toggle("Play", "Time goes on: motes drift, lights flicker (P)", playing, { playing: !playing })}
      {cut.length > 0 && (
        <select className="field hidden !w-32 !bg-base-100 @[520px]:block" aria-label="Display" title="Light over what a platform takes is cut, as it is there" value={display} onChange={(e) => bench.set({ display: e.target.value })}>
          <option value="">all light</option>
          {cut.map((p) => (
            <option key={p.ref} value={p.ref}>
              as on {p.ref}
            </option>
          ))}
        </select>
      )}
    </div>
  );
}

/** What can be done now, and the zone that the camera is in. */
function Foot({ doc, stage }: { doc: Document; stage: Stage | null }) {
  const tool = useBench((s) => s.tool);
  const exposure = useBench((s) => s.exposure);
  const selected = useBench((s) => s.selection.length);
  const walking = useBench((s) => s.walking);
  const lit = useBench((s) => s.carried.on);
  const eyeM = useBench((s) => s.eyeM);
  const zone = useRef<HTMLSpanElement>(null);
  const { zones, look } = doc.document;
  useEffect(() => {
    if (!stage) return;
    const say = () => {
      const here = zoneAt(zones, stage.camera.position.toArray());
      const text = here ? here.name || here.id : "outside all zones";
      if (zone.current && zone.current.textContent !== text) zone.current.textContent = text;
    };
    say();
    return stage.eachFrame(say);
  }, [stage, zones]);
  return (
    <p className="absolute bottom-2 left-2 flex max-w-[calc(100%-340px)] flex-wrap items-center gap-x-2 gap-y-1 bg-base-100/90 px-2 py-1 text-[11px]">
      <span ref={zone} className="font-semibold" title="The zone that the camera is in" />
      <span className="hidden @[660px]:inline">{walking ? (lit ? "Walking" : "Walking: W A S D, Shift runs, drag or click to look, Esc stops") : hintOf(tool) || `EV ${(exposure ?? look.exposure_ev).toFixed(1)} · ${look.tone} · ${selected > 0 ? "drag what is amber" : "click something"} · ? for all keys`}</span>
      {walking && (
        <label className="flex items-center gap-1">
          eye
          <input type="number" className="field !h-[18px] !w-14" aria-label="Height of the eye in metres" min={0.3} max={4} step={0.05} value={eyeM} onChange={(e) => Number(e.target.value) >= 0.3 && Number(e.target.value) <= 4 && bench.set({ eyeM: Number(e.target.value) })} /> m
        </label>
      )}
      {walking && <CarriedLamp />}
    </p>
  );
}

/** The lamp in the player's hand, with its own values. */
function CarriedLamp() {
  const carried = useBench((s) => s.carried);
  const set = (fields: Partial<Carried>) => bench.set({ carried: { ...carried, ...fields } });
  const value = (name: "candela" | "coneDeg" | "kelvin", label: string, unit: string, min: number, max: number, step: number) => (
    <label className="flex items-center gap-1">
      <input
        type="number"
        className="field !h-[18px] !w-14"
        aria-label={label}
        min={min}
        max={max}
        step={step}
        value={carried[name]}
        onChange={(e) => e.target.valueAsNumber >= min && e.target.valueAsNumber <= max && set({ [name]: e.target.valueAsNumber })}
      />
      {unit}
    </label>
  );
  return (
    <span className="flex items-center gap-2">
      <label className="flex items-center gap-1" title="Shift Z">
        <input type="checkbox" className="checkbox checkbox-xs" checked={carried.on} onChange={(e) => set({ on: e.target.checked })} />
        lamp
      </label>
      {carried.on && value("candela", "Strength of the lamp in the hand, candela", "cd", 1, 100000, 10)}
      {carried.on && value("coneDeg", "Half angle of its cone, degrees", "°", 1, 89, 1)}
      {carried.on && value("kelvin", "Its temperature, kelvin", "K", 1700, 20000, 100)}
    </span>
  );
}

function Viewpoints({ doc }: { doc: Document }) {
  const views = doc.document.viewpoints;
  if (views.length === 0) return null;
  return (
    <select
      className="field absolute right-2 top-2 !w-28 bg-base-100 @[660px]:!w-40"
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
