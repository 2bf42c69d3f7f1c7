import { useEffect, useRef, useState } from "react";
import { useMutation, useQuery } from "@tanstack/react-query";
import { api, take, type Document, type PresetInfo } from "../../api/client";
import type { Context } from "../../commands";
import { changesByPart, moodParts, type MoodPart } from "../../model/changes";
import { usePrimary } from "../../model/bench";
import { complain, noticeWithUndo } from "../../ui/messages";
import { SmallShot } from "./SmallShot";
import { trying } from "./Trying";
import { anyPreset, usePresets, type Kind } from "./usePresets";

type Props = { doc: Document; kinds: readonly Kind[]; canEdit: boolean; onApplied: () => void; undo: Context["undo"] };

/** Moods and looks as pictures of this level: pointing at one tries it, a click shows what it
 *  would replace. */
export function PresetPictures({ doc, kinds, canEdit, onApplied, undo }: Props) {
  const [search, setSearch] = useState("");
  const presets = usePresets({ ...anyPreset, kinds, words: search });
  const [open, setOpen] = useState("");
  const list = useRef<HTMLUListElement>(null);
  const close = () => {
    const card = list.current?.querySelector("[aria-expanded=true]");
    setOpen("");
    requestAnimationFrame(() => card?.scrollIntoView({ block: "nearest" })); // the list is shorter now
  };
  const shown = presets.data?.pages.flatMap((p) => p.items) ?? [];
  return (
    <div className="px-2 pb-2">
      <input className="field mb-2" type="search" aria-label="Search the presets" placeholder="name, tag, note" value={search} onChange={(e) => setSearch(e.target.value)} />
      {presets.isPending && <p className="dim px-1">Reading…</p>}
      {presets.isError && <p className="px-1 text-error">{presets.error.message}</p>}
      {presets.isSuccess && shown.length === 0 && <p className="dim px-1">{search ? `No preset has these words. Try ${(presets.data.pages[0]?.try ?? []).slice(0, 4).join(", ")}.` : "None yet. Save this level's own in Hand over."}</p>}
      <ul ref={list} className="grid grid-cols-2 gap-2">
        {shown.map((p) => {
          const key = `${p.owner}/${p.name}`;
          return (
            <li key={key} className={open === key ? "col-span-2" : ""}>
              <button
                className={`block border text-left hover:border-accent focus-visible:border-accent ${open === key ? "border-accent" : "border-[#101010]"} ${open === key ? "w-[calc(50%-4px)]" : "w-full"}`}
                aria-expanded={open === key}
                title={[p.note, p.tags.join(", "), `${p.owner}, version ${p.version}`].filter(Boolean).join("\n")}
                onPointerMove={(e) => (e.movementX !== 0 || e.movementY !== 0) && trying.begin(p)} // and not when the list moves under it
                onPointerLeave={trying.end}
                onFocus={(e) => e.currentTarget.matches(":focus-visible") && trying.begin(p)}
                onBlur={trying.end}
                onClick={() => (open === key ? close() : setOpen(key))}
              >
                <SmallShot id={doc.level.id} revision={doc.level.revision} variant={{ preset: `${key}@${p.version}` }} from={{}} alt={`This level with ${p.name}`} />
                <span className="block truncate px-1.5 py-0.5">{p.name}</span>
              </button>
              {open === key && <Taking doc={doc} preset={p} canEdit={canEdit} undo={undo} onTaken={() => (close(), trying.end(), onApplied())} />}
            </li>
          );
        })}
      </ul>
      {presets.hasNextPage && (
        <button className="btn btn-xs mt-2 w-full" disabled={presets.isFetchingNextPage} onClick={() => void presets.fetchNextPage()}>
          More
        </button>
      )}
    </div>
  );
}

