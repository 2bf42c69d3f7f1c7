import { useCallback, useEffect, useRef, useState, type CSSProperties } from "react";
import { useMutation } from "@tanstack/react-query";
import { api, take, type Level } from "../../api/client";
import type { Context } from "../../commands";
import type { Click, Rect } from "../../engine/camera";
import { faceAlong, type Ray } from "../../engine/handles";
import type { Picked } from "../../engine/picking";
import type { Stage } from "../../engine/stage";
import { bench, useBench, type Tool } from "../../model/bench";
import { aim, opening, placed } from "../../model/edits";
import { ghostOf, partsOfAir, type Ghost } from "../../model/ghost";
import { aimDisc } from "../../model/discs";
import { faceID, placeOf, taken, thingsOf, type Thing } from "../../model/things";
import { complain, endUndoOffers, notice } from "../../ui/messages";
import { materialAt, paint } from "../../model/surfaces";
import { askLine, askPoint } from "../data";
import { hasMarker } from "./Overlay";
import { useDragKeys } from "../../ui/useDragKeys";

/** What a click does with each tool, for the foot of the view. */
export function hintOf(tool: Tool): string {
  switch (tool.is) {
    case "select":
      return "";
    case "ask":
      return "Click a spot to ask what lights it. Esc leaves.";
    case "comment":
      return "Click what you want to say something about. Esc leaves.";
    case "line":
      return tool.from ? "Click where the line ends. Esc leaves." : "Click where the line begins. Esc leaves.";
    case "pick-material":
      return "Click a surface to pick up its material. Esc leaves.";
    case "paint":
      return `Click a face to put ${tool.word} on it; with Shift the whole block. Esc leaves.`;
    case "aim":
      return "Click the spot to aim at. Esc leaves.";
    case "opening":
      return "Click a wall to cut a window; with Shift a door. Esc leaves.";
    case "place":
      return `Click where the ${tool.word} goes, again and again. Esc leaves.`;
    case "rig":
      return `Click where ${tool.name} goes. Esc leaves.`;
    case "disc-at":
      return `Click where in the sky the ${tool.of} should stand. Esc leaves.`;
    case "disc-on":
      return `Click what the ${tool.of} should strike, coming from where you stand. Esc leaves.`;
  }
}

const windowM = [1, 1.2] as const;
const doorM = [1, 2.1] as const;

/** Clicks in the view, by the tool at hand. The answers are what is shown under the pointer
 *  before a click, and the box that is being drawn. */
