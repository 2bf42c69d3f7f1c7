import { useState } from "react";
import { useQuery } from "@tanstack/react-query";
import { api, take, type PresetInfo } from "../../api/client";
import { PresetPicture } from "../../features/presets/PresetPicture";
import { SmallShot } from "../../features/presets/SmallShot";
import { refOf } from "../../features/presets/usePresets";
import { Window } from "../../ui/Window";

/** Two to four presets side by side: on the stage, or on a level of one's own from one viewpoint. */
export function Compare({ presets, onClose }: { presets: readonly PresetInfo[]; onClose: () => void }) {
  const levels = useQuery({ queryKey: ["levels"], queryFn: () => take(api.GET("/api/v1/levels")) });
  const [on, setOn] = useState("");
  const [from, setFrom] = useState("");
  const doc = useQuery({ queryKey: ["level", on], enabled: on !== "", queryFn: () => take(api.GET("/api/v1/levels/{id}", { params: { path: { id: on } } })) });
  const level = levels.data?.items.find((l) => l.id === on);
  const views = doc.data?.document.viewpoints ?? [];
  return (
    <Window title="Compare" wide onClose={onClose}>
      <div className="mb-3 flex gap-2">
        <select className="field !w-64" aria-label="Where" value={on} onChange={(e) => (setOn(e.target.value), setFrom(""))}>
          <option value="">on the stage</option>
          {levels.data?.items.map((l) => (
            <option key={l.id} value={l.id}>
              on {l.name}
            </option>
          ))}
        </select>
        {views.length > 1 && (
          <select className="field !w-56" aria-label="From" value={from} onChange={(e) => setFrom(e.target.value)}>
            {views.map((v, i) => (
              <option key={v.id} value={i === 0 ? "" : v.id}>
                from {v.name || v.id}
              </option>
            ))}
          </select>
        )}
      </div>
      <ul className="grid grid-cols-2 gap-3">
        {presets.map((p) => (
          <li key={refOf(p)}>
            {!level ? <PresetPicture preset={p} /> : p.kind === "rig" || p.kind === "zone" ? <p className="dim grid aspect-video place-items-center bg-black">A {p.kind} needs a place; see it on the stage.</p> : <SmallShot large id={level.id} revision={level.revision} variant={{ preset: refOf(p) }} from={from ? { viewpoint: from } : {}} alt={`${level.name} with ${p.name}`} />}
            <p>
              <b>{p.name}</b> <span className="dim">{p.owner}</span>
            </p>
          </li>
        ))}
      </ul>
    </Window>
  );
}
