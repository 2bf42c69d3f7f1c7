import { Pin, PinOff } from "lucide-react";
import type { Schemas } from "../../api/client";
import { bench, useBench, type Asked } from "../../model/bench";
import { LinePlot } from "./LinePlot";

type Contribution = Schemas["Contribution"];

/** Who lights a spot, by how much, and what stands in the way; or the light along a line. */
export function LedgerPanel() {
  const ledger = useBench((s) => s.ledger);
  const kept = useBench((s) => s.kept);
  const line = useBench((s) => s.line);
  if (line) return <LinePlot from={line.from} to={line.to} answer={line.answer} />;
  if (!ledger)
    return (
      <p className="dim p-4">
        <button className="underline" onClick={() => bench.set({ tool: { is: "ask" } })}>
          Ask a spot
        </button>{" "}
        who lights it, by how much, and what stands in the way; or{" "}
        <button className="underline" onClick={() => bench.set({ tool: { is: "line", from: null } })}>
          probe a line
        </button>{" "}
        for the light along it.
      </p>
    );
  return (
    <div className="flex h-full">
      <Book asked={ledger} name="B" other={kept} />
      {kept && <Book asked={kept} name="A" other={ledger} />}
    </div>
  );
}

const luxOf = (c: Contribution) => c.direct.luminance + c.bounced.luminance;

/** One spot's answer. Beside another one it says how much each source differs. */
function Book({ asked, name, other }: { asked: Asked; name: "A" | "B"; other: Asked | null }) {
  const a = asked.answer;
  if (!a) return <p className="dim flex-1 p-4">Asking…</p>;
  const shown = a.sources.filter((s) => s.direct.luminance > 0 || s.blocked || luxOf(s) > 0);
  const rest = a.sources.length - shown.length;
  const most = Math.max(...shown.map(luxOf), 1e-12);
  const others = new Map(other?.answer?.sources.map((s) => [s.id, luxOf(s)]));
  const isKept = name === "A";
  return (
    <section className="min-w-0 flex-1 overflow-auto border-r border-[#101010] px-3 py-2" aria-label={isKept ? "Kept spot" : "Spot"}>
      <p className="mb-1 flex items-center gap-2">
        {other && <b className="rounded-full bg-base-300 px-1.5">{name}</b>}
        <span className="min-w-0 flex-1 truncate">
          <b>{a.total.luminance.toPrecision(4)} lx</b> <span title="Standard error of the bounced light">± {a.standard_error.toPrecision(2)}</span> on {a.surface || "a point"} <span className="dim">at {a.point.map((v) => v.toFixed(2)).join(", ")}</span>
        </span>
        <button className="btn btn-xs" title={isKept ? "Let this spot go" : "Keep this spot, and hold the next one against it"} onClick={() => bench.set(isKept ? { kept: null } : { kept: asked, ledger: null, tool: { is: "ask" } })}>
          {isKept ? <PinOff size={12} /> : <Pin size={12} />} {isKept ? "Let go" : "Keep"}
        </button>
      </p>
      <table className="w-full min-w-[460px] whitespace-nowrap [&_td]:pr-3 [&_th]:pr-3">
        <thead>
          <tr className="dim text-left">
            <th className="font-normal">Source</th>
            <th className="w-1/4 font-normal">Light</th>
            <th className="font-normal">Direct</th>
            <th className="font-normal">Bounced</th>
            <th className="font-normal">{other ? "Other spot" : "Share"}</th>
            <th className="font-normal">Seen</th>
            <th className="font-normal">In the way</th>
          </tr>
        </thead>
        <tbody>
          {shown.map((s) => (
            <tr key={s.id} className="row whitespace-nowrap border-t border-[#101010]">
              <td className="max-w-36 truncate">
                <button className="hover:underline" onClick={() => bench.select([s.id])}>
                  {s.name}
                </button>
              </td>
              <td>
                <Bar direct={s.direct.luminance / most} bounced={s.bounced.luminance / most} />
              </td>
              <td>{s.direct.luminance ? s.direct.luminance.toPrecision(3) : "–"}</td>
              <td title={`± ${s.standard_error.toPrecision(2)} lx`}>{s.bounced.luminance ? s.bounced.luminance.toPrecision(3) : "–"}</td>
              <td>{other ? (others.get(s.id) ?? 0).toPrecision(3) : `${(s.share * 100).toFixed(1)} %`}</td>
              <td>{Math.round(s.visible * 100)} %</td>
              <td className="dim max-w-48 truncate">
                {s.blocked_by.slice(0, 3).map((b) => (
                  <button key={b.id} className="mr-1 underline" title="Select what is in the way" onClick={() => bench.select([b.id])}>
                    {b.id}
                  </button>
                ))}
                {s.blocked_by.length === 0 && s.why}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="dim mt-1">
        Lux; light bars direct, dark bars bounced.{rest > 0 && ` ${rest} more do not get here by range, cone, facing or zone.`}
      </p>
    </section>
  );
}

function Bar({ direct, bounced }: { direct: number; bounced: number }) {
  const part = (share: number, color: string) => <span className="inline-block h-2 align-middle" style={{ width: `${Math.round(share * 96)}%`, background: color }} />;
  return (
    <span className="block whitespace-nowrap">
      {part(direct, "#c8c8c8")}
      {part(bounced, "#6a6a6a")}
    </span>
  );
}
