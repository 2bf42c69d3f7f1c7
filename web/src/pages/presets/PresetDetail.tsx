import { useState } from "react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Download, GitFork, Link2, Pencil, Share2, Trash2, X } from "lucide-react";
import { api, ProblemError, take, type PresetInfo } from "../../api/client";
import { PresetPicture } from "../../features/presets/PresetPicture";
import { kindWords, refOf } from "../../features/presets/usePresets";
import { counted } from "../../ui/counted";
import { complain, notice } from "../../ui/messages";
import { NameDialog } from "../../ui/NameDialog";
import { ago } from "../../ui/time";
import { Window } from "../../ui/Window";
import { LinkDialog } from "../links/LinkDialog";
import { SharePreset } from "./SharePreset";
import { UseIn } from "./UseIn";

type Doing = "" | "share" | "link" | "rename" | "fork" | "delete" | "use";
type Props = { preset: PresetInfo; user: string; onClose: () => void; onOther: (p: PresetInfo) => void };

/** All about one preset, and what can be done with it. */
export function PresetDetail({ preset, user, onClose, onOther }: Props) {
  const [doing, setDoing] = useState<Doing>("");
  const [version, setVersion] = useState(0);
  const mine = preset.owner === user;
  const versions = useQuery({
    queryKey: ["presets", "versions", preset.owner, preset.name, preset.version],
    queryFn: () => take(api.GET("/api/v1/presets/{owner}/{name}/versions", { params: { path: { owner: preset.owner, name: preset.name } } })),
  });
  const p = versions.data?.items.find((v) => v.version === version) ?? preset;
  const goes = !["hand_over", "import_rules", "platform"].includes(p.kind);
  const button = (what: Doing, word: string, icon: React.ReactNode, disabled = false) => (
    <button className="btn btn-xs justify-start" disabled={disabled} onClick={() => setDoing(what)}>
      {icon} {word}
    </button>
  );
  return (
    <aside className="w-[300px] shrink-0 overflow-auto border border-[#101010] bg-base-100" aria-label={`Preset ${p.name}`}>
      <PresetPicture key={p.hash} preset={p} />
      <div className="p-3">
        <div className="flex items-start gap-2">
          <h2 className="min-w-0 flex-1 break-words text-base font-semibold">{p.name}</h2>
          <button className="btn btn-ghost btn-xs" aria-label="Close" onClick={onClose}>
            <X size={14} />
          </button>
        </div>
        <p className="dim mb-2">
          {kindWords[p.kind]}, {p.owner}, {p.taken === 0 ? "not taken yet" : `taken ${counted(p.taken, "time")}`}
        </p>
        {p.note && <p className="mb-2">{p.note}</p>}
        <Facts preset={p} />
        {goes && (
          <button className="btn btn-primary btn-sm mb-2 w-full" onClick={() => setDoing("use")}>
            Use in a level…
          </button>
        )}
        <div className="mb-3 grid grid-cols-2 gap-1">
          {mine && button("share", "Share…", <Share2 size={12} />, p.uncredited !== undefined)}
          {mine && button("link", "Link…", <Link2 size={12} />, p.uncredited !== undefined)}
          {button("fork", "Make my own…", <GitFork size={12} />)}
          <PackButton preset={p} />
          {mine && button("rename", "Rename…", <Pencil size={12} />)}
          {mine && button("delete", "Delete…", <Trash2 size={12} />)}
        </div>
        <h3 className="mb-1 font-semibold">Versions</h3>
        <ol aria-label="Versions">
          {versions.data?.items.map((v) => (
            <li key={v.version}>
              <button className={`row flex w-full gap-2 text-left ${v.version === p.version ? "text-accent" : "hover:bg-base-300"}`} aria-pressed={v.version === p.version} title={v.hash} onClick={() => setVersion(v.version)}>
                <span className="w-6 text-right">{v.version}</span>
                <span className="min-w-0 flex-1 truncate">{v.changes || (v.version === 1 ? "first" : "no words for it")}</span>
                <span className="dim shrink-0">{ago(v.created)}</span>
              </button>
            </li>
          ))}
        </ol>
      </div>
      {doing === "share" && <SharePreset preset={preset} user={user} onClose={() => setDoing("")} />}
      {doing === "link" && <LinkDialog want={{ kind: "preset", preset: p.name }} about={p.name} onClose={() => setDoing("")} />}
      {doing === "use" && <UseIn preset={p} onClose={() => setDoing("")} />}
      {doing === "delete" && <DeleteDialog preset={p} onClose={() => setDoing("")} onDone={onClose} />}
      {(doing === "rename" || doing === "fork") && <Naming preset={p} fork={doing === "fork"} onClose={() => setDoing("")} onDone={onOther} />}
    </aside>
  );
}

