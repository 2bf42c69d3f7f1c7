import { useEffect, useRef } from "react";
import type { Document } from "../../api/client";
import type { Stage } from "../../engine/stage";
import { colorOfUser, usePresence } from "../../model/presence";
import { placeOf, thingAt } from "../../model/things";

/** Who else has the level open; a click follows their camera. */
export function People() {
  const { others, following } = usePresence();
  return (
    <div className="flex shrink-0 gap-1" role="group" aria-label="Others on this level">
      {Object.values(others).map((o) => (
        <button
          key={o.client}
          className="grid h-6 w-6 place-items-center rounded-full text-[10px] font-semibold text-black"
          style={{ background: colorOfUser(o.user ?? ""), outline: following === o.client ? "2px solid #f0c35a" : undefined, outlineOffset: 1 }}
          aria-pressed={following === o.client}
          title={`${o.user} is here. ${following === o.client ? "You follow their camera; click to stop." : "Click to follow their camera."}`}
          onClick={() => usePresence.setState({ following: following === o.client ? null : o.client })}
        >
          {(o.user ?? "?").slice(0, 2).toUpperCase()}
        </button>
      ))}
    </div>
  );
}

/** Over the view: what others have selected, and where they stand. */
export function OthersInView({ doc, stage }: { doc: Document; stage: Stage | null }) {
  const others = usePresence((s) => s.others);
  const svg = useRef<SVGSVGElement>(null);
  const marks = Object.values(others).flatMap((o) => {
    const color = colorOfUser(o.user ?? "");
    const selected = o.selection.slice(0, 30).flatMap((id) => {
      const thing = thingAt(doc.document, id);
      const at = thing && placeOf(doc.document, thing);
      return at ? [{ key: `${o.client} ${id}`, at, color, name: `${o.user}: ${thing.name}`, camera: false }] : [];
    });
    return o.camera ? [...selected, { key: o.client, at: o.camera.position, color, name: o.user ?? "", camera: true }] : selected;
  });
  useEffect(() => {
    if (!stage) return;
    const place = () => {
      for (const g of svg.current?.querySelectorAll<SVGGElement>("[data-at]") ?? []) {
        const at = stage.project(g.dataset.at!.split(",").map(Number));
        g.style.display = at ? "" : "none";
        if (at) g.setAttribute("transform", `translate(${at.x} ${at.y})`);
      }
    };
    place();
    return stage.eachFrame(place);
  });
  if (marks.length === 0) return null;
  return (
    <svg ref={svg} className="pointer-events-none absolute inset-0 h-full w-full" aria-hidden data-testid="others">
      {marks.map((m) => (
        <g key={m.key} data-at={m.at.join(",")}>
          {m.camera ? <path d="M-9 -5H3V5H-9ZM3 -2L9 -6V6L3 2Z" fill={m.color} stroke="#161616" /> : <circle r="15" fill="none" stroke={m.color} strokeWidth="2" />}
          <text x={m.camera ? 12 : 18} y="4" fill={m.color} stroke="#161616" strokeWidth="3" paintOrder="stroke" fontSize="11">
            {m.name}
          </text>
        </g>
      ))}
    </svg>
  );
}
