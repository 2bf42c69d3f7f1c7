import { useCallback, useEffect } from "react";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Link } from "wouter";
import { AlertTriangle, Camera, CircleAlert, Download, Plus, Redo2, Undo2, X } from "lucide-react";
import { api, take, takeShot, type Bake, type Document, type Light, type LightmapState, type Operation } from "../api/client";
import { complain, notice } from "../ui/messages";
import { isOver, useAutoBake, useBakeNow, useDocument, useEdit, useEvents, useLightmap, usePlatforms, useReport, useStartBake, useStep } from "./data";
import { Inspector } from "./Inspector";
import { kinds, lightKinds } from "./kinds";
import { Mixer } from "./Mixer";
import { aimSun } from "./sun";
import { Outliner } from "./Outliner";
import { Findings, HistoryPanel, LedgerPanel, PresetPanel } from "./panels";
import { Comparison, ShotsPanel } from "./Shots";
import { bench, camera, useBench, type Panel } from "./store";
import { View } from "./view/View";

/** One level on the bench. */
export function Bench({ id, user }: { id: string; user: string }) {
  const doc = useDocument(id);
  useEvents(id);
  useEffect(() => bench.reset, []);
  if (doc.isError)
    return (
      <main className="grid h-full place-items-center">
        <p className="whitespace-pre-line">
          {doc.error.message}{" "}
          <Link href="/" className="underline">
            Back to the levels
          </Link>
        </p>
      </main>
    );
  if (!doc.data) return null;
  return <Open doc={doc.data} user={user} />;
}

const panels: [Panel, string][] = [
  ["mixer", "Mixer"],
  ["findings", "Findings"],
  ["ledger", "Ledger"],
  ["history", "History"],
  ["shots", "Shots"],
  ["presets", "Presets"],
];

function Open({ doc, user }: { doc: Document; user: string }) {
  const id = doc.level.id;
  const canEdit = doc.level.role !== "viewer";
  const queries = useQueryClient();
  const state = useLightmap(id, doc.level.revision).data;
  const platform = doc.document.platform || "baked-arena";
  const report = useReport(id, doc.level.revision, platform).data;
  const { mutateAsync, mutate } = useEdit(id);
  const edit = useCallback((op: Operation) => mutateAsync(op).catch(() => undefined), [mutateAsync]); // useEdit complains
  const panel = useBench((s) => s.panel);
  const { sun } = doc.document.environment;
  const onAimSun = useCallback(
    (toSun: number[]) => {
      bench.set({ placing: null });
      edit(aimSun(sun, toSun));
    },
    [edit, sun],
  );
  useAutoBake(id, state, canEdit);
  useKeys(id);

  const place = useMutation({
    mutationFn: ({ at, normal }: { at: number[]; normal: number[] }) => {
      const p = useBench.getState().placing;
      if (p?.kind !== "rig") throw new Error("Nothing is being placed.");
      return take(api.POST("/api/v1/levels/{id}/presets", { params: { path: { id } }, body: { owner: p.owner, name: p.name, version: p.version, at, normal } }));
    },
    onSuccess: () => {
      bench.set({ placing: null });
      queries.invalidateQueries({ queryKey: ["level", id] });
    },
    onError: complain,
  });

  return (
    <div className="flex h-full flex-col">
      <TopBar doc={doc} state={state} counts={report?.counts ?? {}} platform={platform} canEdit={canEdit} user={user} edit={mutate} />
      <div className="flex min-h-0 flex-1 gap-px">
        <Outliner doc={doc} state={state} canEdit={canEdit} edit={edit} />
        <div className="flex min-w-0 flex-1 flex-col gap-px">
          <div className="relative flex min-h-0 flex-1">
            <View doc={doc} state={state} onPlace={place.mutate} onAimSun={onAimSun} />
            <Comparison doc={doc} />
          </div>
          <section className="flex h-[210px] shrink-0 flex-col bg-base-100" aria-label="Panels">
            <div className="flex h-9 items-center gap-1 border-b border-[#101010] px-2">
              <div className="flex gap-1" role="tablist" aria-label="Panels">
              {panels.map(([p, name]) => (
                <button key={p} role="tab" aria-selected={panel === p} className={`h-9 border-b-2 px-3 ${panel === p ? "border-accent" : "dim border-transparent"}`} onClick={() => bench.set({ panel: p })}>
                  {name}
                  {p === "findings" && report && report.findings.length > 0 && <span className="ml-2 text-warning">{report.findings.length}</span>}
                </button>
              ))}
              </div>
              <Unheard />
              {canEdit && <AddLight doc={doc} edit={edit} />}
            </div>
            <div className="min-h-0 flex-1" role="tabpanel" aria-label={panel}>
              {panel === "mixer" && <Mixer doc={doc} state={state} canEdit={canEdit} edit={edit} />}
              {panel === "findings" && <Findings report={report} doc={doc} canEdit={canEdit} edit={edit} />}
              {panel === "ledger" && <LedgerPanel />}
              {panel === "history" && <HistoryPanel id={id} revision={doc.level.revision} />}
              {panel === "shots" && <ShotsPanel doc={doc} />}
              {panel === "presets" && <PresetPanel doc={doc} user={user} canEdit={canEdit} onApplied={() => queries.invalidateQueries({ queryKey: ["level", id] })} />}
            </div>
          </section>
        </div>
        <Inspector doc={doc} state={state} canEdit={canEdit} edit={edit} />
      </div>
    </div>
  );
}