function Facts({ preset: p }: { preset: PresetInfo }) {
  const rows: [string, string | undefined][] = [
    ["Tags", p.tags.join(", ")],
    ["Credit", p.credit],
    ["By", `${p.author}, ${ago(p.created)}`],
    ["Made by", p.made_by && `${p.made_by}, as its file says`],
    ["Began as", p.forked],
    ["Shared with", [...p.shared, ...p.teams.map((t) => `team ${t}`)].join(", ")],
  ];
  return (
    <dl className="mb-3 grid grid-cols-[auto_1fr] gap-x-3">
      {rows.map(
        ([name, value]) =>
          value && (
            <div key={name} className="contents">
              <dt className="dim">{name}</dt>
              <dd className="min-w-0 break-words">{value}</dd>
            </div>
          ),
      )}
      {p.uncredited && <dd className="col-span-2 text-warning">It cannot be shared: {p.uncredited.join(", ")} has no credit or no licence. Give the image both in its level and save again.</dd>}
    </dl>
  );
}

function PackButton({ preset }: { preset: PresetInfo }) {
  const pack = useMutation({
    mutationFn: async () => {
      const { data, error, response } = await api.POST("/api/v1/bundles", { body: { presets: [refOf(preset)] }, parseAs: "blob" });
      if (!response.ok) throw new ProblemError(error ?? {});
      const a = document.createElement("a");
      a.href = URL.createObjectURL(data as unknown as Blob);
      a.download = `${preset.name}.zip`;
      a.click();
      URL.revokeObjectURL(a.href);
    },
    onError: complain,
  });
  return (
    <button className="btn btn-xs justify-start" disabled={pack.isPending} title="A file that any Grotta reads" onClick={() => pack.mutate()}>
      <Download size={12} /> Bundle file
    </button>
  );
}

function Naming({ preset: p, fork, onClose, onDone }: { preset: PresetInfo; fork: boolean; onClose: () => void; onDone: (p: PresetInfo) => void }) {
  const queries = useQueryClient();
  const save = useMutation({
    mutationFn: (name: string) =>
      fork
        ? take(api.POST("/api/v1/presets/{owner}/{name}/fork", { params: { path: { owner: p.owner, name: p.name }, query: { version: p.version } }, body: { name } }))
        : take(api.PATCH("/api/v1/presets/{name}", { params: { path: { name: p.name } }, body: { name } })),
    onSuccess: async (made) => {
      notice(fork ? `${made.name} is yours, from ${made.forked}.` : `It is called ${made.name} now.`);
      await queries.invalidateQueries({ queryKey: ["presets"] });
      onDone(made);
      onClose();
    },
  });
  return (
    <NameDialog
      title={fork ? `Make your own of ${p.name}` : `Rename ${p.name}`}
      note={fork ? "A preset of yours that begins as this version and remembers it." : "Levels that use it keep following it."}
      first={p.name}
      word={fork ? "Make it" : "Rename"}
      error={save.error?.message}
      busy={save.isPending}
      onName={(n) => save.mutate(n)}
      onClose={onClose}
    />
  );
}

function DeleteDialog({ preset: p, onClose, onDone }: { preset: PresetInfo; onClose: () => void; onDone: () => void }) {
  const queries = useQueryClient();
  const uses = useQuery({ queryKey: ["preset-uses", p.name], queryFn: () => take(api.GET("/api/v1/preset-uses/{name}", { params: { path: { name: p.name } } })), staleTime: 0 });
  const remove = useMutation({
    mutationFn: () => take(api.DELETE("/api/v1/presets/{name}", { params: { path: { name: p.name } } })),
    onSuccess: async () => {
      notice(`Deleted ${p.name}.`);
      await queries.invalidateQueries({ queryKey: ["presets"] });
      onDone();
    },
    onError: complain,
  });
  const levels = [...(uses.data?.levels ?? []), ...(uses.data?.others ? [counted(uses.data.others, "level of others", "levels of others")] : [])];
  return (
    <Window title={`Delete ${p.name}`} onClose={onClose}>
      {uses.isPending && <p className="dim">Looking who uses it…</p>}
      {uses.isSuccess && (
        <p className="mb-3">
          {levels.length > 0 ? `Used by ${levels.join(", ")}. They keep what they took, and hear of no newer version.` : "No level uses it."} All {counted(p.versions, "version")} go, and nobody can have them back.
        </p>
      )}
      <div className="flex justify-end gap-2">
        <button className="btn btn-ghost btn-sm" onClick={onClose}>
          Keep it
        </button>
        <button className="btn btn-sm" disabled={!uses.isSuccess || remove.isPending} onClick={() => remove.mutate()}>
          Delete it
        </button>
      </div>
    </Window>
  );
}
