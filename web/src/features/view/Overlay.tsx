import { useEffect, useMemo, useRef, useState } from "react";
import type { Document, Finding, Level, Light, LightmapState, Schemas } from "../../api/client";
import type { Context } from "../../commands";
import { swatch } from "../../engine/color";
import { handlesFor, type Drag, type Handle, type Sight } from "../../engine/handles";
import { clusters } from "../../engine/clusters";
import { reachLines } from "../../engine/reach";
import type { Stage } from "../../engine/stage";
import { apply } from "../../model/apply";
import { bench, useBench, type Evidence } from "../../model/bench";
import type { Ghost } from "../../model/ghost";
import { colorOf, placeOf, thingsOf, type Thing } from "../../model/things";
import { typedAfter } from "../../model/typed";
import type { Vec } from "../../model/world";
import { icons } from "../../ui/kinds";
import { takesBack, useDragKeys } from "../../ui/useDragKeys";

// What is drawn over the view: markers of what has no body, and the handles of the selection.
// Both keep their size on screen; their places are computed for every frame.

const armPx = 58;
const mergePx = 15;

/** Whether a thing is shown by a marker: it has a place and no body. */
export const hasMarker = (t: Thing) => t.part !== "solids" && t.part !== "meshes" && t.part !== "zones" && t.part !== "rigs" && t.kind !== "directional" && t.part !== "paths";

export function Markers({ doc, state, stage }: { doc: Document; state: LightmapState | undefined; stage: Stage | null }) {
  const level = doc.document;
  const host = useRef<HTMLDivElement>(null);
  const hidden = useBench((s) => s.hidden);
  const selection = useBench((s) => s.selection);
  const things = [...thingsOf(level).values()].filter((t) => hasMarker(t) && !hidden[t.id] && (t.part === "lights" || t.part === "glows" || t.part === "viewpoints" || selection.includes(t.id)));
  const sources = useMemo(() => new Map((state?.sources ?? []).map((s) => [s.id, swatch(s.color)])), [state]);
  useFrame(stage, () => host.current && stage && placeMarkers(stage, host.current));
  useEffect(() => (stage && host.current ? stage.hand.over(host.current) : undefined), [stage]);
  return (
    <div ref={host} className="pointer-events-none absolute inset-0 overflow-hidden">
      {things.map((t) => (
        <Marker key={t.id} thing={t} at={placeOf(level, t)!} color={sources.get(t.id) ?? colorOf(level, t) ?? "#888888"} selected={selection.includes(t.id)} />
      ))}
    </div>
  );
}

function Marker({ thing: t, at, color, selected }: { thing: Thing; at: Vec; color: string; selected: boolean }) {
  const Icon = icons[t.kind];
  const locked = useBench((s) => s.locked[t.id] ?? false);
  const what = t.part === "lights" ? `${t.kind} light` : t.kind;
  return (
    <button
      className={`marker ${locked ? "" : "pointer-events-auto"} ${t.enabled ? "" : "off"} ${t.part === "lights" ? "" : "small"}`}
      style={{ "--lamp": color, display: "none" } as React.CSSProperties}
      data-at={at.join(",")}
      data-thing={t.id}
      tabIndex={-1}
      aria-label={`${t.name}, ${what}`}
      aria-pressed={selected}
      title={t.name}
      onPointerEnter={() => bench.set({ hovered: t.id })}
      onPointerLeave={() => bench.set({ hovered: null })}
      onClick={(e) => bench.select([t.id], e.shiftKey || e.ctrlKey ? "toggle" : "replace")}
    >
      <Icon size={t.part === "lights" ? 12 : 9} />
    </button>
  );
}

/** What a marker shows now; "" where it is hidden. */
const placed = new WeakMap<HTMLElement, string>();

/** Puts the markers where their things are on screen. Those that would lie over each other
 *  become one with a number; the selected ones stay by themselves. Only what changed is written. */
function placeMarkers(stage: Stage, host: HTMLElement) {
  const all = [...host.querySelectorAll<HTMLElement>("[data-at]")];
  const { shown, of } = clusters(all.map((element) => ({ at: stage.project(element.dataset.at!.split(",").map(Number)), alone: element.ariaPressed === "true" })), mergePx);
  all.forEach((element, i) => {
    const spot = of[i]! < 0 ? undefined : shown[of[i]!];
    const now = spot?.first === i ? `translate(${spot.x.toFixed(1)}px, ${spot.y.toFixed(1)}px) ${spot.count}` : "";
    if ((placed.get(element) ?? "") === now) return;
    placed.set(element, now);
    element.style.display = now ? "grid" : "none";
    if (!now) return;
    element.style.transform = now.slice(0, now.lastIndexOf(" "));
    if (spot!.count > 1) element.dataset.count = String(spot!.count);
    else delete element.dataset.count;
  });
}

/** Calls back with every frame that is drawn, and when something else changed. */
function useFrame(stage: Stage | null, draw: () => void) {
  useEffect(() => {
    if (!stage) return;
    draw();
    return stage.eachFrame(draw);
  });
}

