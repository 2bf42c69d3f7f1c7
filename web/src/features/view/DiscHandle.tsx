import { useEffect, useRef } from "react";
import { Moon, Sun } from "lucide-react";
import type { Context } from "../../commands";
import type { Stage } from "../../engine/stage";
import { useBench } from "../../model/bench";
import { aimDisc, directionOf, titleOf, type DiscName } from "../../model/discs";
import { takesBack, useDragKeys } from "../../ui/useDragKeys";

const farM = 400;

const icons = { sun: Sun, moon: Moon };

type Props = { name: DiscName; context: Context; stage: Stage | null; endGesture: () => void; dropGesture: () => void };

/** The sun or moon in the sky of the view, to be dragged there; its light follows. It shows in the stage
 *  Mood, for one that does not stand by place and clock. */
export function DiscHandle({ name, context, stage, endGesture, dropGesture }: Props) {
  const disc = context.level.environment[name];
  const Icon = icons[name];
  const here = useBench((s) => s.stage === "mood");
  const handle = useRef<HTMLButtonElement>(null);
  const shown = here && disc !== undefined && !disc.place && stage !== null;
  useEffect(() => {
    if (!shown || !stage || !disc) return;
    const place = () => {
      if (!handle.current) return;
      const toward = directionOf(disc.azimuth_deg + disc.north_deg, disc.altitude_deg);
      const eye = stage.camera.position.toArray();
      const at = stage.project(eye.map((v, i) => v + farM * toward[i]!));
      handle.current.style.display = at ? "grid" : "none";
      if (at) handle.current.style.transform = `translate(${at.x}px, ${at.y}px)`;
    };
    place();
    return stage.eachFrame(place);
  });
  const pointer = useRef<number | null>(null); // that drags it
  useDragKeys((e) => {
    if (pointer.current === null || !takesBack(e)) return;
    e.preventDefault();
    e.stopPropagation();
    handle.current?.releasePointerCapture(pointer.current);
    pointer.current = null;
    dropGesture();
  });
  if (!shown) return null;
  const drag = (e: React.PointerEvent) => {
    if (pointer.current !== e.pointerId) return;
    context.edit(aimDisc(name, disc, stage.ray(e.clientX, e.clientY).direction), { held: name });
  };
  const take = (e: React.PointerEvent) => {
    pointer.current = e.pointerId;
    handle.current?.setPointerCapture(e.pointerId);
  };
  const letGo = () => {
    pointer.current = null;
    endGesture();
  };
  return (
    <button
      ref={handle}
      className="absolute -left-4 -top-4 z-10 h-8 w-8 place-items-center rounded-full border-2 border-accent bg-[#161616aa] text-accent disabled:opacity-50"
      style={{ display: "none", touchAction: "none" }}
      aria-label={titleOf[name]}
      title={`${titleOf[name]}, ${disc.altitude_deg.toFixed(0)}° high. Drag it through the sky.`}
      disabled={!context.canEdit}
      onPointerDown={take}
      onPointerMove={drag}
      onPointerUp={letGo}
      onPointerCancel={letGo}
    >
      <Icon size={16} />
    </button>
  );
}
