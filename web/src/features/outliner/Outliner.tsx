import { useEffect, useMemo, useRef, useState, type KeyboardEvent } from "react";
import { useVirtualizer } from "@tanstack/react-virtual";
import { ArrowDownWideNarrow, Box, Camera, ChevronDown, ChevronRight, CloudFog, Eye, EyeOff, Lightbulb, Lock, Search, TriangleAlert, type LucideIcon } from "lucide-react";
import type { Document, LightmapState, Report } from "../../api/client";
import type { Context } from "../../commands";
import { swatch } from "../../engine/color";
import { bench, useBench } from "../../model/bench";
import { texelsByThing } from "../../model/charts";
import { costliest } from "../../model/cost";
import { short, shortIn } from "../../model/names";
import { everyKind, indexOf, rangeOf, rowsByCost, rowsOf, type Filter, type Row } from "../../model/outline";
import { colorOf, unitOfLight, type Thing } from "../../model/things";
import { icons } from "../../ui/kinds";
import { sceneColors, useScene } from "../data";
import { NameField } from "./NameField";

type Props = { doc: Document; state: LightmapState | undefined; report: Report | undefined; canEdit: boolean; edit: Context["edit"]; filters: readonly Filter[] };

const filterButtons: [Filter, string, LucideIcon][] = [
  ["lights", "Lights", Lightbulb],
  ["air", "What is in the air", CloudFog],
  ["blocks", "Blocks and meshes", Box],
  ["views", "Viewpoints and zones", Camera],
  ["off", "What is off", EyeOff],
  ["findings", "What has findings", TriangleAlert],
];

/** Everything in the level, by zone, with search and filters. What is being renamed is always listed. */
export function Outliner({ doc, state, report, canEdit, edit, filters }: Props) {
  const level = doc.document;
  const [query, setQuery] = useState("");
  const [on, setOn] = useState<readonly Filter[]>(filters);
  const [closed, setClosed] = useState<Record<string, boolean>>({});
  const findings = useMemo(() => new Set(report?.findings.flatMap((f) => f.entities) ?? []), [report]);
  const renaming = useBench((s) => s.renaming);
  const [byCost, setByCost] = useState(false);
  const costs = useCosts(doc, state, byCost);
  const listed = useMemo(() => {
    if (!costs) return rowsOf(level, query, on, closed, findings);
    return rowsByCost(rowsOf(level, query, on.length > 0 ? on : everyKind, {}, findings), costs);
  }, [level, query, on, closed, findings, costs]);
  const rows = useMemo(() => (renaming !== null && indexOf(listed, renaming) < 0 ? rowsOf(level, "", everyKind, {}, findings) : listed), [level, findings, listed, renaming]);
  const colors = useMemo(() => new Map((state?.sources ?? []).map((s) => [s.id, swatch(s.color)])), [state]);
  const found = rows.flatMap((r) => (r.is === "thing" ? [r.thing.id] : []));
  return (
    <aside className="flex h-full flex-col bg-base-100" aria-label="Outliner">
      <SearchBox query={query} setQuery={setQuery} onEnter={() => bench.select(found)} />
      <div className="flex gap-1 px-2 pb-2" role="group" aria-label="Filters">
        {filterButtons.map(([f, name, Icon]) => {
          const chosen = on.includes(f);
          return (
            <button key={f} title={name} aria-label={name} aria-pressed={chosen} className={`grid h-6 w-7 place-items-center ${chosen ? "bg-[#4a4a4a]" : "bg-base-300"}`} onClick={() => setOn(chosen ? on.filter((x) => x !== f) : [...on, f])}>
              <Icon size={13} />
            </button>
          );
        })}
        <button title="Costly first: lights by shadows and reach, surfaces by texels" aria-label="Costly first" aria-pressed={byCost} className={`grid h-6 w-7 place-items-center ${byCost ? "bg-[#4a4a4a]" : "bg-base-300"}`} onClick={() => setByCost(!byCost)}>
          <ArrowDownWideNarrow size={13} />
        </button>
        {query.trim() && found.length > 0 && (
          <button className="btn btn-xs ml-auto" onClick={() => bench.select(found)}>
            Select {found.length}
          </button>
        )}
      </div>
      {rows.length === 0 ? (
        <Empty query={query.trim()} on={on} showAll={() => (setQuery(""), setOn([]))} />
      ) : (
        <Rows rows={rows} colors={colors} doc={doc} canEdit={canEdit} edit={edit} fold={(id, open) => setClosed({ ...closed, [id]: open })} />
      )}
    </aside>
  );
}

