import { ArrowDown, ArrowUp, Camera } from "lucide-react";
import type { Document } from "../../api/client";
import type { Context } from "../../commands";
import { goTo } from "../../commands/view";
import { bench } from "../../model/bench";
import { reordered } from "../../model/edits";

/** The viewpoints in their order; the first is where the level opens. */
export function ViewpointList({ doc, context }: { doc: Document; context: Context }) {
  const views = doc.document.viewpoints;
  if (views.length === 0) return <p className="dim px-3">No viewpoint yet. N keeps where you stand.</p>;
  return (
    <ul className="px-2 pl-3" aria-label="Viewpoints">
      {views.map((v, i) => (
        <li key={v.id} className="flex items-center gap-2">
          <button
            className="flex h-6 min-w-0 flex-1 items-center gap-2 text-left hover:bg-base-300"
            title="Go there"
            onClick={() => {
              goTo(v);
              bench.select([v.id]);
            }}
          >
            <Camera size={12} className="shrink-0" />
            <span className="truncate">{v.name || v.id}</span>
          </button>
          <Move what="up" disabled={!context.canEdit || i === 0} onClick={() => context.edit(reordered(context.level, "viewpoints", v.id, i - 1))} />
          <Move what="down" disabled={!context.canEdit || i === views.length - 1} onClick={() => context.edit(reordered(context.level, "viewpoints", v.id, i + 1))} />
        </li>
      ))}
    </ul>
  );
}

function Move({ what, disabled, onClick }: { what: "up" | "down"; disabled: boolean; onClick: () => void }) {
  return (
    <button className="dim grid h-6 w-6 place-items-center disabled:opacity-25" aria-label={`Move ${what}`} disabled={disabled} onClick={onClick}>
      {what === "up" ? <ArrowUp size={12} /> : <ArrowDown size={12} />}
    </button>
  );
}
