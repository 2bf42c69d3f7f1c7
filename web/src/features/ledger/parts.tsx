import { Pin, PinOff } from "lucide-react";
import type { LevelInfo } from "../../api/client";
import { bench, type Asked } from "../../model/bench";
import { askPoint } from "../data";
import { luxOf, type Contribution } from "./rows";

/** The light at a spot, where it is, and the button that keeps it or lets it go. */
export function SpotLine({ level, asked, name, isKept }: { level: LevelInfo; asked: Asked; name?: "A" | "B"; isKept: boolean }) {
  const a = asked.answer;
  const keep = () => bench.set({ kept: asked, ledger: null, tool: { is: "ask" } });
  return (
    <p className="mb-1 flex min-w-0 items-center gap-2" aria-label={isKept ? "Kept spot" : "Spot"} role="group">
      {name && <b className="rounded-full bg-base-300 px-1.5">{name}</b>}
      <span className="min-w-0 flex-1 truncate">
        {a ? (
          <>
            <b>{a.total.luminance.toPrecision(4)} lx</b> <span title="Standard error of the bounced light">± {a.standard_error.toPrecision(2)}</span> on {a.surface || "a point"}{" "}
            <span className="dim">at {a.point.map((v) => v.toFixed(2)).join(", ")}</span>
          </>
        ) : (
          <span className="dim">Asking…</span>
        )}
      </span>
      {a && <Before revision={a.revision} level={level} onAsk={isKept ? undefined : () => void askPoint(level.id, asked.point, asked.normal)} />}
      {isKept ? (
        <button className="btn btn-xs" title="Let this spot go" onClick={() => bench.set({ kept: null })}>
          <PinOff size={12} /> Let go
        </button>
      ) : (
        <button className="btn btn-xs" title="Keep this spot, and hold the next one against it" disabled={!a} onClick={keep}>
          <Pin size={12} /> Keep
        </button>
      )}
    </p>
  );
}

/** Says that an answer is of before the last change, and asks again, unless it is to stay. */
export function Before({ revision, level, onAsk }: { revision: number; level: LevelInfo; onAsk: (() => void) | undefined }) {
  if (revision >= level.revision) return null;
  return (
    <>
      <span className="shrink-0 text-warning">of revision {revision}</span>
      {onAsk && (
        <button className="btn btn-xs" title="The level has changed since" onClick={onAsk}>
          Ask again
        </button>
      )}
    </>
  );
}

/** The heads of a table's columns, each with its width. */
export function Heads({ of }: { of: readonly (readonly [name: string, width: string])[] }) {
  return (
    <thead>
      <tr className="dim text-left">
        {of.map(([name, width], i) => (
          <th key={i} className={`font-normal ${width}`}>
            {name}
          </th>
        ))}
      </tr>
    </thead>
  );
}

export function SourceName({ id, name }: { id: string; name: string }) {
  return (
    <button className="max-w-full truncate hover:underline" title={`Select ${name}`} onClick={() => bench.select([id])}>
      {name}
    </button>
  );
}

/** A source's light as a bar: direct light, then what bounces. most fills it. */
export function LightBar({ of, most }: { of: Contribution | undefined; most: number }) {
  const part = (lux: number, color: string) => <span className="inline-block h-2 align-middle" style={{ width: `${Math.round((lux / most) * 96)}%`, background: color }} />;
  return (
    <span className="block whitespace-nowrap">
      {part(of?.direct.luminance ?? 0, "#c8c8c8")}
      {part(of?.bounced.luminance ?? 0, "#6a6a6a")}
    </span>
  );
}

/** What stands between a spot and a source; each can be selected. */
export function InTheWay({ of, most }: { of: Contribution | undefined; most: number }) {
  if (!of) return null;
  return (
    <>
      {of.blocked_by.slice(0, most).map((b) => (
        <button key={b.id} className="mr-1 underline" title="Select what is in the way" onClick={() => bench.select([b.id])}>
          {b.id}
        </button>
      ))}
      {of.blocked_by.length === 0 && of.why}
    </>
  );
}

/** A value in lux, a dash for none. */
export const luxText = (lux: number) => (lux ? lux.toPrecision(3) : "–");

/** The light of a source in full, for a tooltip. */
export function inFull(c: Contribution | undefined): string {
  if (!c) return "does not get here by range, cone, facing or zone";
  return `${luxOf(c).toPrecision(3)} lx: ${luxText(c.direct.luminance)} direct, ${luxText(c.bounced.luminance)} ± ${c.standard_error.toPrecision(2)} bounced; ${Math.round(c.visible * 100)} % of it seen`;
}
