import { useState } from "react";
import type { LevelInfo, LightLine } from "../../api/client";
import { bench, type Vec } from "../../model/bench";
import { ticksUpTo } from "../../model/ticks";
import { askLine } from "../data";
import { Before } from "./parts";

const width = 760;
const height = 130;
const left = 46;
const bottom = 18;

/** The light along a line: direct below, bounced on top of it, in lux by metres. */
export function LinePlot({ level, from, to, normal, answer }: { level: LevelInfo; from: Vec; to: Vec; normal: Vec; answer: LightLine | null }) {
  const [at, setAt] = useState<number | null>(null);
  if (!answer) return <p className="dim p-4">Asking along the line…</p>;
  const spots = answer.spots.map((s) => ({ ...s, total: s.direct.luminance + s.bounced.luminance }));
  const most = Math.max(...spots.map((s) => s.total), 1e-6);
  const length = spots.at(-1)!.at_m;
  const x = (m: number) => left + ((width - left - 8) * m) / length;
  const y = (lux: number) => 6 + (height - bottom - 6) * (1 - lux / most);
  const area = (top: (s: (typeof spots)[number]) => number) => `M${x(0)} ${y(0)}${spots.map((s) => `L${x(s.at_m)} ${y(top(s))}`).join("")}L${x(length)} ${y(0)}Z`;
  const read = at === null ? null : spots[at];
  const find = (e: React.PointerEvent<SVGSVGElement>) => {
    const box = e.currentTarget.getBoundingClientRect();
    const m = (((e.clientX - box.left) / box.width) * width - left) / (width - left - 8);
    setAt(Math.min(spots.length - 1, Math.max(0, Math.round(m * (spots.length - 1)))));
  };
  return (
    <section className="flex h-full min-w-0 flex-col px-3 py-2" aria-label="Light along the line">
      <p className="mb-1 flex items-center gap-3">
        <b>{length.toFixed(2)} m</b>
        <span className="dim truncate">
          from {from.map((v) => v.toFixed(2)).join(", ")} to {to.map((v) => v.toFixed(2)).join(", ")}: {Math.min(...spots.map((s) => s.total)).toPrecision(3)} to {most.toPrecision(3)} lx
        </span>
        <span className="ml-auto tabular-nums" aria-live="polite">
          {read ? `${read.at_m.toFixed(2)} m: ${read.total.toPrecision(3)} lx (direct ${read.direct.luminance.toPrecision(2)}, bounced ${read.bounced.luminance.toPrecision(2)}), most from ${read.most || "nothing"}` : "Point at the plot to read it."}
        </span>
        <Before revision={answer.revision} level={level} onAsk={() => void askLine(level.id, from, to, normal)} />
        <button className="btn btn-xs" onClick={() => bench.set({ line: null })}>
          Close
        </button>
      </p>
      <svg viewBox={`0 0 ${width} ${height}`} className="min-h-0 w-full flex-1" role="img" aria-label={`Light from ${Math.min(...spots.map((s) => s.total)).toPrecision(3)} to ${most.toPrecision(3)} lux over ${length.toFixed(1)} metres`} onPointerMove={find} onPointerLeave={() => setAt(null)}>
        {ticksUpTo(most, 4).map((v) => (
          <g key={v}>
            <line x1={left} x2={width - 8} y1={y(v)} y2={y(v)} stroke="#333" />
            <text x={left - 5} y={y(v) + 3} fill="#9a9a9a" fontSize="9" textAnchor="end">
              {v} lx
            </text>
          </g>
        ))}
        {ticksUpTo(length, 8).map((v) => (
          <text key={v} x={x(v)} y={height - 5} fill="#9a9a9a" fontSize="9" textAnchor="middle">
            {v} m
          </text>
        ))}
        <path d={area((s) => s.total)} fill="#6a6a6a" />
        <path d={area((s) => s.direct.luminance)} fill="#c8c8c8" />
        {read && <line x1={x(read.at_m)} x2={x(read.at_m)} y1={4} y2={height - bottom} stroke="#f0c35a" />}
      </svg>
    </section>
  );
}