export function useTool(stage: Stage | null, context: Context, onApplied: () => void) {
  const tool = useBench((s) => s.tool);
  const [mark, setMark] = useState<{ x: number; y: number; text: string } | null>(null);
  const [box, setBox] = useState<CSSProperties | null>(null);
  const id = context.doc.level.id;

  const pointed = useRef<Picked | null>(null); // the newest spot under the pointer
  const placing = useRef(false); // a rig is on its way: another one under the pointer would have its ids
  const placings = useRef(0); // how often that was so
  const { mutate: placeRig } = useMutation({
    mutationFn: ({ rig, at, normal }: { rig: Tool & { is: "rig" }; at: number[]; normal: number[] }) =>
      take(api.POST("/api/v1/levels/{id}/presets", { params: { path: { id } }, body: { owner: rig.owner, name: rig.name, version: rig.version, at, normal } })),
    onMutate: endUndoOffers,
    onSuccess: onApplied,
    onError: complain,
    onSettled: () => {
      placing.current = false;
    },
  });

  const clicked = useCallback(
    (hits: Picked[], ray: Ray, click: Click) => {
      const { level, edit, selection } = context;
      const hit = hits.find((h) => !bench.get().locked[h.entity]) ?? null;
      switch (tool.is) {
        case "select":
          return select(context, hits, click);
        case "disc-at":
          edit(aimDisc(tool.of, level.environment[tool.of], ray.direction));
          return bench.set({ tool: { is: "select" } });
        case "disc-on":
          if (!hit) return;
          edit(
            aimDisc(
              tool.of,
              level.environment[tool.of],
              ray.origin.map((v, i) => v - hit.point[i]!),
            ),
          );
          return bench.set({ tool: { is: "select" } });
      }
      if (!hit) return notice("There is no surface there.");
      switch (tool.is) {
        case "ask":
          return void askPoint(id, hit.point, hit.normal).catch(complain);
        case "comment": {
          const [x, y, z] = hit.point;
          return bench.set({ tool: { is: "select" }, thread: null, remark: { at: [x!, y!, z!], entity: hit.entity }, panel: "talk", folded: { ...bench.get().folded, drawer: false } });
        }
        case "line": {
          const { from } = tool;
          const vec = (v: readonly number[]): [number, number, number] => [v[0]!, v[1]!, v[2]!];
          if (!from) return bench.set({ line: null, tool: { is: "line", from: { point: vec(hit.point), normal: vec(hit.normal) } } });
          bench.set({ tool: { is: "select" } });
          return void askLine(id, from.point, hit.point, from.normal);
        }
        case "pick-material": {
          const material = level.materials.find((m) => m.id === materialAt(level, hit.entity, faceHit(level, hit)));
          if (!material) return notice("That surface has no material of its own.");
          return bench.set({ tool: { is: "paint", material: material.id, word: material.name || material.id } });
        }
        case "paint": {
          const face = click.shift ? null : faceHit(level, hit);
          const op = paint(level, hit.entity, face, tool.material, tool.word);
          return op ? edit(op) : notice("That surface takes no material.");
        }
        case "aim": {
          const steps = selection.flatMap((s) => aim(level, s, hit.point) ?? []);
          if (steps.length === 1) edit(steps[0]!);
          else if (steps.length > 1) edit({ op: "batch", label: `Aim ${steps.length} things`, steps });
          return bench.set({ tool: { is: "select" } });
        }
        case "opening": {
          const [w, h] = click.shift ? doorM : windowM;
          const made = opening(level, hit.entity, hit.point, hit.normal, w, h);
          if (!made) return notice("A window needs a box that is larger than it, such as a wall.");
          edit(made.op);
          return bench.select(made.ids);
        }
        case "place": {
          const made = placed(level, tool.what, hit.point, hit.normal);
          edit(made.op);
          return bench.select(made.ids);
        }
        case "rig":
          if (placing.current) return;
          placing.current = true;
          placings.current++;
          pointed.current = null;
          bench.set({ ghost: null });
          return placeRig({ rig: tool, at: hit.point, normal: hit.normal });
      }
    },
    [context, tool, id, placeRig],
  );

  // The service knows how a rig is set against a surface; one question is under way at a time, about the newest spot.
  const asking = useRef(false);
  const followRig = useCallback(
    async (rig: Tool & { is: "rig" }) => {
      if (asking.current) return;
      asking.current = true;
      for (let at: Picked | null = null; at !== pointed.current && bench.get().tool === rig; ) {
        at = pointed.current;
        const before = placings.current;
        const ghost = at && (await rigGhost(id, rig, at).catch(() => null));
        if (bench.get().tool === rig && placings.current === before) bench.set({ ghost });
      }
      asking.current = false;
    },
    [id],
  );

  const hovered = useCallback(
    (hit: Picked | null) => {
      const over = tool.is === "select" ? (hit?.entity ?? null) : null;
      if (bench.get().hovered !== over) bench.set({ hovered: over });
      pointed.current = hit;
      const made = hit && tool.is === "place" ? placed(context.level, tool.what, hit.point, hit.normal) : null;
      const ghost = made && ghostOf(made);
      if (tool.is !== "rig") bench.set({ ghost });
      else if (!placing.current) void followRig(tool);
      const text = hit && (tool.is === "place" ? tool.word : tool.is === "rig" ? tool.name : tool.is === "opening" ? "window" : tool.is === "paint" ? tool.word : tool.is === "aim" ? "aim here" : "");
      const at = hit && text && stage?.project(ghost?.at ?? hit.point.map((v, i) => v + hit.normal[i]! * 0.12));
      setMark(at ? { ...at, text: text! } : null);
    },
    [tool, stage, context.level, followRig],
  );

  const boxed = useCallback(
    (rect: Rect | null, done: boolean) => {
      if (!stage) return;
      if (!rect) return setBox(null);
      const page = stage.element.getBoundingClientRect();
      const [x0, x1] = [Math.min(rect.x0, rect.x1) - page.left, Math.max(rect.x0, rect.x1) - page.left];
      const [y0, y1] = [Math.min(rect.y0, rect.y1) - page.top, Math.max(rect.y0, rect.y1) - page.top];
      if (!done) return setBox({ left: x0, top: y0, width: x1 - x0, height: y1 - y0 });
      setBox(null);
      const s = bench.get();
      const inside = [...thingsOf(context.level).values()].filter((t) => {
        const place = s.hidden[t.id] || s.locked[t.id] || t.part === "zones" || t.kind === "directional" ? null : placeOf(context.level, t);
        const at = place && stage.project(place);
        return at && at.x >= x0 && at.x <= x1 && at.y >= y0 && at.y <= y1;
      });
      bench.select(meantBy(inside).map((t) => t.id), "add");
    },
    [stage, context.level],
  );

  useDragKeys((e) => {
    if (e.key === "Escape" && stage?.hand.takeBack()) e.stopPropagation();
  });

  useEffect(() => {
    if (!stage) return;
    stage.onClick = clicked;
    stage.onHover = hovered;
    stage.onBox = boxed;
  }, [stage, clicked, hovered, boxed]);
  useEffect(() => {
    setMark(null);
    bench.set({ ghost: null });
  }, [tool]);
  return { mark, box };
}

