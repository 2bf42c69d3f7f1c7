import { useEffect, useRef, useState } from "react";
import { useVirtualizer } from "@tanstack/react-virtual";
import type { PresetInfo } from "../../api/client";
import { PresetPicture } from "../../features/presets/PresetPicture";
import { kindWords, refOf } from "../../features/presets/usePresets";

const leastWidth = 190;
const gap = 12;
const wordsHeight = 62;

type Props = {
  items: readonly PresetInfo[];
  chosen: PresetInfo | null;
  compared: readonly PresetInfo[];
  onChoose: (p: PresetInfo) => void;
  onCompare: (p: PresetInfo) => void;
  onTag: (tag: string) => void;
  more: (() => void) | undefined;
};

/** Presets as pictures in rows; only the rows that are seen are drawn. */
export function PresetGrid({ items, chosen, compared, onChoose, onCompare, onTag, more }: Props) {
  const scroller = useRef<HTMLDivElement>(null);
  const width = useWidth(scroller);
  const columns = Math.max(1, Math.floor((width + gap) / (leastWidth + gap)));
  const cell = Math.max(0, (width - gap * (columns - 1)) / columns);
  const rows = Math.ceil(items.length / columns);
  const height = (cell * 10) / 16 + wordsHeight + gap;
  const virtual = useVirtualizer({ count: rows, getScrollElement: () => scroller.current, estimateSize: () => height, overscan: 2 });
  useEffect(() => virtual.measure(), [virtual, height]);
  const shown = virtual.getVirtualItems();
  const last = shown.at(-1)?.index ?? 0;
  useEffect(() => {
    if (more && last >= rows - 3) more();
  }, [more, last, rows]);
  return (
    <div ref={scroller} className="min-h-0 flex-1 overflow-auto" tabIndex={-1}>
      <ul className="relative" style={{ height: virtual.getTotalSize() }} aria-label="Presets">
        {shown.flatMap((row) =>
          items.slice(row.index * columns, (row.index + 1) * columns).map((p, i) => (
            <li key={`${p.owner}/${p.name}`} className="absolute" style={{ top: row.start, left: i * (cell + gap), width: cell }}>
              <Card preset={p} chosen={chosen?.owner === p.owner && chosen.name === p.name} compared={compared.some((c) => refOf(c) === refOf(p))} onChoose={onChoose} onCompare={onCompare} onTag={onTag} />
            </li>
          )),
        )}
      </ul>
    </div>
  );
}

function useWidth(element: React.RefObject<HTMLElement | null>) {
  const [width, setWidth] = useState(0);
  useEffect(() => {
    if (!element.current) return;
    const watch = new ResizeObserver(([entry]) => entry && setWidth(entry.contentRect.width));
    watch.observe(element.current);
    return () => watch.disconnect();
  }, [element]);
  return width;
}

type CardProps = { preset: PresetInfo; chosen: boolean; compared: boolean } & Pick<Props, "onChoose" | "onCompare" | "onTag">;

function Card({ preset: p, chosen, compared, onChoose, onCompare, onTag }: CardProps) {
  return (
    <div className={`group relative border bg-base-100 ${chosen ? "border-accent" : "border-[#101010] hover:border-[#4a4a4a]"}`}>
      <button className="block w-full text-left" aria-pressed={chosen} title={p.note} onClick={() => onChoose(p)}>
        <PresetPicture preset={p} />
        <span className="flex gap-2 px-2 pt-1">
          <span className="min-w-0 flex-1 truncate font-semibold">{p.name}</span>
          <span className="dim shrink-0">{kindWords[p.kind]}</span>
        </span>
      </button>
      <p className="dim flex gap-1 truncate px-2">
        {p.tags.slice(0, 3).map((t) => (
          <button key={t} className="hover:text-base-content hover:underline" onClick={() => onTag(t)}>
            {t}
          </button>
        ))}
      </p>
      <p className="dim flex px-2 pb-1.5 text-[11px]">
        <span className="min-w-0 flex-1 truncate">{p.owner}</span>
        {p.taken > 0 && <span title="How often it was taken">{p.taken}×</span>}
      </p>
      {p.picture && (
        <label className={`absolute right-1 top-1 flex items-center gap-1 bg-base-100/90 px-1.5 py-0.5 ${compared ? "" : "opacity-0 focus-within:opacity-100 group-hover:opacity-100"}`}>
          <input type="checkbox" className="checkbox checkbox-xs" checked={compared} onChange={() => onCompare(p)} aria-label={`Compare ${p.name}`} />
          compare
        </label>
      )}
    </div>
  );
}
