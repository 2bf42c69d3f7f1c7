import type { Document, Report } from "../../api/client";
import { bench } from "../../model/bench";
import { counted } from "../../ui/counted";
import { metersOf } from "../bench/Meters";
import { usePlatforms } from "../data";
import { Group } from "./buttons";

/** The limits of the platform, each with its number, and where they are over. */
export function MeterList({ doc, report }: { doc: Document; report: Report | undefined }) {
  const name = doc.document.platform || "baked-arena";
  const profile = usePlatforms().data?.items.find((p) => p.profile.name === name)?.profile;
  const meters = profile ? metersOf(doc.document, report, profile.limits) : [];
  return (
    <Group title={`Limits of ${name}`}>
      <ul className="px-3">
        {meters.map((m) => (
          <li key={m.name} className={`row flex justify-between ${m.now > m.most ? "text-error" : ""}`}>
            <span>{m.name}</span>
            <span>{m.shown}</span>
          </li>
        ))}
      </ul>
    </Group>
  );
}

/** How many findings there are, by how much they weigh and by family. */
export function Findings({ report }: { report: Report | undefined }) {
  if (!report) return <p className="dim px-3">Checking…</p>;
  const families = new Map<string, number>();
  for (const f of report.findings) families.set(f.rule.split(".")[0]!, (families.get(f.rule.split(".")[0]!) ?? 0) + 1);
  const fixes = report.findings.filter((f) => f.fix).length;
  return (
    <Group title="Findings">
      <ul className="px-3">
        <Row words="refused by the platform" n={report.counts.error ?? 0} />
        <Row words="warnings" n={report.counts.warning ?? 0} />
        <Row words="advice" n={report.counts.advice ?? 0} />
        {[...families].map(([family, n]) => (
          <Row key={family} words={`about ${family}`} n={n} dim />
        ))}
      </ul>
      <button className="btn btn-xs mx-3 mt-1" onClick={() => bench.set({ panel: "findings", folded: { ...bench.get().folded, drawer: false } })}>
        {fixes > 0 ? `Show them; ${counted(fixes, "can be mended", "can be mended")} by a click` : "Show them"}
      </button>
    </Group>
  );
}

function Row({ words, n, dim = false }: { words: string; n: number; dim?: boolean }) {
  return (
    <li className={`row flex justify-between ${dim || n === 0 ? "dim" : ""}`}>
      <span>{words}</span>
      <span>{n}</span>
    </li>
  );
}
