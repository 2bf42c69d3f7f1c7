import type { Level, Report, Schemas } from "../../api/client";
import { bench } from "../../model/bench";

type Limits = Schemas["Profile"]["limits"];
export type Meter = { name: string; now: number; most: number; keptFree: number; rule: string; shown: string };

/** How much of each limit of a platform a level takes. Limits that a platform does not have
 *  have no meter. */
export function metersOf(level: Level, report: Report | undefined, limits: Limits): Meter[] {
  const out: Meter[] = [];
  const add = (name: string, now: number, most: number | undefined, rule: string, shown = `${now} of ${most}`, keptFree = 0) => {
    if (most !== undefined && most > 0) out.push({ name, now, most, keptFree, rule, shown });
  };
  const counted = report?.budget.find((b) => b.rule === "limits.lights")?.now; // the platform takes some for no lights
  add("Lights", counted ?? level.lights.filter((l) => l.enabled).length, limits.lights?.max, "limits.lights");
  const overlap = report?.findings.find((f) => f.rule === "limits.shadow-overlap");
  if (limits.shadow_overlap) {
    const { max, reserve } = limits.shadow_overlap;
    const most = max - reserve;
    // Without a finding the worst place keeps to the limit; how far is not told.
    add("Shadows", overlap?.count ?? 0, most, "limits.shadow-overlap", overlap ? `${overlap.count} of ${most}` : `at most ${most}`, reserve);
  }
  if (report) {
    add("Pages", report.lightmap.pages, limits.lightmap_pages?.max, "limits.lightmap-pages");
    const mb = (v: number) => (v / 1e6).toFixed(v < 1e7 ? 1 : 0);
    add("Bytes", report.lightmap.bytes, limits.lightmap_bytes?.max, "limits.lightmap-bytes", `${mb(report.lightmap.bytes)} of ${mb(limits.lightmap_bytes?.max ?? 0)} MB`);
  }
  const build = report?.budget.find((b) => b.rule === "limits.build-time");
  if (build) {
    const step = 10 ** Math.floor(Math.log10(Math.max(build.now, 0.1)));
    const minutes = build.at_most ? Number((Math.ceil(build.now / step) * step).toPrecision(1)) : Number(build.now.toPrecision(2));
    add("Build", minutes, build.most, build.rule, build.at_most ? `at most ${minutes} of ${build.most} min` : `${minutes} of ${build.most} min`);
  }
  return out;
}

/** The budget of the platform, always in sight; a click opens what its rule finds. */
export function Meters({ level, report, limits }: { level: Level; report: Report | undefined; limits: Limits | undefined }) {
  if (!limits) return null;
  return (
    <div className="flex shrink-0 gap-2" role="group" aria-label="Budget of the platform">
      {metersOf(level, report, limits).map((m) => (
        <MeterBar key={m.name} meter={m} />
      ))}
    </div>
  );
}

function MeterBar({ meter: m }: { meter: Meter }) {
  const over = m.now > m.most;
  return (
    <button
      className="w-[76px] text-left max-[1150px]:w-[48px]"
      title={`${m.name}: ${m.shown}${m.keptFree > 0 ? `, ${m.keptFree} more kept free` : ""}${over ? ", over the limit" : ""}. Click for what is found.`}
      onClick={() => bench.set({ panel: "findings", rule: m.rule, folded: { ...bench.get().folded, drawer: false } })}
    >
      <span className={`flex justify-between gap-1 text-[10px] leading-3 ${over ? "text-error" : "dim"}`}>
        <span className="max-[1150px]:sr-only">{m.name}</span>
        <span className="truncate">{m.shown.replace(" of ", "/").replace(" MB", "").replace(" min", "′").replace("at most ", "≤")}</span>
      </span>
      <span className="mt-1 block h-[3px] bg-[#3a3a3a]">
        <span className={`block h-full ${over ? "over-limit" : "bg-[#a8a8a8]"}`} style={{ width: `${Math.min(100, (100 * m.now) / m.most)}%` }} />
      </span>
    </button>
  );
}
