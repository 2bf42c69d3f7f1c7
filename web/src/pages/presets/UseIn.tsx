import { useState } from "react";
import { useMutation, useQuery } from "@tanstack/react-query";
import { useLocation } from "wouter";
import { api, take, type PresetInfo } from "../../api/client";
import { SmallShot } from "../../features/presets/SmallShot";
import { refOf } from "../../features/presets/usePresets";
import { bench } from "../../model/bench";
import { notice } from "../../ui/messages";
import { Window } from "../../ui/Window";

/** Puts a preset into one of one's levels: with a picture of it before, and on the bench for a rig. */
export function UseIn({ preset: p, onClose }: { preset: PresetInfo; onClose: () => void }) {
  const levels = useQuery({ queryKey: ["levels"], queryFn: () => take(api.GET("/api/v1/levels")) });
  const mine = (levels.data?.items ?? []).filter((l) => l.role === "owner" || l.role === "editor");
  const [chosen, choose] = useState("");
  const id = chosen || mine[0]?.id || "";
  const level = mine.find((l) => l.id === id);
  const [, go] = useLocation();
  const rig = p.kind === "rig";
  const zone = p.kind === "zone";
  const apply = useMutation({
    mutationFn: () => take(api.POST("/api/v1/levels/{id}/presets", { params: { path: { id } }, body: { owner: p.owner, name: p.name, version: p.version } })),
    onSuccess: () => {
      notice(`Took ${p.name}. Undo on the bench takes it back.`);
      go(`/levels/${id}`);
    },
  });
  const place = () => {
    go(`/levels/${id}`);
    if (rig) setTimeout(() => bench.set({ stage: "lights", tool: { is: "rig", owner: p.owner, name: p.name, version: p.version } }), 0);
    else setTimeout(() => bench.set({ stage: "mood" }), 0);
  };
  return (
    <Window title={`Use ${p.name}`} note={rig ? "On the bench, click where it goes." : zone ? "On the bench, select the zones that take it." : "This is how the level would look; one undo takes it back."} wide={!rig} onClose={onClose}>
      {levels.isSuccess && mine.length === 0 && <p className="dim">There is no level that you may change. Make one first.</p>}
      <select className="field mb-3" aria-label="Level" value={id} onChange={(e) => choose(e.target.value)}>
        {mine.map((l) => (
          <option key={l.id} value={l.id}>
            {l.name}
          </option>
        ))}
      </select>
      {level && p.picture && !rig && !zone && (
        <div className="mb-3 grid grid-cols-2 gap-3">
          <figure>
            <SmallShot large id={id} revision={level.revision} variant={{}} from={{}} alt={`${level.name} now`} />
            <figcaption className="dim">now</figcaption>
          </figure>
          <figure>
            <SmallShot large id={id} revision={level.revision} variant={{ preset: refOf(p) }} from={{}} alt={`${level.name} with ${p.name}`} />
            <figcaption className="dim">with {p.name}</figcaption>
          </figure>
        </div>
      )}
      {apply.isError && (
        <p className="mb-2 whitespace-pre-line text-error" role="alert">
          {apply.error.message}
        </p>
      )}
      <div className="flex justify-end gap-2">
        <button className="btn btn-ghost btn-sm" onClick={onClose}>
          Cancel
        </button>
        {!rig && !zone && (
          <button className="btn btn-sm" disabled={!level} title="To take parts of it, or into zones" onClick={place}>
            Choose parts on the bench
          </button>
        )}
        <button className="btn btn-primary btn-sm" disabled={!level || apply.isPending} onClick={() => (rig || zone ? place() : apply.mutate())}>
          {rig ? "Place it" : zone ? "Open the bench" : "Take it"}
        </button>
      </div>
    </Window>
  );
}
