import { useEffect, useRef } from "react";
import type { Stage } from "../../engine/stage";
import { useBench, type Asked, type Vec } from "../../model/bench";

/** Pins where spots were asked, and the line that was probed, over the view. */
export function Pins({ stage, revision }: { stage: Stage | null; revision: number }) {
  const ledger = useBench((s) => s.ledger);
  const kept = useBench((s) => s.kept);
  const line = useBench((s) => s.line);
  const tool = useBench((s) => s.tool);
  const svg = useRef<SVGSVGElement>(null);
  const from = tool.is === "line" ? tool.from?.point : undefined;
  const spots = [...(kept ? [{ name: "A ", asked: kept }] : []), ...(ledger ? [{ name: kept ? "B " : "", asked: ledger }] : [])];
  const pins: { name: string; at: Vec }[] = line
    ? [{ name: "0 m", at: line.from }, { name: line.answer ? `${line.answer.spots.at(-1)!.at_m.toFixed(1)} m` : "…", at: line.to }]
    : from
      ? [{ name: "from here", at: from }]
      : spots.map((s) => ({ name: s.name + spotText(s.asked, revision), at: s.asked.point }));
  useEffect(() => {
    if (!stage) return;
    const place = () => svg.current && placePins(stage, svg.current);
    place();
    return stage.eachFrame(place);
  });
  if (pins.length === 0) return null;
  return (
    <svg ref={svg} className="pointer-events-none absolute inset-0 h-full w-full" aria-hidden>
      {line && <path className="probed" fill="none" stroke="#f0c35a" strokeWidth="1.5" strokeDasharray="5 3" />}
      {pins.map((p, i) => (
        <g key={i} data-at={p.at.join(",")}>
          <circle r="4" fill="#161616" stroke="#f0c35a" strokeWidth="2" />
          <text x="9" y="4" fill="#f0f0f0" stroke="#161616" strokeWidth="3" paintOrder="stroke" fontSize="12">
            {p.name}
          </text>
        </g>
      ))}
    </svg>
  );
}

/** The light at a spot, and the revision that it is of where the level has changed since. */
function spotText({ answer }: Asked, revision: number): string {
  if (!answer) return "…";
  const lux = `${answer.total.luminance.toPrecision(3)} lx`;
  return answer.revision < revision ? `${lux}, revision ${answer.revision}` : lux;
}

function placePins(stage: Stage, svg: SVGSVGElement) {
  const places = [...svg.querySelectorAll<SVGGElement>("[data-at]")].map((g) => {
    const at = stage.project(g.dataset.at!.split(",").map(Number));
    g.style.display = at ? "" : "none";
    if (at) g.setAttribute("transform", `translate(${at.x} ${at.y})`);
    return at;
  });
  const path = svg.querySelector(".probed");
  const [a, b] = places;
  path?.setAttribute("d", a && b ? `M${a.x} ${a.y}L${b.x} ${b.y}` : "");
}
