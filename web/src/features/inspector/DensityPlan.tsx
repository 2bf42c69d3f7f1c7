import { useState } from "react";
import { useMutation } from "@tanstack/react-query";
import { api, take, type Operation } from "../../api/client";
import { NumberField } from "../../ui/NumberField";
import { complain } from "../../ui/messages";
import { bench } from "../../model/bench";

/** Plans the density of every surface for a budget of texels, shows what that
 *  saves, and applies it as one change. */
export function DensityPlan({ id, texels, canEdit, edit }: { id: string; texels: number; canEdit: boolean; edit: (op: Operation) => void }) {
  const [budget, setBudget] = useState(0);
  const plan = useMutation({
    mutationFn: (n: number) => take(api.POST("/api/v1/levels/{id}/density", { params: { path: { id } }, body: { texels: n } })),
    onError: complain,
  });
  const wanted = budget || Math.round(texels / 2000) * 1000;
  const found = plan.data;
  const row = (name: string, s: { texels: number; pages: number; error: number }) => (
    <tr>
      <td className="dim pr-2">{name}</td>
      <td className="text-right">{s.texels.toLocaleString("en")}</td>
      <td className="px-2 text-right">{s.pages}</td>
      <td className="text-right">{s.error.toFixed(2)}</td>
    </tr>
  );
  return (
    <div className="mt-1">
      <NumberField label="Budget" unit="tx" min={1} step={1000} disabled={!canEdit} value={wanted} onCommit={setBudget} />
      <div className="mt-1 flex gap-1">
        <button className="btn btn-xs flex-1" disabled={plan.isPending} title="Fine texels where shadows are sharp, coarse ones where light is even" onClick={() => plan.mutate(wanted)}>
          {plan.isPending ? "Planning…" : "Plan density"}
        </button>
        {found?.operation && (
          <button
            className="btn btn-xs btn-primary"
            disabled={!canEdit}
            onClick={() => {
              edit(found.operation as Operation);
              bench.set({ mode: "texels" });
              plan.reset();
            }}
          >
            Apply to {new Set(found.surfaces.map((s) => s.entity)).size}
          </button>
        )}
      </div>
      {found && (
        <table className="mt-1 w-full text-[11px]">
          <thead>
            <tr className="dim text-right">
              <th />
              <th className="font-normal" title="Of all charts with their padding, as the budget counts">
                texels, padded
              </th>
              <th className="px-2 font-normal">pages</th>
              <th className="font-normal" title="What of the light the texels cannot show, in display steps of 255">
                lost
              </th>
            </tr>
          </thead>
          <tbody>
            {row("now", found.before)}
            {row("planned", found.after)}
            {row("one density", found.uniform)}
          </tbody>
        </table>
      )}
    </div>
  );
}