type Dragging = { handle: Handle; from: Drag["from"]; at: { clientX: number; clientY: number; altKey: boolean }; typed: string };

type HandlesProps = { level: Level; context: Context; stage: Stage | null; endGesture: () => void; dropGesture: () => void };

/** The handles of what is selected. */
export function Handles({ level, context, stage, endGesture, dropGesture }: HandlesProps) {
  const svg = useRef<SVGSVGElement>(null);
  const selection = useBench((s) => s.selection);
  const ownAxes = useBench((s) => s.ownAxes);
  const locked = useBench((s) => s.locked);
  const selecting = useBench((s) => s.tool.is === "select");
  const [said, setSaid] = useState<{ text: string; x: number; y: number } | null>(null);
  const dragging = useRef<Dragging | null>(null);
  const ids = selection.filter((id) => !locked[id.split("#")[0]!]);
  const shown = context.canEdit && selecting && ids.length > 0;

  const handles = useRef<Handle[]>([]);
  useFrame(shown ? stage : null, () => {
    if (!stage || !svg.current) return;
    handles.current = handlesFor(level, ids, sightOf(stage), ownAxes);
    drawHandles(stage, svg.current, handles.current);
  });
  function down(e: React.PointerEvent<SVGSVGElement>) {
    const id = (e.target as Element).closest("[data-handle]")?.getAttribute("data-handle");
    const handle = handles.current.find((h) => h.id === id);
    if (!handle || !stage || e.button !== 0) return;
    e.stopPropagation();
    svg.current?.setPointerCapture(e.pointerId);
    dragging.current = { handle, from: stage.ray(e.clientX, e.clientY), at: e, typed: "" };
    bench.set({ hovered: null });
  }
  function move(e: { clientX: number; clientY: number; altKey: boolean }) {
    const d = dragging.current;
    if (!d || !stage) return;
    d.at = e;
    const ray = stage.ray(e.clientX, e.clientY);
    const typed = /\d/.test(d.typed) ? Number(d.typed) : undefined;
    const moved = d.handle.drag({ ray, from: d.from, hit: stage.castBeside(ray, new Set(ids)), snapM: e.altKey ? 0 : bench.get().snapM, typed });
    if (!moved) return;
    context.edit(moved.op, { held: `drag ${d.handle.id}` });
    const box = svg.current!.getBoundingClientRect();
    setSaid({ text: d.typed ? `${moved.text} · typed ${d.typed}` : moved.text, x: e.clientX - box.left, y: e.clientY - box.top });
  }
  // A number that is typed during a drag is what the handle becomes, and Esc or undo takes the drag back; nothing else hears these keys.
  useDragKeys((e) => {
    const d = dragging.current;
    if (!d) return;
    const next = typedAfter(d.typed, e.key);
    if (next === null && !takesBack(e)) return;
    e.preventDefault();
    e.stopPropagation();
    if (next === null) return over(dropGesture);
    d.typed = next;
    move(d.at);
  });
  useEffect(() => (shown && stage && svg.current ? stage.hand.wheelOver(svg.current) : undefined), [shown, stage]);
  function over(end: () => void) {
    if (!dragging.current) return;
    dragging.current = null;
    setSaid(null);
    end();
  }
  const up = () => over(endGesture);
  if (!shown || !stage) return null;
  return (
    <>
      <svg ref={svg} className="pointer-events-none absolute inset-0 h-full w-full overflow-hidden" aria-label="Handles" onPointerDown={down} onPointerMove={move} onPointerUp={up} onPointerCancel={up} />
      {said && (
        <output className="pointer-events-none absolute bg-base-100/95 px-2 py-1" style={{ left: said.x + 16, top: said.y + 12 }}>
          {said.text}
        </output>
      )}
    </>
  );
}

function sightOf(stage: Stage): Sight {
  const eye = stage.camera.position;
  return {
    armM: (at) => stage.metresPer(armPx, at),
    toward: (at) => {
      const d = [at[0] - eye.x, at[1] - eye.y, at[2] - eye.z];
      const l = Math.hypot(...d) || 1;
      return d.map((v) => v / l) as Vec;
    },
    cast: stage.cast,
  };
}

const ns = "http://www.w3.org/2000/svg";