/** What things cost, while it is asked for. */
function useCosts(doc: Document, state: LightmapState | undefined, asked: boolean) {
  const scene = useScene(doc.level.id, asked ? state?.geometry : undefined, asked ? sceneColors(doc.document) : "").data;
  return useMemo(() => {
    if (!asked) return null;
    const texels = scene ? texelsByThing(doc.document, scene.ranges, scene.texels) : [];
    return costliest(doc.document, new Map(texels.map((t) => [t.id, t.value])));
  }, [doc.document, scene, asked]);
}

function SearchBox({ query, setQuery, onEnter }: { query: string; setQuery: (q: string) => void; onEnter: () => void }) {
  return (
    <div className="relative p-2">
      <Search size={13} className="dim absolute left-4 top-[15px]" />
      <input
        className="field !h-7 !pl-7"
        placeholder="warm, in kitchen, off…"
        title="Words that all hold: names, kinds, zones, red, warm, dim, off, shadow, finding. -word leaves out. Enter selects."
        aria-label="Find"
        value={query}
        onChange={(e) => setQuery(e.target.value)}
        onKeyDown={(e) => {
          if (e.key === "Enter") onEnter();
          if (e.key === "Escape") setQuery("");
        }}
      />
    </div>
  );
}

/** Why the list is empty, and the way back to all of it. */
function Empty({ query, on, showAll }: { query: string; on: readonly Filter[]; showAll: () => void }) {
  if (!query && on.length === 0) return <p className="dim px-3 py-2">Nothing is here yet. Place a light with the + at the view's left edge.</p>;
  const wanted = [...filterButtons.flatMap(([f, name]) => (on.includes(f) ? [name.toLowerCase()] : [])), ...(query ? [`“${query}”`] : [])];
  return (
    <div className="dim space-y-2 px-3 py-2">
      <p>Nothing matches. The list shows only: {wanted.join(", ")}.</p>
      <button className="btn btn-xs" onClick={showAll}>
        Show everything
      </button>
    </div>
  );
}

type RowsProps = { rows: readonly Row[]; colors: ReadonlyMap<string, string>; doc: Document; canEdit: boolean; edit: Context["edit"]; fold: (id: string, open: boolean) => void };

/** The rows that are seen; the arrow keys go from one to the next. */
function Rows({ rows, colors, doc, canEdit, edit, fold }: RowsProps) {
  const scroller = useRef<HTMLDivElement>(null);
  const anchor = useRef<string | null>(null);
  const selection = useBench((s) => s.selection);
  const virtual = useVirtualizer({ count: rows.length, getScrollElement: () => scroller.current, estimateSize: () => 26, overscan: 60, initialRect: { width: 240, height: 900 } });

  // What is selected in the view, or renamed, comes into sight once; after that the list stays where it is scrolled to.
  const renaming = useBench((s) => s.renaming);
  const sought = renaming ?? selection.at(-1) ?? "";
  const shown = useRef("");
  useEffect(() => {
    if (sought === shown.current) return;
    const at = indexOf(rows, sought);
    shown.current = at < 0 ? "" : sought;
    if (at >= 0) virtual.scrollToIndex(at, { align: "auto" });
  }, [virtual, rows, sought]);

  function select(id: string, e: { shiftKey: boolean; ctrlKey: boolean; metaKey: boolean }) {
    if (e.shiftKey) return bench.select(rangeOf(rows, anchor.current, id));
    anchor.current = id;
    bench.select([id], e.ctrlKey || e.metaKey ? "toggle" : "replace");
  }
  function key(e: KeyboardEvent) {
    if (e.key !== "ArrowDown" && e.key !== "ArrowUp") return;
    e.preventDefault();
    e.stopPropagation();
    const things = rows.flatMap((r) => (r.is === "thing" ? [r.thing.id] : []));
    const now = things.indexOf(selection.at(-1) ?? "");
    const next = things[Math.min(things.length - 1, Math.max(0, now + (e.key === "ArrowDown" ? 1 : -1)))];
    if (!next) return;
    if (e.shiftKey) bench.select([next], "add");
    else select(next, { shiftKey: false, ctrlKey: false, metaKey: false });
  }
  return (
    <div ref={scroller} className="min-h-0 flex-1 overflow-auto" onKeyDown={key}>
      <div style={{ height: virtual.getTotalSize(), position: "relative" }}>
        {virtual.getVirtualItems().map((item) => {
          const row = rows[item.index]!;
          return (
            <div key={row.is === "zone" ? `zone ${row.id}` : row.thing.id} className="absolute left-0 right-0 h-[26px]" style={{ top: item.start }}>
              {row.is === "zone" ? (
                <Heading row={row} fold={fold} />
              ) : renaming === row.thing.id ? (
                <NameField level={doc.document} thing={row.thing} edit={edit} />
              ) : (
                <ThingRow thing={row.thing} note={row.cost ?? valueOf(row.thing)} color={colors.get(row.thing.id) ?? colorOf(doc.document, row.thing)} selected={selection.includes(row.thing.id)} canEdit={canEdit} edit={edit} onSelect={select} />
              )}
            </div>
          );
        })}
      </div>
    </div>
  );
}

