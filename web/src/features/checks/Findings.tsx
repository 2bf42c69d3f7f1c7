import { AlertTriangle, CircleAlert, Info, MapPin, Wrench, X } from "lucide-react";
import { useState } from "react";
import type { Document, Finding, Report } from "../../api/client";
import type { Context } from "../../commands";
import { bench, useBench, type Vec } from "../../model/bench";
import { byRule, filtered, fixAll, spentText, unwaive, waive, type Shown } from "../../model/findings";
import { counted } from "../../ui/counted";

const marks = {
  error: <CircleAlert size={14} className="text-error" aria-label="Error" />,
  warning: <AlertTriangle size={14} className="text-warning" aria-label="Warning" />,
  advice: <Info size={14} className="dim" aria-label="Advice" />,
};

const families = ["limits", "closure", "links", "look", "play"] as const;
const severities = ["error", "warning", "advice"] as const;

type Props = { reports: Report[] | undefined; doc: Document; user: string; canEdit: boolean; edit: Context["edit"] };

/** What the checks found, a column for each platform: each flies to its place, settles itself where it
 *  can, or is waived with a reason. */
export function Findings({ reports, ...rest }: Props) {
  const [chosen, setShown] = useState<Omit<Shown, "rule">>({ severity: "", family: "", waived: false });
  const rule = useBench((s) => s.rule);
  const shown = { ...chosen, rule };
  if (!reports) return <p className="dim p-4">Checking…</p>;
  const every = reports.flatMap((r) => r.findings);
  return (
    <div className="flex h-full flex-col">
      {(every.length > 0 || rule) && <Filter shown={shown} onChange={setShown} all={every} left={fixAll(filtered(every, shown))} canEdit={rest.canEdit} edit={rest.edit} />}
      <div className="flex min-h-0 flex-1">
        {reports.map((r) => (
          <Column key={r.platform} report={r} alone={reports.length === 1} shown={shown} {...rest} />
        ))}
      </div>
    </div>
  );
}

type FilterProps = { shown: Shown; onChange: (shown: Omit<Shown, "rule">) => void; all: Finding[]; left: ReturnType<typeof fixAll>; canEdit: boolean; edit: Context["edit"] };

function Filter({ shown, onChange, all, left, canEdit, edit }: FilterProps) {
  const waived = all.filter((f) => f.waived).length;
  return (
    <div className="flex shrink-0 flex-wrap items-center gap-2 border-b border-[#101010] px-3 py-1">
      <select className="field !w-28" aria-label="Severity" value={shown.severity} onChange={(e) => onChange({ ...shown, severity: e.target.value as Shown["severity"] })}>
        <option value="">all severities</option>
        {severities.map((s) => (
          <option key={s} value={s}>{`${s} (${all.filter((f) => f.severity === s && !f.waived).length})`}</option>
        ))}
      </select>
      <select className="field !w-28" aria-label="Family" value={shown.family} onChange={(e) => onChange({ ...shown, family: e.target.value as Shown["family"] })}>
        <option value="">all families</option>
        {families.map((f) => (
          <option key={f} value={f}>{`${f} (${all.filter((x) => x.family === f && !x.waived).length})`}</option>
        ))}
      </select>
      {shown.rule && (
        <button className="btn btn-xs" title="Show the findings of all rules again" onClick={() => bench.set({ rule: "" })}>
          only {shown.rule} <X size={12} aria-label="Show all" />
        </button>
      )}
      {waived > 0 && (
        <label className="flex items-center gap-1">
          <input type="checkbox" className="checkbox checkbox-xs" checked={shown.waived} onChange={(e) => onChange({ ...shown, waived: e.target.checked })} /> {waived} waived
        </label>
      )}
      {left && left.steps.length > 1 && (
        <button className="btn btn-xs ml-auto" disabled={!canEdit} onClick={() => edit(left)} title="One change; one undo takes it back">
          <Wrench size={12} /> Fix all {left.steps.length}
        </button>
      )}
    </div>
  );
}

function Column({ report, alone, shown, ...rest }: Omit<Props, "reports"> & { report: Report; alone: boolean; shown: Shown }) {
  const findings = filtered(report.findings, shown);
  return (
    <section className="min-w-0 flex-1 overflow-auto border-r border-[#101010] last:border-r-0" aria-label={`Findings for ${report.platform}`}>
      {!alone && (
        <h3 className="sticky top-0 z-10 flex justify-between bg-base-300 px-3 py-1 font-semibold">
          {report.platform}
          <span className="dim font-normal">{`${report.counts.error ?? 0} refused, ${report.counts.warning ?? 0} warnings`}</span>
        </h3>
      )}
      {findings.length === 0 && (
        <p className="p-4">
          {noneText(report, shown.rule)}{" "}
          <span className="dim">
            The lightmap has {counted(report.lightmap.pages, "page")} of {report.lightmap.page_size} × {report.lightmap.page_size} texels.
          </span>
        </p>
      )}
      <ul>
        {byRule(findings).map((g) => (
          <Rule key={g.rule} findings={g.findings} {...rest} />
        ))}
      </ul>
    </section>
  );
}

