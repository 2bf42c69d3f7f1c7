import { useQuery } from "@tanstack/react-query";
import { api, take } from "../../api/client";
import { bench, useBench } from "../../model/bench";

/** Rigs that can be placed, again and again, by clicking surfaces. */
export function RigList({ canEdit }: { canEdit: boolean }) {
  const presets = useQuery({ queryKey: ["presets"], queryFn: () => take(api.GET("/api/v1/presets")), staleTime: 0 });
  const tool = useBench((s) => s.tool);
  const rigs = (presets.data?.items ?? []).filter((p) => p.kind === "rig");
  if (presets.isSuccess && rigs.length === 0) return <p className="dim px-3">None yet. Make one of what is selected, and save it in Hand over.</p>;
  return (
    <ul className="px-2">
      {rigs.map((p) => {
        const held = tool.is === "rig" && tool.name === p.name && tool.owner === p.owner;
        return (
          <li key={`${p.owner}/${p.name}`}>
            <button
              className={`flex h-[26px] w-full items-center gap-2 px-1 text-left disabled:opacity-50 ${held ? "bg-[#38332a]" : "hover:bg-base-300"}`}
              aria-pressed={held}
              disabled={!canEdit}
              title={[p.note, p.tags.join(", "), `${p.owner}, version ${p.version}`].filter(Boolean).join("\n")}
              onClick={() => bench.set({ tool: held ? { is: "select" } : { is: "rig", owner: p.owner, name: p.name, version: p.version } })}
            >
              <span className="min-w-0 flex-1 truncate">{p.name}</span>
              <span className="dim truncate">{held ? "click a surface" : p.owner}</span>
            </button>
          </li>
        );
      })}
    </ul>
  );
}
