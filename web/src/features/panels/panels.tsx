import { useMutation, useQuery } from "@tanstack/react-query";
import { AlertTriangle, CircleAlert, Info, MapPin, Wrench } from "lucide-react";
import { api, take, type Document, type Finding, type PresetInfo, type Report } from "../../api/client";
import type { Context } from "../../commands";
import { counted } from "../../ui/counted";
import { complain } from "../../ui/messages";
import { ShareWith } from "../../pages/Presets";
import { SavePreset } from "../presets/SavePreset";
import { bench, useBench, type Vec } from "../../model/bench";

const marks = {
  error: <CircleAlert size={14} className="text-error" aria-label="Error" />,
  warning: <AlertTriangle size={14} className="text-warning" aria-label="Warning" />,
  advice: <Info size={14} className="dim" aria-label="Advice" />,
};

/** What the check found: each flies to its place, and settles itself where it can. */
export function Findings({ report, doc, canEdit, edit }: { report: Report | undefined; doc: Document; canEdit: boolean; edit: Context["edit"] }) {
  if (!report) return <p className="dim p-4">Checking…</p>;
  return (
    <div className="h-full overflow-auto">
      {report.findings.length === 0 && (
        <p className="p-4">
          Nothing to mend: {report.platform} takes this level. <span className="dim">Lightmap {counted(report.lightmap.pages, "page")} of {report.lightmap.page_size}.</span>
        </p>
      )}
      <ul>
        {report.findings.map((f, i) => (
          <li key={i} className="flex items-start gap-3 border-b border-[#101010] px-3 py-2" data-rule={f.rule}>
            <span className="mt-0.5">{marks[f.severity]}</span>
            <div className="min-w-0 flex-1">
              <p>{f.message}</p>
              <p className="dim">
                {f.why} <span className="ml-2">{f.rule}</span>
              </p>
            </div>
            {f.point && (
              <button className="btn btn-xs" onClick={() => flyTo(f, doc)}>
                <MapPin size={12} /> Go there
              </button>
            )}
            {f.fix && (
              <button className="btn btn-xs" disabled={!canEdit} onClick={() => edit(f.fix!)} title={f.fix.label}>
                <Wrench size={12} /> {f.fix.label && f.fix.label.length < 44 ? f.fix.label : "Fix"}
              </button>
            )}
          </li>
        ))}
      </ul>
    </div>
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

export function PresetPanel({ doc, user, canEdit, onApplied }: { doc: Document; user: string; canEdit: boolean; onApplied: () => void }) {
  const presets = useQuery({ queryKey: ["presets"], queryFn: () => take(api.GET("/api/v1/presets")), staleTime: 0 });
  const placing = useBench((s) => (s.tool.is === "rig" ? s.tool.name : null));
  const apply = useMutation({
    mutationFn: (p: PresetInfo) => take(api.POST("/api/v1/levels/{id}/presets", { params: { path: { id: doc.level.id } }, body: { owner: p.owner, name: p.name, version: p.version } })),
    onSuccess: onApplied,
    onError: complain,
  });
  return (
    <div className="flex h-full">
      <ul className="min-w-0 flex-1 overflow-auto">
        {presets.data?.items.length === 0 && <li className="dim p-4">No presets yet. Save this level's mood or one of its rigs.</li>}
        {presets.data?.items.map((p) => (
          <li key={p.owner + p.name} className="flex items-start gap-3 border-b border-[#101010] px-3 py-1.5">
            <div className="min-w-0 flex-1">
              <b>{p.name}</b> <span className="dim">{`${p.kind} · version ${p.version} · ${p.owner}`}</span>
              <p className="dim truncate">{[p.note, p.tags.join(", ")].filter(Boolean).join(" · ")}</p>
              {p.owner === user && <ShareWith preset={p} user={user} />}
            </div>
            {p.kind !== "rig" ? (
              <button className="btn btn-xs" disabled={!canEdit || apply.isPending} onClick={() => apply.mutate(p)}>
                Apply
              </button>
            ) : (
              <button
                className="btn btn-xs"
                disabled={!canEdit}
                aria-pressed={placing === p.name}
                onClick={() => bench.set({ tool: placing === p.name ? { is: "select" } : { is: "rig", owner: p.owner, name: p.name, version: p.version } })}
              >
                {placing === p.name ? "Click a surface…" : "Place"}
              </button>
            )}
          </li>
        ))}
      </ul>
      <div className="w-72 shrink-0 overflow-auto border-l border-[#101010] pt-3">
        <SavePreset doc={doc} />
      </div>
    </div>
  );
}
