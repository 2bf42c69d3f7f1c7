import { useState } from "react";
import { bench, useBench } from "../../model/bench";
import { PresetPicture } from "./PresetPicture";
import { anyPreset, usePresets } from "./usePresets";

/** Rigs that can be placed, again and again, by clicking surfaces. */
export function RigList({ canEdit }: { canEdit: boolean }) {
  const [words, setWords] = useState("");
  const presets = usePresets({ ...anyPreset, kinds: ["rig"], words });
  const tool = useBench((s) => s.tool);
  const rigs = presets.data?.pages.flatMap((p) => p.items) ?? [];
  return (
    <>
    <div className="px-2 pb-1">
      <input className="field" type="search" aria-label="Search the rigs" placeholder="name, tag, note" value={words} onChange={(e) => setWords(e.target.value)} />
    </div>
    {presets.isSuccess && rigs.length === 0 && <p className="dim px-3">{words ? "No rig has these words." : "None yet. Make one of what is selected, and save it in Hand over."}</p>}
    <ul className="px-2" aria-label="Rigs">
      {rigs.map((p) => {
        const held = tool.is === "rig" && tool.name === p.name && tool.owner === p.owner;
        return (
          <li key={`${p.owner}/${p.name}`}>
            <button
              className={`flex h-[32px] w-full items-center gap-2 px-1 text-left disabled:opacity-50 ${held ? "bg-[#38332a]" : "hover:bg-base-300"}`}
              aria-pressed={held}
              disabled={!canEdit}
              title={[p.note, p.tags.join(", "), `${p.owner}, version ${p.version}`].filter(Boolean).join("\n")}
              onClick={() => bench.set({ tool: held ? { is: "select" } : { is: "rig", owner: p.owner, name: p.name, version: p.version } })}
            >
              <PresetPicture preset={p} className="h-[28px] w-[45px] shrink-0" />
              <span className="min-w-0 flex-1 truncate">{p.name}</span>
              <span className="dim truncate">{held ? "click a surface" : p.owner}</span>
            </button>
          </li>
        );
      })}
    </ul>
    {presets.hasNextPage && (
      <div className="px-2">
        <button className="btn btn-xs w-full" disabled={presets.isFetchingNextPage} onClick={() => void presets.fetchNextPage()}>
          More
        </button>
      </div>
    )}
    </>
  );
}
