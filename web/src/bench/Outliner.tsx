import { useMemo, useState } from "react";
import { ChevronDown, ChevronRight, Eye, EyeOff, Search } from "lucide-react";
import type { Document, Light, LightmapState, Operation } from "../api/client";
import { airEntities } from "./air";
import { airPlurals, icons, kinds as lightKindInfo, lightKinds, type AirKind } from "./kinds";
import { swatch } from "./layers";
import { short, zoneOf } from "./names";
import { bench, useBench } from "./store";

type Entry = { id: string; name: string; enabled: boolean; value: string; color: string; kind: Light["kind"] | AirKind; zone: string };
const filters: [Entry["kind"] | "off", string][] = [...lightKinds.map((k): [Entry["kind"], string] => [k, lightKindInfo[k].plural]), ...(Object.entries(airPlurals) as [AirKind, string][]), ["off", "What is off"]];

/** Everything that shines, by zone, with search and filters. */
export function Outliner({ doc, state, canEdit, edit }: { doc: Document; state: LightmapState | undefined; canEdit: boolean; edit: (op: Operation) => void }) {
  const level = doc.document;
  const [text, setText] = useState("");
  const [kinds, setKinds] = useState<string[]>([]);
  const [closed, setClosed] = useState<Record<string, boolean>>({});
  const selected = useBench((s) => s.selected);

  const entries = useMemo(() => {
    const colors = new Map((state?.sources ?? []).map((s) => [s.id, swatch(s.color)]));
    const lights: Entry[] = level.lights.map((l) => ({
      id: l.id,
      name: l.name || l.id,
      enabled: l.enabled,
      value: short(l.strength),
      color: colors.get(l.id) ?? "#808080",
      kind: l.kind,
      zone: lightKindInfo[l.kind].placed ? zoneOf(level, l) : "",
    }));
    const air: Entry[] = airEntities(level).map(({ entity: e, kind }) => {
      const from = "light" in e ? e.light : "color_from" in e ? e.color_from : undefined;
      return {
        id: e.id,
        name: e.name || e.id,
        enabled: e.enabled,
        value: short("density" in e ? e.density : e.luminance),
        color: (from && colors.get(from)) || e.color || "#808080",
        kind: kind.name.toLowerCase() as AirKind,
        zone: zoneOf(level, e),
      };
    });
    return [...lights, ...air];
  }, [level, state]);

  const shown = entries.filter((e) => {
    const words = `${e.name} ${e.id} ${e.kind} ${e.color}`.toLowerCase();
    const wanted = kinds.filter((k) => k !== "off");
    return words.includes(text.toLowerCase()) && (wanted.length === 0 || wanted.includes(e.kind)) && (!kinds.includes("off") || !e.enabled);
  });
  const zones = [...level.zones.map((z) => ({ id: z.id, name: z.name || z.id })), { id: "", name: "Whole level" }];

  return (
    <aside className="flex w-[236px] shrink-0 flex-col bg-base-100" aria-label="Outliner">
      <div className="relative p-2">
        <Search size={13} className="dim absolute left-4 top-[15px]" />
        <input className="field !h-7 !pl-7" placeholder="Find by name, kind, colour…" aria-label="Find" value={text} onChange={(e) => setText(e.target.value)} />
      </div>
      <div className="flex gap-1 px-2 pb-2" role="group" aria-label="Filters">
        {filters
          .filter(([k]) => k === "off" || kinds.includes(k) || entries.some((e) => e.kind === k))
          .map(([k, name]) => {
          const Icon = k === "off" ? EyeOff : icons[k];
          const on = kinds.includes(k);
          return (
            <button key={k} title={name} aria-label={name} aria-pressed={on} className={`grid h-6 w-7 place-items-center ${on ? "bg-[#4a4a4a]" : "bg-base-300"}`} onClick={() => setKinds(on ? kinds.filter((x) => x !== k) : [...kinds, k])}>
              <Icon size={13} />
            </button>
          );
        })}
      </div>
      <div className="min-h-0 flex-1 overflow-auto">
        {shown.length === 0 && <p className="dim px-3 py-2">{entries.length === 0 ? "No lights yet. Add one with the button above the mixer." : "Nothing matches."}</p>}
        {zones.map((z) => {
          const inside = shown.filter((e) => e.zone === z.id);
          if (inside.length === 0) return null;
          const open = !closed[z.id];
          return (
            <section key={z.id} aria-label={z.name}>
              <button className="row dim flex w-full items-center gap-2 bg-[#242424] px-2" aria-expanded={open} onClick={() => setClosed({ ...closed, [z.id]: open })}>
                {open ? <ChevronDown size={12} /> : <ChevronRight size={12} />} {z.name}
                <span className="ml-auto">{inside.length}</span>
              </button>
              {open && inside.map((e) => <Row key={e.id} entry={e} selected={e.id === selected} canEdit={canEdit} edit={edit} />)}
            </section>
          );
        })}
      </div>
    </aside>
  );
}

function Row({ entry: e, selected, canEdit, edit }: { entry: Entry; selected: boolean; canEdit: boolean; edit: (op: Operation) => void }) {
  const Icon = icons[e.kind];
  return (
    <div className={`row group flex items-center border-l-2 pl-2 ${selected ? "border-accent bg-[#38332a]" : "border-transparent hover:bg-base-300"}`}>
      <button className={`flex h-[25px] min-w-0 flex-1 items-center gap-2 text-left ${e.enabled ? "" : "dim italic line-through decoration-[#666]"}`} aria-current={selected} onClick={() => bench.set({ selected: e.id })}>
        <Icon size={13} className="shrink-0" />
        <span className="flex-1 truncate">{e.name}</span>
        <span className={selected ? "" : "dim"}>{e.value}</span>
        <span className="h-2.5 w-2.5 rounded-full" style={{ background: e.color }} />
      </button>
      <button className="dim grid h-[25px] w-7 place-items-center" disabled={!canEdit} aria-label={e.enabled ? `Switch ${e.name} off` : `Switch ${e.name} on`} onClick={() => edit({ op: "set", id: e.id, fields: { enabled: !e.enabled }, label: `${e.name}: ${e.enabled ? "off" : "on"}` })}>
        {e.enabled ? <Eye size={12} className="opacity-40 group-hover:opacity-100" /> : <EyeOff size={12} />}
      </button>
    </div>
  );
}