/** What a preset would replace, by parts that can be left out. */
function Taking({ doc, preset: p, canEdit, undo, onTaken }: { doc: Document; preset: PresetInfo; canEdit: boolean; undo: Context["undo"]; onTaken: () => void }) {
  const [left, setLeft] = useState<MoodPart[]>([]);
  const selected = usePrimary();
  const zones = doc.document.zones;
  const [into, setInto] = useState(() => (zones.some((z) => z.id === selected) ? selected! : ""));
  const inZones = p.kind === "mood" || p.kind === "look" || p.kind === "zone";
  const zone = into || (p.kind === "zone" ? (zones[0]?.id ?? "") : "");
  const box = useRef<HTMLDivElement>(null);
  const whole = { owner: p.owner, name: p.name, version: p.version, ...(inZones && zone ? { zones: [zone] } : {}) };
  const possible = p.kind !== "zone" || zone !== "";
  const changes = useQuery({
    queryKey: ["preset-changes", doc.level.id, doc.level.revision, whole],
    enabled: possible,
    queryFn: () => take(api.POST("/api/v1/levels/{id}/presets/changes", { params: { path: { id: doc.level.id } }, body: whole })),
  });
  useEffect(() => {
    box.current?.scrollIntoView({ block: "nearest" });
  }, [changes.isSuccess]);
  const byPart = changesByPart(changes.data?.items ?? []);
  const only = moodParts.filter((m) => !left.includes(m) && byPart.has(m));
  const inParts = p.kind === "mood" || p.kind === "sky" || p.kind === "environment";
  const apply = useMutation({
    mutationFn: () => take(api.POST("/api/v1/levels/{id}/presets", { params: { path: { id: doc.level.id } }, body: { ...whole, ...(inParts && left.length > 0 ? { only } : {}) } })),
    onSuccess: () => {
      noticeWithUndo(`Took ${p.name}.`, undo);
      onTaken();
    },
    onError: complain,
  });
  return (
    <div ref={box} className="border border-[#101010] bg-base-200 px-2 pb-2">
      <div className="sticky top-0 z-10 flex items-center gap-2 bg-base-200 py-2">
        <b className="min-w-0 flex-1 truncate" title={p.name}>
          {p.name}
        </b>
        <button className="btn btn-primary btn-xs max-w-[60%] truncate" disabled={!canEdit || apply.isPending || only.length === 0} onClick={() => apply.mutate()}>
          {left.length > 0 ? `Take ${only.join(", ") || "nothing"}` : "Take it"}
        </button>
      </div>
      {inZones && zones.length > 0 && (
        <select className="field mb-1" aria-label="Where it goes" value={zone} onChange={(e) => setInto(e.target.value)}>
          {p.kind !== "zone" && <option value="">into the level</option>}
          {zones.map((z) => (
            <option key={z.id} value={z.id}>
              into the zone {z.name || z.id}
            </option>
          ))}
        </select>
      )}
      {!possible && <p className="dim">The level has no zone that could take it.</p>}
      {possible && changes.isPending && <p className="dim">Comparing…</p>}
      {changes.isError && <p className="text-error">{changes.error.message}</p>}
      {changes.isSuccess && byPart.size === 0 && <p className="dim">The level is like this already.</p>}
      <ul>
        {[...byPart].map(([part, fields]) => (
          <li key={part} className="mb-1">
            <label className="flex items-center gap-2 font-semibold">
              <input type="checkbox" className="checkbox checkbox-xs" disabled={!inParts} checked={!left.includes(part)} onChange={(e) => setLeft(e.target.checked ? left.filter((x) => x !== part) : [...left, part])} />
              {part}
            </label>
            <ul className="dim pl-6 text-[11px]">
              {fields.slice(0, 6).map((f) => (
                <li key={f.path} className="truncate" title={`${f.path}: ${f.step}`}>
                  {f.path}: {f.step}
                </li>
              ))}
              {fields.length > 6 && <li>and {fields.length - 6} more</li>}
            </ul>
          </li>
        ))}
      </ul>
      {p.credit && <p className="dim mt-1 text-[11px]">Credit: {p.credit}</p>}
    </div>
  );
}