/** Draws handles into the overlay: elements are kept, so that a drag is not cut off. */
function drawHandles(stage: Stage, svg: SVGSVGElement, handles: readonly Handle[]) {
  const wanted = new Map(handles.map((h) => [h.id, h]));
  for (const g of [...svg.children]) if (!wanted.has(g.getAttribute("data-handle") ?? "")) g.remove();
  for (const h of handles) {
    let g = svg.querySelector<SVGGElement>(`[data-handle="${CSS.escape(h.id)}"]`);
    if (!g) {
      g = document.createElementNS(ns, "g");
      g.setAttribute("data-handle", h.id);
      g.setAttribute("class", `handle ${h.look}`);
      g.innerHTML = `<path class="line"/><circle class="reach" r="12"/><path class="shape" d="${shapes[h.look]}"/><title>${h.label}</title>`;
      svg.append(g);
    }
    const at = stage.project(h.at);
    g.style.display = at ? "" : "none";
    if (!at) continue;
    // The surface handle hangs beside the middle, which it would cover.
    const [x, y] = h.look === "surface" ? [at.x - 24, at.y + 24] : [at.x, at.y];
    for (const part of g.querySelectorAll(".reach, .shape")) part.setAttribute("transform", `translate(${x} ${y})`);
    g.querySelector(".line")!.setAttribute("d", linePath(stage, h.lines ?? []));
  }
}

function linePath(stage: Stage, points: readonly Vec[]): string {
  let d = "";
  for (let i = 0; i + 1 < points.length; i += 2) {
    const [a, b] = [stage.project(points[i]!), stage.project(points[i + 1]!)];
    if (a && b) d += `M${a.x} ${a.y}L${b.x} ${b.y}`;
  }
  return d;
}

const circle = (r: number) => `M${-r} 0a${r} ${r} 0 1 0 ${2 * r} 0a${r} ${r} 0 1 0 ${-2 * r} 0`;
const shapes: Record<Handle["look"], string> = {
  dot: circle(7),
  "axis-x": circle(5),
  "axis-y": circle(5),
  "axis-z": circle(5),
  target: `${circle(8)}M-12 0H12M0 -12V12`,
  side: "M-5 -5H5V5H-5Z",
  turn: "M-6 0A6 6 0 1 1 0 6M0 6l-4 -3M0 6l3 -4",
  surface: "M-7 4H7M-4 4V-4H4V4",
};

/** The boxes of zones and the outlines of volumes that are selected, as pairs of points. */
export function boxLines(level: Level, selection: readonly string[]): number[] {
  const out: number[] = [];
  for (const id of selection) {
    const t = thingsOf(level).get(id);
    if (!t) continue;
    if (t.part === "zones") for (const b of (t.entity as unknown as Schemas["Zone"]).boxes) out.push(...edgesOf(b.min, b.max));
    const size = (t.entity as { size?: number[] }).size;
    if ((t.part === "fog_volumes" || t.part === "motes" || t.part === "probes" || t.part === "reflections") && size) {
      const at = placeOf(level, t)!;
      out.push(
        ...edgesOf(
          at.map((v, i) => v - size[i]! / 2),
          at.map((v, i) => v + size[i]! / 2),
        ),
      );
    }
  }
  return out;
}

/** What a click would place: the reach of lights, and boxes of what has a size. */
export function ghostLines(level: Level, { op, ids }: Ghost): number[] {
  const things = thingsOf(apply(level, op));
  return ids.flatMap((id) => {
    const t = things.get(id);
    if (!t) return [];
    if (t.part === "lights") return reachLines(t.entity as unknown as Light);
    const half = ((t.entity as { size?: number[] }).size ?? [0.2, 0.2, 0.2]).map((v) => v / 2);
    const at = placeOf(level, t) ?? [0, 0, 0];
    return edgesOf(
      at.map((v, i) => v - half[i]!),
      at.map((v, i) => v + half[i]!),
    );
  });
}

/** What proves a finding, as pairs of points. */
export function evidenceLines(evidence: Evidence | null): number[] {
  if (!evidence) return [];
  const flat = evidence.region.filter((b) => b.max[1]! - b.min[1]! < 0.1);
  const solid = evidence.region.filter((b) => b.max[1]! - b.min[1]! >= 0.1);
  const out = flat.flatMap((b) => edgesOf([b.min[0]!, b.max[1]!, b.min[2]!], b.max));
  // Many boxes are one place: the box round them says where it is, and the view stays readable.
  if (solid.length > 0) {
    const round = (pick: (...v: number[]) => number, side: "min" | "max") => [0, 1, 2].map((axis) => pick(...solid.map((b) => b[side][axis]!)));
    out.push(...edgesOf(round(Math.min, "min"), round(Math.max, "max")));
  }
  for (let i = 0; i + 1 < evidence.path.length; i++) out.push(...evidence.path[i]!, ...evidence.path[i + 1]!);
  return out;
}

/** Where light may get in or out, as the checks have found it. */
export const leakLines = (findings: readonly Finding[]): number[] => findings.filter((f) => f.family === "closure").flatMap((f) => evidenceLines({ path: f.path ?? [], region: f.region ?? [] }));

function edgesOf(min: readonly number[], max: readonly number[]): number[] {
  const corner = (n: number) => [n & 1 ? max[0]! : min[0]!, n & 2 ? max[1]! : min[1]!, n & 4 ? max[2]! : min[2]!];
  const out: number[] = [];
  for (let n = 0; n < 8; n++) for (const bit of [1, 2, 4]) if (!(n & bit)) out.push(...corner(n), ...corner(n | bit));
  return out;
}
