import { useEffect, useState } from "react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { X } from "lucide-react";
import { api, take, takeShot, type Document, type Schemas, type Variant } from "../../api/client";
import { useLightmap, useShotsDone } from "../data";
import { anyPreset, usePresets } from "../presets/usePresets";
import { bench, useBench } from "../../model/bench";
import { Picture } from "../../ui/Picture";

// Finished pictures from every viewpoint, and how one differs from another state
// of the level.

/** The layers that light a level now: other ones, another picture. */
function useLight(id: string, revision: number) {
  return useLightmap(id, revision).data?.sources.map((s) => s.layer);
}

/** A shot that is let go of when nobody shows it any more. */
function useShot(id: string, revision: number, body: Schemas["NewShot"], watch?: string) {
  const light = useLight(id, revision);
  const shot = useQuery({
    queryKey: ["shot", id, revision, light, body],
    enabled: light !== undefined,
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) => takeShot(id, { ...body, watch }, signal),
    staleTime: Infinity,
    gcTime: 0,
    retry: false,
  });
  useEffect(() => () => void (shot.data && URL.revokeObjectURL(shot.data)), [shot.data]);
  return shot;
}

/** What "before" may be. */
function useBefore(doc: Document): [string, Variant][] {
  const presets = usePresets({ ...anyPreset, kinds: ["mood", "look", "sky", "environment"], sort: "taken" });
  const { revision } = doc.level;
  const old = [...new Set([1, revision - 5, revision - 1])].filter((n) => n >= 1 && n < revision);
  return [
    ["without its look", { look: "off" }],
    ["without its air", { air: "off" }],
    ["without air and look", { look: "off", air: "off" }],
    ...old.map((n): [string, Variant] => [`at revision ${n}`, { revision: n }]),
    ...(doc.document.platform ? [[`on ${doc.document.platform}`, { display: doc.document.platform }] as [string, Variant]] : []),
    ...doc.document.mixes.map((m): [string, Variant] => [`with the mix ${m.name || m.id}`, { mix: m.id }]),
    ...(presets.data?.pages[0]?.items ?? []).map((p): [string, Variant] => [`with ${p.name}`, { preset: `${p.owner}/${p.name}` }]),
  ];
}

export function ShotsPanel({ doc }: { doc: Document }) {
  const choices = useBefore(doc);
  const [before, setBefore] = useState(0);
  const [revision, setRevision] = useState("");
  const variant = revision ? { revision: Number(revision) } : (choices[before]?.[1] ?? {});
  const views = doc.document.viewpoints;
  if (views.length === 0) return <p className="dim p-4">The level has no viewpoints yet; a shot needs one to stand at.</p>;
  return (
    <div className="flex h-full">
      <div className="flex w-52 shrink-0 flex-col gap-1 border-r border-[#101010] p-3">
        <b>Compare with</b>
        <select className="field" aria-label="Compare with" value={before} onChange={(e) => (setRevision(""), setBefore(Number(e.target.value)))}>
          {choices.map(([name], i) => (
            <option key={name} value={i}>
              {name}
            </option>
          ))}
        </select>
        <label className="flex items-center gap-2">
          <span className="dim">or revision</span>
          <input className="field !w-16" aria-label="Revision to compare with" inputMode="numeric" value={revision} placeholder={`1–${doc.level.revision}`} onChange={(e) => setRevision(e.target.value.replace(/\D/g, ""))} />
        </label>
        <p className="dim">Click a picture for a divider between the two, their difference, and how much it is.</p>
      </div>
      <ul className="flex min-w-0 flex-1 gap-2 overflow-x-auto p-2">
        {views.map((v) => (
          <li key={v.id} className="shrink-0">
            <button className="block text-left" onClick={() => bench.set({ comparing: { viewpoint: v.id, before: variant, words: revision ? `at revision ${revision}` : (choices[before]?.[0] ?? "") } })}>
              <Shot id={doc.level.id} revision={doc.level.revision} body={{ viewpoint: v.id, width: 240, height: 150, samples: 1 }} name={v.name || v.id} />
              <span className="dim">{v.name || v.id}</span>
            </button>
          </li>
        ))}
      </ul>
    </div>
  );
}

function Shot({ id, revision, body, name }: { id: string; revision: number; body: Schemas["NewShot"]; name: string }) {
  const shot = useShot(id, revision, body);
  return <Picture src={shot.data} alt={`Shot: ${name}`} failed={shot.isError} className="h-[125px] w-[200px]" />;
}

