import { memo } from "react";
import { X } from "lucide-react";
import type { LightmapState, Report } from "../../api/client";
import type { Context } from "../../commands";
import { bench, useBench, type Panel } from "../../model/bench";
import { Mixer } from "../mixer/Mixer";
import { Charts } from "../charts/Charts";
import { HistoryPanel } from "../history/History";
import { LedgerPanel } from "../ledger/LedgerPanel";
import { Findings } from "../checks/Findings";
import { PresetPanel } from "../panels/panels";
import { ShotsPanel } from "../shots/Shots";
import { TalkPanel } from "../talk/TalkPanel";
import { useThreads } from "../talk/useTalk";

const panels: [Panel, string][] = [
  ["mixer", "Mixer"],
  ["findings", "Findings"],
  ["ledger", "Ledger"],
  ["history", "History"],
  ["shots", "Shots"],
  ["charts", "Charts"],
  ["presets", "Presets"],
  ["talk", "Comments"],
];

type Props = { state: LightmapState | undefined; reports: Report[] | undefined; user: string; context: Context; onApplied: () => void };

/** The panels under the view. */
export const Drawer = memo(function Drawer(props: Props) {
  const panel = useBench((s) => s.panel);
  const open = useThreads(props.context.doc.level.id).threads.filter((t) => !t.first.resolved).length;
  const findings = (props.reports ?? []).reduce((n, r) => n + r.findings.length - r.waived, 0);
  return (
    <section className="flex h-full flex-col bg-base-100" aria-label="Panels">
      <div className="flex h-9 shrink-0 items-center gap-1 border-b border-[#101010] px-2">
        <div className="flex min-w-0 overflow-x-auto overflow-y-hidden" role="tablist" aria-label="Panels">
          {panels.map(([p, name]) => (
            <Tab key={p} panel={p} name={name} chosen={panel === p} count={p === "findings" ? findings : p === "talk" ? open : 0} />
          ))}
        </div>
        <Unheard />
      </div>
      <div className="min-h-0 flex-1" role="tabpanel" aria-label={panel}>
        <Content panel={panel} {...props} />
      </div>
    </section>
  );
});

function Tab({ panel, name, chosen, count }: { panel: Panel; name: string; chosen: boolean; count: number }) {
  // Arrow keys go from tab to tab; only the chosen one is reached by Tab.
  const go = (e: React.KeyboardEvent<HTMLButtonElement>) => {
    const to = e.key === "ArrowRight" ? e.currentTarget.nextElementSibling : e.key === "ArrowLeft" ? e.currentTarget.previousElementSibling : null;
    if (to instanceof HTMLButtonElement) {
      to.focus();
      to.click();
    }
  };
  return (
    <button role="tab" aria-selected={chosen} tabIndex={chosen ? 0 : -1} className={`h-9 border-b-2 px-2.5 ${chosen ? "border-accent" : "dim border-transparent"}`} onClick={() => bench.set({ panel })} onKeyDown={go}>
      {name}
      {count > 0 && <span className="ml-2 text-warning">{count}</span>}
    </button>
  );
}

function Content({ panel, state, reports, user, context, onApplied }: Props & { panel: Panel }) {
  const { doc, canEdit, edit, undo } = context;
  switch (panel) {
    case "mixer":
      return <Mixer doc={doc} state={state} canEdit={canEdit} edit={edit} />;
    case "findings":
      return <Findings reports={reports} doc={doc} user={user} canEdit={canEdit} edit={edit} />;
    case "ledger":
      return <LedgerPanel doc={doc} />;
    case "history":
      return <HistoryPanel doc={doc} canEdit={canEdit} undo={undo} />;
    case "shots":
      return <ShotsPanel doc={doc} />;
    case "charts":
      return <Charts doc={doc} state={state} />;
    case "presets":
      return <PresetPanel doc={doc} context={context} onApplied={onApplied} />;
    case "talk":
      return <TalkPanel doc={doc} user={user} />;
  }
}

/** Says so when the view does not show what is saved. */
function Unheard() {
  const muted = useBench((s) => s.muted);
  const solo = useBench((s) => s.solo);
  const n = [...Object.values(muted), ...Object.values(solo)].filter(Boolean).length;
  if (n === 0) return <span className="ml-auto" />;
  return (
    <button className="btn btn-xs ml-auto" onClick={() => bench.set({ muted: {}, solo: {} })}>
      <X size={12} /> {n} muted or solo
    </button>
  );
}
