import { useState } from "react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { AlertTriangle, CircleAlert, Info, MapPin, Wrench } from "lucide-react";
import { api, take, type Document, type Finding, type PresetInfo, type Report } from "../../api/client";
import type { Context } from "../../commands";
import { counted } from "../../ui/counted";
import { complain, notice } from "../../ui/messages";
import { ago } from "../../ui/time";
import { ShareWith } from "../../pages/Presets";
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

export function LedgerPanel() {
  const ledger = useBench((s) => s.ledger);
  if (!ledger) return <p className="dim p-4">Click a surface in the view: who lights it, by how much, and what stands in the way.</p>;
  const a = ledger.answer;
  if (!a) return <p className="dim p-4">Asking…</p>;
  const shown = a.sources.filter((s) => s.direct.luminance > 0 || s.blocked);
  const rest = a.sources.length - shown.length;
  return (
    <div className="h-full overflow-auto px-3 py-2">
      <p className="mb-1">
        <b>{a.total.luminance.toPrecision(4)} lx</b> on {a.surface || "a point"} <span className="dim">at {a.point.map((v) => v.toFixed(2)).join(", ")}</span>
      </p>
      <table className="w-full">
        <thead>
          <tr className="dim text-left">
            <th className="font-normal">Source</th>
            <th className="font-normal">Direct</th>
            <th className="font-normal">Bounced</th>
            <th className="w-1/4 font-normal">Share</th>
            <th className="font-normal">Seen</th>
            <th className="font-normal">In the way</th>
          </tr>
        </thead>
        <tbody>
          {shown.map((s) => (
            <tr key={s.id} className="row border-t border-[#101010]">
              <td>
                <button className="hover:underline" onClick={() => bench.select([s.id])}>
                  {s.name}
                </button>
              </td>
              <td>{s.direct.luminance.toPrecision(3)} lx</td>
              <td>{s.bounced.luminance ? `${s.bounced.luminance.toPrecision(3)} lx` : "–"}</td>
              <td>
                <span className="inline-block h-1.5 bg-[#b8b8b8] align-middle" style={{ width: `${Math.round(s.share * 70)}%` }} /> {(s.share * 100).toFixed(1)} %
              </td>
              <td>{Math.round(s.visible * 100)} %</td>
              <td className="dim">{s.blocked_by.map((b) => b.id).join(", ") || s.why || ""}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {rest > 0 && <p className="dim mt-1">{rest} more do not get here by range, cone, facing or zone.</p>}
    </div>
  );
}

export function HistoryPanel({ id, revision }: { id: string; revision: number }) {
  const history = useQuery({
    queryKey: ["history", id, revision],
    queryFn: () => take(api.GET("/api/v1/levels/{id}/revisions", { params: { path: { id }, query: { limit: 60 } } })),
    placeholderData: (old) => old,
  });
  return (
    <ol className="h-full overflow-auto">
      {(history.data?.items ?? []).map((r) => (
        <li key={r.number} className="row flex gap-3 border-b border-[#101010] px-3 py-1">
          <span className="dim w-10 text-right">{r.number}</span>
          <span className="min-w-0 flex-1 truncate">{r.label}</span>
          <span className="dim">
            {r.author}, {ago(r.time)}
          </span>
        </li>
      ))}
    </ol>
  );
}

export function PresetPanel({ doc, user, canEdit, onApplied }: { doc: Document; user: string; canEdit: boolean; onApplied: () => void }) {
  const queries = useQueryClient();
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
      <SavePreset doc={doc} onSaved={() => queries.invalidateQueries({ queryKey: ["presets"] })} />
    </div>
  );
}

function SavePreset({ doc, onSaved }: { doc: Document; onSaved: () => void }) {
  const [name, setName] = useState("");
  const [rig, setRig] = useState("");
  const [note, setNote] = useState("");
  const [tags, setTags] = useState("");
  const [credit, setCredit] = useState("");
  const save = useMutation({
    mutationFn: () =>
      take(
        api.POST("/api/v1/presets", {
          body: { name, level: doc.level.id, ...(rig === ":look" ? { look: true } : rig ? { rig } : {}), note, credit, tags: tags.split(/[ ,]+/).filter(Boolean) },
        }),
      ),
    onSuccess: (p) => {
      notice(`Saved ${p.name}, version ${p.version}.`);
      setName("");
      onSaved();
    },
    onError: complain,
  });
  return (
    <form
      className="flex w-72 shrink-0 flex-col gap-1 border-l border-[#101010] p-3"
      onSubmit={(e) => {
        e.preventDefault();
        save.mutate();
      }}
    >
      <b>Save from this level</b>
      <select className="field" aria-label="What to save" value={rig} onChange={(e) => setRig(e.target.value)}>
        <option value="">Mood: ambient, sky, fog, look</option>
        <option value=":look">Look alone</option>
        {doc.document.rigs.map((r) => (
          <option key={r.id} value={r.id}>
            Rig: {r.name || r.id}
          </option>
        ))}
      </select>
      <input className="field" aria-label="Name of the preset" placeholder="name-like-this" required pattern="[a-z0-9][a-z0-9._\-]{0,63}" title="a-z, 0-9, dot, dash and underscore" value={name} onChange={(e) => setName(e.target.value)} />
      <input className="field" aria-label="Note" placeholder="note" value={note} onChange={(e) => setNote(e.target.value)} />
      <input className="field" aria-label="Tags" placeholder="tags, with spaces between" value={tags} onChange={(e) => setTags(e.target.value)} />
      <input className="field" aria-label="Credit" placeholder="credit" value={credit} onChange={(e) => setCredit(e.target.value)} />
      <button className="btn btn-xs mt-1" disabled={save.isPending}>
        Save
      </button>
    </form>
  );
}
