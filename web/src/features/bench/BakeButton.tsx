import { useMutation, useQuery } from "@tanstack/react-query";
import { api, take, type Bake, type LightmapState } from "../../api/client";
import { bench, useBench } from "../../model/bench";
import { counted } from "../../ui/counted";
import { complain } from "../../ui/messages";
import { isOver, useBakeNow, useStartBake } from "../data";

type Quality = "draft" | "good" | "final";

/** The bake: what it would do, or how far it is. */
export function BakeButton({ id, state, canEdit }: { id: string; state: LightmapState | undefined; canEdit: boolean }) {
  const start = useStartBake(id);
  const now = useBakeNow(id).data;
  const auto = useBench((s) => s.autoBake);
  if (now && !isOver(now)) return <Running bake={now} />;
  const stale = state?.stale ?? 0;
  const isNew = (state?.sources ?? []).every((s) => !s.quality);
  const best = (state?.sources ?? []).every((s) => s.quality && s.quality !== "draft");
  return (
    <div className="flex shrink-0 items-center gap-2">
      <label className="dim flex items-center gap-1" title="Bake what an edit makes stale, at draft quality">
        <input type="checkbox" className="checkbox checkbox-xs" checked={auto} onChange={(e) => bench.set({ autoBake: e.target.checked })} /> <span className="max-[1150px]:sr-only">follow</span>
      </label>
      {state && stale === 0 && best && <Off id={id} state={state} />}
      <button className={`btn btn-xs ${stale > 0 || !best ? "btn-primary" : ""}`} disabled={!canEdit || start.isPending} onClick={() => start.mutate("good")}>
        {stale === 0 && best ? "Baked" : "Bake"}
        {(stale > 0 || !best) && <span className="max-[1150px]:hidden">{stale > 0 ? ` ${counted(stale, isNew ? "layer" : "stale layer")}` : " at good quality"}</span>}
      </button>
      <select className="field !w-5 !bg-[#2b2b2b] !px-0" aria-label="Bake at another quality" disabled={!canEdit} value="" onChange={(e) => e.target.value && start.mutate(e.target.value as Quality)}>
        <option value=""></option>
        <option value="draft">draft</option>
        <option value="good">good</option>
        <option value="final">final</option>
      </select>
    </div>
  );
}

/** How far the light that is shown is off, measured once for its layers. */
function Off({ id, state }: { id: string; state: LightmapState }) {
  const { data } = useQuery({
    queryKey: ["accuracy", id, state.sources.map((s) => s.layer).join()],
    queryFn: ({ signal }) => take(api.GET("/api/v1/levels/{id}/accuracy", { params: { path: { id } }, signal })),
    staleTime: Infinity,
    retry: false,
  });
  if (!data?.median_lux) return null;
  const percent = (share: number) => (100 * share).toFixed(1);
  const off = data.rms < data.least_rms ? `under ${percent(data.least_rms)} %` : `by ${percent(data.rms)} %`;
  const words = `Light is off ${off} (root mean square), and by ${percent(data.bias)} ± ${percent(data.standard_error)} % on average: ${data.texels} texels held against path tracing. Baked at ${data.quality} quality.`;
  return (
    <span className="dim whitespace-nowrap max-[1150px]:hidden" title={words} aria-label={words}>
      off {off}
    </span>
  );
}

function Running({ bake }: { bake: Bake }) {
  const cancel = useMutation({ mutationFn: (b: Bake) => take(api.POST("/api/v1/bakes/{id}/cancel", { params: { path: { id: b.id } } })), onError: complain });
  return (
    <div className="flex shrink-0 items-center gap-2" role="status">
      <progress className="progress w-20" value={bake.done} max={1} aria-label="Bake" />
      <span className="dim w-20 truncate">
        {Math.round(bake.done * 100)} % {bake.left_s ? `· ${Math.ceil(bake.left_s)} s` : ""}
      </span>
      <button className="btn btn-xs" onClick={() => cancel.mutate(bake)}>
        Cancel
      </button>
    </div>
  );
}