/** Says so when the view does not show what is saved. */
function Unheard() {
  const { muted, solo } = useBench();
  const n = [...Object.values(muted), ...Object.values(solo)].filter(Boolean).length;
  if (n === 0) return <span className="ml-auto" />;
  return (
    <button className="btn btn-xs ml-auto" onClick={() => bench.set({ muted: {}, solo: {} })}>
      <X size={12} /> {n} muted or solo
    </button>
  );
}

function AddLight({ doc, edit }: { doc: Document; edit: (op: Operation) => Promise<unknown> }) {
  async function add(kind: Light["kind"]) {
    const taken = new Set([...doc.document.lights, ...doc.document.glows, ...doc.document.solids].map((e) => e.id));
    let n = 1;
    while (taken.has(`light-${n}`)) n++;
    const view = doc.document.viewpoints[0]?.transform.position ?? [0, 2, 0];
    const at = useBench.getState().ledger?.point;
    const position = at ? [at[0], at[1] + 1.8, at[2]] : view;
    await edit({ op: "add", part: "lights", entity: { id: `light-${n}`, name: `Light ${n}`, kind, strength: kinds[kind].unit === "cd" ? 40 : 200, range_m: kinds[kind].unit === "cd" ? 6 : 0, transform: { position, ...(kind === "point" || kind === "tube" ? {} : { rotation: [-Math.SQRT1_2, 0, 0, Math.SQRT1_2] }) } }, label: `Add a ${kind} light` });
    bench.set({ selected: `light-${n}` });
  }
  return (
    <label className="flex items-center gap-1" title="Stands over the spot that was asked last, or at the first viewpoint">
      <Plus size={13} />
      <select className="field !w-28" aria-label="Add a light" value="" onChange={(e) => e.target.value && add(e.target.value as Light["kind"])}>
        <option value="">Add a light…</option>
        {lightKinds.map((k) => (
          <option key={k}>{k}</option>
        ))}
      </select>
    </label>
  );
}

type TopProps = { doc: Document; state: LightmapState | undefined; counts: Record<string, number>; platform: string; canEdit: boolean; user: string; edit: (op: Operation) => void };

function TopBar({ doc, state, counts, platform, canEdit, user, edit }: TopProps) {
  const id = doc.level.id;
  const undo = useStep(id, "undo");
  const redo = useStep(id, "redo");
  const platforms = usePlatforms();
  return (
    <header className="bar flex items-center gap-3 px-3">
      <Link href="/" aria-label="All levels">
        <img src="/mark.svg" alt="" width={18} height={18} />
      </Link>
      <h1 className="font-semibold">{doc.level.name}</h1>
      <span className="dim bg-base-300 px-2 py-0.5">
        revision {doc.level.revision}
        {doc.level.role !== "owner" && ` · ${doc.level.owner}'s, you are ${doc.level.role}`}
      </span>
      <button className="btn btn-ghost btn-xs" disabled={!canEdit || !doc.can_undo || undo.isPending} aria-label="Undo" title="Undo (Ctrl Z)" onClick={() => undo.mutate()}>
        <Undo2 size={15} />
      </button>
      <button className="btn btn-ghost btn-xs" disabled={!canEdit || !doc.can_redo || redo.isPending} aria-label="Redo" title="Redo (Ctrl Shift Z)" onClick={() => redo.mutate()}>
        <Redo2 size={15} />
      </button>
      <span className="ml-auto" />
      <button className={`flex items-center gap-1 px-1 ${counts.error ? "text-error" : "dim"}`} onClick={() => bench.set({ panel: "findings" })}>
        <CircleAlert size={13} /> {counts.error ?? 0} refused
      </button>
      <button className={`flex items-center gap-1 px-1 ${counts.warning ? "text-warning" : "dim"}`} onClick={() => bench.set({ panel: "findings" })}>
        <AlertTriangle size={13} /> {counts.warning ?? 0} warnings
      </button>
      <select className="field !w-32 !bg-[#2b2b2b]" aria-label="Platform" disabled={!canEdit} value={platform} onChange={(e) => edit({ op: "set", fields: { platform: e.target.value } })}>
        {(platforms.data?.items ?? []).map((p) => (
          <option key={p.profile.name}>{p.profile.name}</option>
        ))}
      </select>
      <BakeButton id={id} state={state} canEdit={canEdit} />
      <ShotButton id={id} name={doc.level.name} />
      <a className="btn btn-ghost btn-xs" href={`/api/v1/levels/${id}/export?format=glb`} download aria-label="Hand back as glTF" title="Hand back as glTF (.glb)">
        <Download size={14} />
      </a>
      <span className="grid h-6 w-6 place-items-center rounded-full bg-[#4a4a4a] text-[10px]" title={user}>
        {user.slice(0, 2).toUpperCase()}
      </span>
    </header>
  );
}