/** Over the view: the level as it is and as it is compared with, with a divider. */
export function Comparison({ doc }: { doc: Document }) {
  const comparing = useBench((s) => s.comparing);
  const [at, setAt] = useState(50);
  const [difference, setDifference] = useState(false);
  useEffect(() => {
    const leave = (e: KeyboardEvent) => e.key === "Escape" && bench.set({ comparing: null });
    window.addEventListener("keydown", leave);
    return () => window.removeEventListener("keydown", leave);
  }, []);
  if (!comparing) return null;
  return <Compared key={JSON.stringify(comparing)} doc={doc} {...comparing} at={at} setAt={setAt} difference={difference} setDifference={setDifference} />;
}

type ComparedProps = { doc: Document; viewpoint: string; before: Variant; words: string; at: number; setAt: (v: number) => void; difference: boolean; setDifference: (v: boolean) => void };

function Compared({ doc, viewpoint, before, words, at, setAt, difference, setDifference }: ComparedProps) {
  const { id, revision } = doc.level;
  const size = { viewpoint, width: 960, height: 600 };
  const [watches] = useState(() => ["now", "then"].map((side) => side + Math.random().toString(36).slice(2)));
  const done = useShotsDone(watches);
  const now = useShot(id, revision, size, watches[0]);
  const then = useShot(id, revision, { ...size, ...before }, watches[1]);
  const light = useLight(id, revision);
  const numbers = useQuery({
    queryKey: ["comparison", id, revision, light, viewpoint, before],
    enabled: light !== undefined,
    placeholderData: keepPreviousData,
    queryFn: () => take(api.POST("/api/v1/levels/{id}/comparisons", { params: { path: { id } }, body: { a: before, b: {}, form: "difference", viewpoint, width: 480, height: 300 } })),
    retry: false,
    gcTime: 0,
  });
  const failed = now.error ?? then.error ?? numbers.error;
  return (
    <section className="absolute inset-0 z-30 flex flex-col bg-[#161616]" aria-label="Comparison">
      <div className="flex h-9 items-center gap-3 px-3">
        <select className="field !w-40 font-semibold" aria-label="Viewpoint of the comparison" value={viewpoint} onChange={(e) => bench.set({ comparing: { viewpoint: e.target.value, before, words } })}>
          {doc.document.viewpoints.map((v) => (
            <option key={v.id} value={v.id}>
              {v.name || v.id}
            </option>
          ))}
        </select>
        <span className="dim">
          {words} | as it is
        </span>
        {numbers.data && (
          <span data-testid="difference">
            ΔE mean {numbers.data.mean.toFixed(2)}, 95 % under {numbers.data.p95.toFixed(2)} · SSIM {numbers.data.ssim.toFixed(3)}
          </span>
        )}
        <label className="ml-auto flex items-center gap-1">
          <input type="checkbox" className="checkbox checkbox-xs" checked={difference} onChange={(e) => setDifference(e.target.checked)} /> difference
        </label>
        <button className="btn btn-xs" aria-label="Leave the comparison" onClick={() => bench.set({ comparing: null })}>
          <X size={12} />
        </button>
      </div>
      <div className="relative min-h-0 flex-1">
        {failed && <p className="absolute inset-0 grid place-items-center p-6">{failed.message}</p>}
        {!failed && !difference && (!now.data || !then.data) && <p className="dim absolute inset-0 grid place-items-center">Taking both shots, {Math.round(100 * done)} %. Esc leaves.</p>}
        {difference && numbers.data && <img className="absolute inset-0 h-full w-full object-contain" src={`data:image/png;base64,${numbers.data.picture}`} alt="The difference: grey under 1, blue by 2, green by 5, yellow by 10, red by 20" />}
        {!difference && now.data && then.data && (
          <>
            <img className="absolute inset-0 h-full w-full object-contain" src={now.data} alt="As it is" />
            <img className="absolute inset-0 h-full w-full object-contain" src={then.data} alt="Before" style={{ clipPath: `inset(0 ${100 - at}% 0 0)` }} />
            <div className="pointer-events-none absolute inset-y-0 w-px bg-white" style={{ left: `${at}%` }} />
            <input type="range" className="absolute inset-x-0 bottom-1 w-full opacity-60 accent-[#b8b8b8]" aria-label="Divider" min={0} max={100} step={0.5} value={at} onChange={(e) => setAt(Number(e.target.value))} />
          </>
        )}
      </div>
    </section>
  );
}