function Heading({ row, fold }: { row: Row & { is: "zone" }; fold: RowsProps["fold"] }) {
  return (
    <button className="row dim flex h-full w-full items-center gap-2 bg-[#242424] px-2" aria-expanded={row.open} onClick={() => fold(row.id, row.open)}>
      {row.open ? <ChevronDown size={12} /> : <ChevronRight size={12} />} <span className="truncate">{row.name}</span>
      <span className="ml-auto">{row.count}</span>
    </button>
  );
}

type ThingRowProps = { thing: Thing; note: string; color: string | undefined; selected: boolean; canEdit: boolean; edit: Context["edit"]; onSelect: (id: string, e: React.MouseEvent) => void };

function ThingRow({ thing: t, note, color, selected, canEdit, edit, onSelect }: ThingRowProps) {
  const Icon = icons[t.kind];
  const hidden = useBench((s) => s.hidden[t.id] ?? false);
  const locked = useBench((s) => s.locked[t.id] ?? false);
  const hasSwitch = t.part !== "zones" && t.part !== "rigs" && t.part !== "viewpoints";
  return (
    <div className={`group flex h-full items-center border-l-2 pl-2 ${selected ? "border-accent bg-[#38332a]" : "border-transparent hover:bg-base-300"} ${hidden ? "opacity-50" : ""}`} onMouseEnter={() => bench.set({ hovered: t.id })} onMouseLeave={() => bench.set({ hovered: null })}>
      <button className={`flex h-full min-w-0 flex-1 items-center gap-2 text-left ${t.enabled ? "" : "dim italic line-through decoration-[#666]"}`} aria-current={selected} title={t.name} onClick={(e) => onSelect(t.id, e)} onDoubleClick={() => canEdit && bench.set({ renaming: t.id })}>
        <Icon size={13} className="shrink-0" />
        <span className="flex-1 truncate">{t.name}</span>
        {locked && <Lock size={10} className="dim" aria-label="locked" />}
        <span className={selected ? "" : "dim"}>{note}</span>
        {color && <span className="h-2.5 w-2.5 shrink-0 rounded-full" style={{ background: color }} />}
      </button>
      {hasSwitch ? (
        <button className="dim grid h-full w-7 place-items-center" disabled={!canEdit} aria-label={t.enabled ? `Switch ${t.name} off` : `Switch ${t.name} on`} onClick={() => edit({ op: "set", id: t.id, fields: { enabled: !t.enabled }, label: `${t.name}: ${t.enabled ? "off" : "on"}` })}>
          {t.enabled ? <Eye size={12} className="opacity-40 group-hover:opacity-100" /> : <EyeOff size={12} />}
        </button>
      ) : (
        <span className="w-7" />
      )}
    </div>
  );
}

/** The one number that tells most about a thing. */
function valueOf(t: Thing): string {
  const e = t.entity as { strength?: number; density?: number; luminance?: number; kind?: keyof typeof unitOfLight };
  if (t.part === "lights") return shortIn(e.strength ?? 0, unitOfLight[e.kind ?? "point"]);
  const v = t.part === "fog_volumes" ? e.density : e.luminance;
  return v === undefined ? "" : short(v);
}