/** What is said where nothing is found; of a rule with a limit, how much of that is taken. */
function noneText(report: Report, rule: string): string {
  const spent = report.budget.find((b) => b.rule === rule);
  if (spent) return `Nothing is found by ${rule}: ${spent.what}, ${spentText(spent)}.`;
  if (rule) return `Nothing is found by ${rule}.`;
  return report.findings.length === 0 ? `Nothing to mend: ${report.platform} takes this level.` : "Nothing of what is looked for.";
}

/** Findings of one rule: the first ones, and the others when they are asked for. */
function Rule({ findings, ...rest }: Omit<Props, "reports"> & { findings: Finding[] }) {
  const [open, setOpen] = useState(false);
  const most = 3;
  const shown = open ? findings : findings.slice(0, most);
  return (
    <>
      {shown.map((f, i) => (
        <Item key={f.rule + i} finding={f} {...rest} />
      ))}
      {findings.length > most && (
        <li className="border-b border-[#101010] px-3 py-1">
          <button className="btn btn-ghost btn-xs" aria-expanded={open} onClick={() => setOpen(!open)}>
            {open ? "Show fewer" : `${findings.length - most} more of ${findings[0]!.rule}`}
          </button>
        </li>
      )}
    </>
  );
}

function Item({ finding: f, doc, user, canEdit, edit }: Omit<Props, "reports"> & { finding: Finding }) {
  const [reason, setReason] = useState<string | null>(null);
  const show = () => bench.set({ evidence: { path: f.path ?? [], region: f.region ?? [] } });
  return (
    <li
      className={`border-b border-[#101010] px-3 py-2 ${f.waived ? "opacity-60" : ""}`}
      data-rule={f.rule}
      onPointerEnter={show}
      onPointerLeave={() => bench.set({ evidence: null })}
    >
      <div className="flex flex-wrap items-start gap-x-2 gap-y-1">
        <span className="mt-0.5">{marks[f.severity]}</span>
        <div className="min-w-[220px] flex-1">
          <p>{f.message}</p>
          <p className="dim">
            {f.waived ? `Meant: ${f.waived}` : f.why} <span className="ml-2">{f.rule}</span>
          </p>
        </div>
        {f.point && (
          <button className="btn btn-xs" onClick={() => flyTo(f, doc)} onFocus={show}>
            <MapPin size={12} /> Go there
          </button>
        )}
        {f.fix && !f.waived && (
          <button className="btn btn-xs" disabled={!canEdit} onClick={() => edit(f.fix!)} title={f.fix.label}>
            <Wrench size={12} /> {f.fix.label && f.fix.label.length < 44 ? f.fix.label : "Fix"}
          </button>
        )}
        {f.waived ? (
          <button className="btn btn-ghost btn-xs" disabled={!canEdit} onClick={() => edit(unwaive(doc.document, f))}>
            Take back
          </button>
        ) : (
          <button className="btn btn-ghost btn-xs" disabled={!canEdit} aria-expanded={reason !== null} onClick={() => setReason(reason === null ? "" : null)} title="Say that it is meant">
            Waive
          </button>
        )}
      </div>
      {reason !== null && (
        <form
          className="mt-2 flex gap-2 pl-7"
          onSubmit={(e) => {
            e.preventDefault();
            if (!reason.trim()) return;
            edit(waive(doc.document, f, reason.trim(), user));
            setReason(null);
          }}
        >
          <input className="field flex-1" autoFocus aria-label="Why it is meant" placeholder="why it is meant; it stays with the level" maxLength={400} value={reason} onChange={(e) => setReason(e.target.value)} onKeyDown={(e) => e.key === "Escape" && setReason(null)} />
          <button className="btn btn-xs" disabled={!reason.trim()}>
            Keep as meant
          </button>
        </form>
      )}
    </li>
  );
}

/** Stands at the viewpoint nearest to the place, if one is near, and looks at it. */
export function flyTo(f: Finding, doc: Document) {
  const p = f.point as Vec;
  const near = doc.document.viewpoints
    .map((v) => ({ at: v.transform.position as Vec, d: Math.hypot(...v.transform.position.map((x, i) => x - p[i]!)) }))
    .sort((a, b) => a.d - b.d)[0];
  const from: Vec = near && near.d < 9 && near.d > 0.8 ? near.at : [p[0] + 2.2, p[1] + 1.4, p[2] + 2.2];
  bench.fly(from, p);
  const first = f.entities.find((id) => doc.document.lights.some((l) => l.id === id && l.kind !== "directional") || doc.document.glows.some((g) => g.id === id));
  if (first) bench.select([first]);
}
