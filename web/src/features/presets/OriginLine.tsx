import { ArrowUpCircle } from "lucide-react";
import type { Document, Schemas } from "../../api/client";
import { bench } from "../../model/bench";
import { counted } from "../../ui/counted";
import { useOrigins } from "./Origins";

type Origin = Schemas["Origin"];

/** In the inspector: which preset what is shown came from, whether it was changed since, and what is newer. */
export function OriginLine({ doc, of }: { doc: Document; of: (o: Origin) => boolean }) {
  const origins = (useOrigins(doc).data?.items ?? []).filter(of);
  return origins.map((o) => {
    const newer = (o.newest ?? 0) > o.version;
    const parts = o.rig ? "" : `${(o.only ?? [o.kind]).join(", ")} `;
    return (
      <button key={o.id} className="section dim block w-full !py-1 text-left hover:text-base-content" title="Show it among the presets" onClick={() => bench.set({ panel: "presets", folded: { ...bench.get().folded, drawer: false } })}>
        {parts}from {o.preset}, version {o.version}
        {o.changed.length > 0 && `, ${counted(o.changed.length, "field")} changed since`}
        {newer && (
          <span className="text-warning">
            {" "}
            <ArrowUpCircle size={11} className="inline" /> version {o.newest} is there
          </span>
        )}
      </button>
    );
  });
}
