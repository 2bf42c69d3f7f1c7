import type { Document, Report } from "../../api/client";
import { bench } from "../../model/bench";
import { spentText } from "../../model/findings";
import { counted } from "../../ui/counted";
import type { Context } from "../../commands";
import { platformOf, platformsOf } from "../../model/platforms";
import { usePlatformNames } from "../data";
import { Group } from "./buttons";

/** All limits of the platform, each with its number, and where they are over. */
export function Budget({ report }: { report: Report | undefined }) {
  if (!report) return null;
  return (
    <Group title={`Limits of ${report.platform}`}>
      <ul className="px-3">
        {report.budget.map((b) => (
          <li key={b.rule} className={`row flex justify-between gap-2 ${b.now > b.most ? "text-error" : ""}`} title={b.why}>
            <span>{b.what}</span>
            <span className="shrink-0">{spentText(b)}</span>
          </li>
        ))}
        {report.budget.length === 0 && <li className="dim">It has no limits.</li>}
      </ul>
    </Group>
  );
}

/** Opens what makes the level fit its platforms. */
export function FitButton({ doc }: { doc: Document }) {
  const platforms = platformsOf(doc);
  return (
    <button className="btn btn-xs mx-3 my-1" onClick={() => bench.set({ dialog: "fit" })} title="The least visible change after which every limit holds">
      Fit to {platforms.length === 1 ? platforms[0] : `${platforms.length} platforms`}…
    </button>
  );
}

/** The further platforms that the level is for: each gets a column of findings. */
export function AlsoFor({ doc, context }: { doc: Document; context: Context }) {
  const names = usePlatformNames();
  const own = platformOf(doc.document);
  const also = doc.document.also_for ?? [];
  return (
    <Group title="Also for">
      <div className="px-3">
        {names
          .filter((name) => name !== own)
          .map((name) => (
            <label key={name} className="row flex items-center gap-2">
              <input
                type="checkbox"
                className="checkbox checkbox-xs"
                disabled={!context.canEdit}
                checked={also.includes(name)}
                onChange={(e) => context.edit({ op: "set", fields: { also_for: e.target.checked ? [...also, name] : also.filter((n) => n !== name) } })}
              />
              {name}
            </label>
          ))}
      </div>
    </Group>
  );
}

/** How many findings there are, by how much they weigh and by family. */
export function Findings({ report }: { report: Report | undefined }) {
  if (!report) return <p className="dim px-3">Checking…</p>;
  const families = new Map<string, number>();
  for (const f of report.findings) families.set(f.family, (families.get(f.family) ?? 0) + 1);
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
        {fixes > 0 ? `Show them; ${counted(fixes, "has a fix", "have a fix")}` : "Show them"}
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
