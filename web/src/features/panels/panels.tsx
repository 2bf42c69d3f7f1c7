import { useMutation, useQuery } from "@tanstack/react-query";
import { api, take, type Document, type PresetInfo } from "../../api/client";
import { complain } from "../../ui/messages";
import { ShareWith } from "../../pages/Presets";
import { SavePreset } from "../presets/SavePreset";
import { bench, useBench } from "../../model/bench";

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
