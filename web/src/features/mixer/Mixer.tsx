import { useEffect, useMemo, useRef, useState } from "react";
import { useVirtualizer } from "@tanstack/react-virtual";
import type { Document, LightmapState } from "../../api/client";
import type { Context } from "../../commands";
import { bench, camera, useBench } from "../../model/bench";
import { pendingLive } from "../../model/pending";
import { sees, stripItems, stripsOf, type Grouping, type StripItem } from "../../model/strips";
import { Mixes } from "./Mixes";
import { Strip, stripPx } from "./Strip";

type Props = { doc: Document; state: LightmapState | undefined; canEdit: boolean; edit: Context["edit"] };

const groupPx = 26;
const lookAgainMs = 700;

/** Every source a strip, in groups; and the mixes that were kept. */
export function Mixer({ doc, state, canEdit, edit }: Props) {
  const [search, setSearch] = useState("");
  const [by, setBy] = useState<Grouping>("zone");
  const [onlySeen, setOnlySeen] = useState(false);
  const look = useLook(onlySeen);
  const sources = useMemo(() => stripsOf(state), [state]);
  const items = useMemo(() => stripItems(doc.document, sources, by, search, look), [doc.document, sources, by, search, look]);
  const pending = pendingLive(doc.document, state);
  return (
    <div className="flex h-full">
      <div className="flex w-44 shrink-0 flex-col gap-1 overflow-auto border-r border-[#101010] p-2">
        <input className="field shrink-0" aria-label="Search the strips" placeholder="find a strip" value={search} onChange={(e) => setSearch(e.target.value)} />
        <select className="field shrink-0" aria-label="Group the strips" value={by} onChange={(e) => setBy(e.target.value as Grouping)}>
          <option value="zone">by zone</option>
          <option value="rig">by rig</option>
          <option value="kind">by kind</option>
        </select>
        <label className="flex items-center gap-2">
          <input type="checkbox" className="checkbox checkbox-xs" checked={onlySeen} onChange={(e) => setOnlySeen(e.target.checked)} /> only what is in view
        </label>
        <Mixes doc={doc} canEdit={canEdit} edit={edit} />
      </div>
      {items.length === 0 ? (
        <p className="dim p-4">{sources.length === 0 ? "Nothing shines yet. Add a light." : "No strip matches."}</p>
      ) : (
        <Strips items={items} doc={doc} pending={pending} canEdit={canEdit} edit={edit} />
      )}
    </div>
  );
}

/** Whether the camera sees a place; it looks again now and then while that is asked for. */
function useLook(on: boolean): (place: readonly number[]) => boolean {
  const [now, setNow] = useState<ReturnType<NonNullable<typeof camera.now>> | null>(null);
  useEffect(() => {
    if (!on) return;
    const again = () => setNow((was) => {
      const is = camera.now?.() ?? null;
      return JSON.stringify(was) === JSON.stringify(is) ? was : is;
    });
    again();
    const timer = setInterval(again, lookAgainMs);
    return () => clearInterval(timer);
  }, [on]);
  return useMemo(() => {
    const view = document.querySelector("[data-testid=view]");
    const aspect = view ? view.clientWidth / view.clientHeight : 1.6;
    return (place: readonly number[]) => !on || !now || sees(now, aspect, place);
  }, [on, now]);
}

type StripsProps = Omit<Props, "state"> & { items: readonly StripItem[]; pending: ReturnType<typeof pendingLive> };

/** The strips that are scrolled into sight, and some to either side. */
function Strips({ items, doc, pending, canEdit, edit }: StripsProps) {
  const scroller = useRef<HTMLDivElement>(null);
  const selection = useBench((s) => s.selection);
  const virtual = useVirtualizer({
    horizontal: true,
    count: items.length,
    getScrollElement: () => scroller.current,
    estimateSize: (i) => (items[i]!.is === "group" ? groupPx : stripPx),
    getItemKey: (i) => keyOf(items[i]!),
    overscan: 30,
    initialRect: { width: 900, height: 200 },
  });
  // A light that is selected elsewhere is brought into sight here.
  const last = selection.at(-1);
  useEffect(() => {
    const at = items.findIndex((i) => i.is === "strip" && i.source.id === last);
    if (at >= 0) virtual.scrollToIndex(at, { align: "auto" });
  }, [last, items, virtual]);
  return (
    <div ref={scroller} className="min-w-0 flex-1 overflow-x-auto overflow-y-hidden py-1" tabIndex={0} aria-label="Strips">
      <div className="relative h-full min-h-[150px]" style={{ width: virtual.getTotalSize() }}>
        {virtual.getVirtualItems().map((v) => {
          const item = items[v.index]!;
          return (
            <div key={v.key} className="absolute bottom-0 top-0" style={{ left: v.start }}>
              {item.is === "group" ? <GroupHead name={item.name} ids={item.ids} /> : <Strip source={item.source} rig={item.rig} doc={doc} pending={pending[item.source.id]} canEdit={canEdit} edit={edit} />}
            </div>
          );
        })}
      </div>
    </div>
  );
}

const keyOf = (i: StripItem) => (i.is === "group" ? `group ${i.name}` : i.source.id);

/** The name of a group, upright; a click selects its lights. */
function GroupHead({ name, ids }: { name: string; ids: string[] }) {
  return (
    <button className="dim grid h-full w-[24px] place-items-center bg-[#191919] hover:text-base-content" title={`${name}: select its lights`} onClick={() => bench.select(ids)}>
      <span className="max-h-full truncate [writing-mode:vertical-rl] rotate-180">{name}</span>
    </button>
  );
}