function BakeButton({ id, state, canEdit }: { id: string; state: LightmapState | undefined; canEdit: boolean }) {
  const start = useStartBake(id);
  const now = useBakeNow(id).data;
  const auto = useBench((s) => s.autoBake);
  const running = now && !isOver(now);
  const cancel = useMutation({ mutationFn: (b: Bake) => take(api.POST("/api/v1/bakes/{id}/cancel", { params: { path: { id: b.id } } })), onError: complain });
  if (running)
    return (
      <div className="flex items-center gap-2" role="status">
        <progress className="progress w-28" value={now.done} max={1} aria-label="Bake" />
        <span className="dim w-24 truncate">
          {Math.round(now.done * 100)} % {now.left_s ? `· ${Math.ceil(now.left_s)} s` : ""}
        </span>
        <button className="btn btn-xs" onClick={() => cancel.mutate(now)}>
          Cancel
        </button>
      </div>
    );
  const stale = state?.stale ?? 0;
  const best = (state?.sources ?? []).every((s) => s.quality && s.quality !== "draft");
  return (
    <div className="flex items-center gap-2">
      <label className="dim flex items-center gap-1" title="Bake what an edit makes stale, at draft quality">
        <input type="checkbox" className="checkbox checkbox-xs" checked={auto} onChange={(e) => bench.set({ autoBake: e.target.checked })} /> follow
      </label>
      <button className={`btn btn-xs ${stale > 0 || !best ? "btn-primary" : ""}`} disabled={!canEdit || start.isPending} onClick={() => start.mutate("good")}>
        {stale > 0 ? `Bake ${stale} stale layers` : best ? "Baked" : "Bake at good quality"}
      </button>
      <select className="field !w-5 !bg-[#2b2b2b] !px-0" aria-label="Bake at another quality" disabled={!canEdit} value="" onChange={(e) => e.target.value && start.mutate(e.target.value as "draft" | "good" | "final")}>
        <option value=""></option>
        <option value="draft">draft</option>
        <option value="good">good</option>
        <option value="final">final</option>
      </select>
    </div>
  );
}

/** A finished picture from where the view's camera stands. */
function ShotButton({ id, name }: { id: string; name: string }) {
  const shoot = useMutation({
    mutationFn: async () => {
      const from = camera.now?.();
      const a = document.createElement("a");
      a.href = await takeShot(id, from ? { camera: from } : {});
      a.download = `${name}.png`;
      a.click();
      URL.revokeObjectURL(a.href);
    },
    onSuccess: () => notice("Shot saved."),
    onError: complain,
  });
  return (
    <button className="btn btn-ghost btn-xs" disabled={shoot.isPending} aria-label="Take a shot" title="Take a shot from here" onClick={() => shoot.mutate()}>
      {shoot.isPending ? <span className="loading loading-spinner loading-xs" /> : <Camera size={14} />}
    </button>
  );
}

function useKeys(id: string) {
  const undo = useStep(id, "undo");
  const redo = useStep(id, "redo");
  useEffect(() => {
    function key(e: KeyboardEvent) {
      const typing = e.target instanceof HTMLInputElement || e.target instanceof HTMLSelectElement;
      if ((e.ctrlKey || e.metaKey) && e.key.toLowerCase() === "z" && !(typing && (e.target as HTMLInputElement).type === "text")) {
        e.preventDefault();
        (e.shiftKey ? redo : undo).mutate();
        return;
      }
      if (typing || e.ctrlKey || e.metaKey || e.altKey) return;
      const mode = { "1": "unlit", "2": "final", "3": "light", "4": "brightness", "5": "texels" } as const;
      if (e.key in mode) bench.set({ mode: mode[e.key as keyof typeof mode] });
      if (e.key === "f") bench.set({ airOn: !useBench.getState().airOn });
      if (e.key === "l") bench.set({ lookOn: !useBench.getState().lookOn });
      if (e.key === "p") bench.set({ playing: !useBench.getState().playing });
      if (e.key === "m") bench.set({ markers: !useBench.getState().markers });
      if (e.key === "Escape") bench.set({ placing: null, selected: null });
    }
    window.addEventListener("keydown", key);
    return () => window.removeEventListener("keydown", key);
  }, [undo, redo]);
}
