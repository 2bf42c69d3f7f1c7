import { useState } from "react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, take, type PresetInfo } from "../api/client";
import { complain } from "../ui/messages";
import { Shell } from "../ui/Shell";
import { ago } from "../ui/time";

export function Presets({ user }: { user: string }) {
  const presets = useQuery({ queryKey: ["presets"], queryFn: () => take(api.GET("/api/v1/presets")), staleTime: 0 });
  const [tags, setTags] = useState<string[]>([]);
  const items = presets.data?.items ?? [];
  const allTags = [...new Set(items.flatMap((p) => p.tags))].sort();
  const shown = items.filter((p) => tags.every((t) => p.tags.includes(t)));
  return (
    <Shell user={user}>
      <h1 className="mb-1 text-base font-semibold">Presets</h1>
      <p className="dim mb-4">Rigs and moods that are yours or shared with you. Save and apply them on the bench.</p>
      <div className="mb-4 flex gap-2" role="group" aria-label="Filter by tags">
        {allTags.map((t) => (
          <button key={t} className={`btn btn-xs ${tags.includes(t) ? "btn-primary" : ""}`} aria-pressed={tags.includes(t)} onClick={() => setTags(tags.includes(t) ? tags.filter((x) => x !== t) : [...tags, t])}>
            {t}
          </button>
        ))}
      </div>
      {presets.isSuccess && shown.length === 0 && <p className="dim">No preset has all of that.</p>}
      <ul className="grid grid-cols-[repeat(auto-fill,minmax(300px,1fr))] gap-4">
        {shown.map((p) => (
          <li key={p.owner + "/" + p.name} className="border border-[#101010] bg-base-100 px-3 py-2">
            <div className="flex justify-between">
              <span className="font-semibold">{p.name}</span>
              <span className="dim">
                {p.kind}, version {p.version}
              </span>
            </div>
            <p className="my-1">{p.note}</p>
            <p className="dim">
              {p.tags.join(" · ")}
              {p.credit && ` · credit: ${p.credit}`} · {p.owner}, {ago(p.created)}
            </p>
            {p.owner === user && <ShareWith preset={p} user={user} />}
          </li>
        ))}
      </ul>
    </Shell>
  );
}

/** With whom one of one's own presets is shared. */
export function ShareWith({ preset, user }: { preset: PresetInfo; user: string }) {
  const queries = useQueryClient();
  const users = useQuery({ queryKey: ["users"], queryFn: () => take(api.GET("/api/v1/users")) });
  const share = useMutation({
    mutationFn: (who: string[]) => take(api.PUT("/api/v1/presets/{name}/shares", { params: { path: { name: preset.name } }, body: { with: who } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["presets"] }),
    onError: complain,
  });
  const names = ["everybody", ...(users.data?.items ?? []).map((u) => u.name).filter((n) => n !== user)];
  return (
    <fieldset className="mt-2 flex flex-wrap gap-x-3 border-t border-[#101010] pt-2">
      <legend className="sr-only">Shared with</legend>
      <span className="dim">Shared with</span>
      {names.map((n) => (
        <label key={n} className="flex items-center gap-1">
          <input type="checkbox" className="checkbox checkbox-xs" checked={preset.shared.includes(n)} onChange={(e) => share.mutate(e.target.checked ? [...preset.shared, n] : preset.shared.filter((x) => x !== n))} />
          {n}
        </label>
      ))}
    </fieldset>
  );
}
