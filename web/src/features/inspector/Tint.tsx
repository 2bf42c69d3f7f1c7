import { useState } from "react";
import type { Context } from "../../commands/command";
import type { Level } from "../../api/client";
import { shortHex, tinted } from "../../engine/color";
import { HexField } from "../../ui/fields";
import { NumberField } from "../../ui/NumberField";

/** Brings the colours of several materials toward one, in one step: foliage and ground for autumn. */
export function Tint({ level, canEdit, edit }: { level: Level; canEdit: boolean; edit: Context["edit"] }) {
  const [chosen, choose] = useState<ReadonlySet<string>>(new Set());
  const [toward, setToward] = useState("#b0762e");
  const [share, setShare] = useState(0.3);
  const some = level.materials.filter((m) => chosen.has(m.id));
  const toggle = (id: string) => {
    const next = new Set(chosen);
    if (!next.delete(id)) next.add(id);
    choose(next);
  };
  const apply = () => edit({ op: "batch", label: "Tint materials", steps: some.map((m) => ({ op: "set", id: m.id, fields: { color: tinted(m.color, toward, share) } })) });
  return (
    <details className="mt-2">
      <summary className="dim cursor-pointer py-1">Tint several together</summary>
      <div className="max-h-40 overflow-auto" role="group" aria-label="Materials to tint" tabIndex={0}>
        {level.materials.map((m) => (
          <label key={m.id} className="flex min-h-6 items-center gap-2">
            <input type="checkbox" checked={chosen.has(m.id)} onChange={() => toggle(m.id)} />
            <span className="h-3 w-3 shrink-0 border border-black" style={{ background: chosen.has(m.id) ? tinted(m.color, toward, share) : shortHex(m.color) }} />
            <span className="truncate">{m.name || m.id}</span>
          </label>
        ))}
      </div>
      <HexField label="Toward" value={toward} disabled={!canEdit} onCommit={setToward} />
      <NumberField label="Share" value={share} min={0} max={1} step={0.05} disabled={!canEdit} onCommit={setShare} />
      <button className="btn btn-xs mt-1" disabled={!canEdit || some.length === 0} onClick={apply}>
        Tint {some.length > 0 ? some.length : "chosen"}
      </button>
    </details>
  );
}