/** Which of the things in a box are picked. A box round lamps is meant for the lamps and what hangs about them, with a lamp as the
 *  one that fields are about; then come other markers, such as viewpoints, and blocks where there is nothing else. */
export function meantBy(inside: readonly Thing[]): readonly Thing[] {
  const lights = inside.filter((t) => t.part === "lights");
  const air = inside.filter((t) => partsOfAir.some((p) => p === t.part));
  if (lights.length + air.length > 0) return [...air, ...lights];
  const marked = inside.filter(hasMarker);
  return marked.length > 0 ? marked : inside;
}

/** The face of a block that was hit; null for a mesh. */
function faceHit(level: Level, hit: Picked): number | null {
  const solid = level.solids.find((s) => s.id === hit.entity);
  return solid ? faceAlong(level, solid, hit.normal) : null;
}

/** What a rig would bring at a spot. */
async function rigGhost(id: string, { owner, name, version }: Tool & { is: "rig" }, { point, normal }: Picked): Promise<Ghost> {
  const op = await take(api.POST("/api/v1/levels/{id}/presets/operation", { params: { path: { id } }, body: { owner, name, version, at: [...point], normal: [...normal] } }));
  const added = (op.op === "batch" ? (op.steps ?? []) : [op]).filter((s) => s.op === "add" && s.part !== "rigs");
  return ghostOf({ op, ids: added.map((s) => (s.entity as { id: string }).id) });
}

/** A click on something selects it; on a block that is selected, the face; with Alt what is
 *  behind what is selected now. */
function select({ level, selection }: Context, hits: Picked[], click: Click) {
  const s = bench.get();
  const free = hits.filter((h) => !s.locked[h.entity]);
  if (free.length === 0) {
    if (!click.shift && !click.ctrl) bench.set({ selection: [] });
    return;
  }
  const how = click.shift || click.ctrl ? "toggle" : "replace";
  if (click.alt) {
    const now = free.findIndex((h) => selection.some((id) => taken(id).id === h.entity));
    return bench.select([free[(now + 1) % free.length]!.entity], how);
  }
  const hit = free[0]!;
  const chosen = selection.some((id) => taken(id).id === hit.entity);
  const face = chosen ? faceHit(level, hit) : null;
  if (face !== null) {
    const faces = how === "toggle" ? selection.filter((id) => id !== hit.entity) : [];
    bench.set({ selection: faces });
    return bench.select([faceID(hit.entity, face)], how);
  }
  bench.select([hit.entity], how);
}
