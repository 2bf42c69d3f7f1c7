import { memo, useState } from "react";
import { ChevronDown, ChevronRight, Trash2 } from "lucide-react";
import type { Document, Level, LightmapState, Operation, Schemas } from "../../api/client";
import type { Context } from "../../commands";
import { bench, useBench } from "../../model/bench";
import { fromPanTilt, panTilt, type Turn } from "../../model/angles";
import { longestName, removal, renamed, selectedThings } from "../../model/edits";
import { limitsOf, type Part } from "../../model/schema";
import { facesOf, setFaces } from "../../model/surfaces";
import { partWords, plurals, taken, type Thing } from "../../model/things";
import { counted } from "../../ui/counted";
import { Tint } from "./Tint";
import { Fields, valueAt, type Field, type Values } from "../../ui/fields";
import { NumberField } from "../../ui/NumberField";
import { Choice, Toggle } from "../../ui/rows";
import { AirSections } from "./air";
import { DensityPlan } from "./DensityPlan";
import { EnvironmentSections } from "./Environment";
import { LookSections } from "./look";
import { RigLinks } from "../presets/RigLinks";
import { OriginLine } from "../presets/OriginLine";
import { ProfileSection } from "./Profile";
import { TargetWords } from "./TargetWords";
import { sectionsOf, surfaceFields, turns, zoneFields } from "./parts";

type Props = { doc: Document; state: LightmapState | undefined; canEdit: boolean; edit: Context["edit"]; undo: Context["undo"]; onApplied: () => void };

/** What is selected, every value exact; or the level's own values. */
export const Inspector = memo(function Inspector(props: Props) {
  const selection = useBench((s) => s.selection);
  const things = selectedThings(props.doc.document, selection);
  const faces = selection.filter((id) => taken(id).face !== null);
  return (
    <aside className="h-full overflow-auto bg-base-100" aria-label="Inspector">
      {things.length === 0 ? (
        <LevelInspector {...props} />
      ) : faces.length > 0 && faces.length === selection.length ? (
        <FaceInspector key={faces.join()} faces={faces} {...props} />
      ) : (
        <ThingsInspector key={things.map((t) => t.id).join()} things={things} {...props} />
      )}
    </aside>
  );
});

/** One thing, or several: those of one part are changed together. */
function ThingsInspector({ things, doc, state, canEdit, edit, undo, onApplied }: Props & { things: readonly Thing[] }) {
  const parts = [...new Set(things.map((t) => t.part))];
  const [chosen, choose] = useState<Part>(things.at(-1)!.part);
  const part = parts.includes(chosen) ? chosen : parts[0]!;
  const shown = things.filter((t) => t.part === part);
  const level = doc.document;
  const setEach = (next: (of: Values) => Values, gesture?: string) => edit(batchOf(shown, next), gesture && `${gesture} ${shown.map((t) => t.id).join()}`);
  const source = shown.length === 1 ? state?.sources.find((s) => s.id === shown[0]!.id) : undefined;
  return (
    <>
      <Head level={level} things={things} canEdit={canEdit} edit={edit} />
      <OriginLine doc={doc} of={(o) => o.rig !== undefined && things.some((t) => t.entity.rig === o.rig || t.id === o.rig)} />
      <RigLinks doc={doc} ids={things.map((t) => t.id)} canEdit={canEdit} undo={undo} onApplied={onApplied} />
      {parts.length > 1 && <PartChoice parts={parts} things={things} part={part} choose={choose} />}
      {sectionsOf(level, part, shown.map((t) => t.kind)).map((s, i) => (
        <FoldingSection key={s.title} title={s.title} fields={s.fields} part={part} things={shown} open={i === 0 || part !== "lights"}>
          <Fields
            of={shown.map((t) => t.entity)}
            part={part}
            fields={s.fields}
            disabled={!canEdit}
            set={(fields, gesture) => setEach(() => fields, gesture)}
            setEach={setEach}
            live={part === "lights" ? (path, v) => path === "strength" && shown.forEach((t) => bench.live(t.id, { strength: v })) : undefined}
          />
          {s.title === "Fog, flicker, bounce" && <FlickerSwitch things={shown} disabled={!canEdit} setEach={setEach} />}
        </FoldingSection>
      ))}
      {part === "lights" && <ProfileSection doc={doc} things={shown} canEdit={canEdit} edit={edit} />}
      <TargetWords doc={doc} things={shown} canEdit={canEdit} edit={edit} />
      <PlaceSection things={shown} canEdit={canEdit} setEach={setEach} />
      <TagsSection things={shown} canEdit={canEdit} setEach={setEach} />
      {source && <div className="section dim">{source.layer ? `Layer baked at ${source.quality}.` : "Layer is stale: it is baked again when you rest."}</div>}
    </>
  );
}

/** The same change of several things as one operation, each from its own values. */
function batchOf(things: readonly Thing[], next: (of: Values) => Values): Operation {
  const steps = things.map((t): Operation => ({ op: "set", id: t.id, fields: next(t.entity as unknown as Values) }));
  if (steps.length === 1) return steps[0]!;
  const paths = [...new Set(steps.flatMap((s) => Object.keys(s.fields ?? {})))].join(", ");
  return { op: "batch", label: `${things.length} things: ${paths}`.slice(0, 120), steps };
}

function PartChoice({ parts, things, part, choose }: { parts: readonly Part[]; things: readonly Thing[]; part: Part; choose: (p: Part) => void }) {
  return (
    <div className="section flex flex-wrap gap-1" role="group" aria-label="Which of the selected">
      {parts.map((p) => (
        <button key={p} aria-pressed={p === part} className={`btn btn-xs ${p === part ? "!bg-[#4a4a4a]" : ""}`} onClick={() => choose(p)}>
          {counted(things.filter((t) => t.part === p).length, ...(partWords[p] ?? [p, p]))}
        </button>
      ))}
    </div>
  );
}

function Head({ level, things, canEdit, edit }: { level: Level; things: readonly Thing[]; canEdit: boolean; edit: Context["edit"] }) {
  const [text, setText] = useState<string | null>(null);
  const one = things.length === 1 ? things[0]! : null;
  const kinds = [...new Set(things.map((t) => t.kind))];
  const what = one ? one.kind : kinds.length === 1 ? plurals[kinds[0]!].toLowerCase() : "things";
  const rename = () => {
    const op = one && text !== null && text !== one.name && renamed(level, [one.id], text);
    if (op) edit(op);
    setText(null);
  };
  return (
    <div className="section flex items-center gap-2">
      {one ? (
        <input
          className="field min-w-0 flex-1 !bg-transparent !px-1 font-semibold"
          aria-label="Name"
          maxLength={longestName}
          disabled={!canEdit}
          value={text ?? one.name}
          onChange={(e) => setText(e.target.value)}
          onBlur={rename}
          onKeyDown={(e) => {
            if (e.key === "Enter") e.currentTarget.blur();
            if (e.key === "Escape") setText(null);
          }}
        />
      ) : (
        <span className="flex-1 px-1 font-semibold">{things.length} selected</span>
      )}
      <span className="dim shrink-0">{what}</span>
      <button
        className="dim hover:text-error"
        aria-label={`Remove ${one?.name ?? "what is selected"}`}
        title="Remove (Del); undo brings it back"
        disabled={!canEdit}
        onClick={() => {
          const op = removal(level, things.map((t) => t.id));
          bench.set({ selection: [] });
          if (op) edit(op);
        }}
      >
        <Trash2 size={13} />
      </button>
    </div>
  );
}

/** A group of rows that folds. Folded, its title says what is not at its default. */
function FoldingSection({ title, fields, part, things, open: opened, children }: { title: string; fields: readonly Field[]; part: Part; things: readonly Thing[]; open: boolean; children: React.ReactNode }) {
  const [open, setOpen] = useState(opened);
  const changed = fields.filter((f) => {
    const initial = limitsOf(part, f.path).initial;
    return f.is === "number" && initial !== undefined && things.some((t) => (valueAt(t.entity as unknown as Values, f.path) ?? initial) !== initial) && (!f.when || f.when(things[0]!.entity as unknown as Values));
  });
  return (
    <section className="section">
      <button className="flex w-full items-center gap-1 text-left" aria-expanded={open} onClick={() => setOpen(!open)}>
        {open ? <ChevronDown size={12} /> : <ChevronRight size={12} />}
        <h3 className="font-semibold text-[#b4b4b4]">{title}</h3>
        {!open && <span className="dim ml-auto truncate pl-3">{changed.length > 0 ? changed.map((f) => f.label.toLowerCase()).join(", ") : "at default"}</span>}
      </button>
      {open && <div className="pt-1.5">{children}</div>}
    </section>
  );
}

type Each = { things: readonly Thing[]; setEach: (next: (of: Values) => Values, gesture?: string) => void };

function FlickerSwitch({ things, disabled, setEach }: Each & { disabled: boolean }) {
  const on = things.every((t) => (t.entity as { flicker?: unknown }).flicker !== undefined);
  return <Toggle label="Flickers" value={on} disabled={disabled} onChange={(v) => setEach(() => (v ? { "flicker.pattern": "candle" } : { flicker: null }))} />;
}

/** Where things stand, and which way they face. */
function PlaceSection({ things, canEdit, setEach }: Each & { canEdit: boolean }) {
  const placed = things.filter((t) => t.entity.transform);
  if (placed.length !== things.length) return null;
  const facing = things.every((t) => turns(t.part, t.kind) || (t.entity as { profile?: string }).profile);
  const angles = things.map((t) => panTilt(t.entity.transform!.rotation));
  const angle = (name: keyof Turn, label: string, min?: number, max?: number) => {
    const values = angles.map((a) => a[name]);
    const mixed = values.some((v) => v !== values[0]);
    const each = (next: (v: number) => number, gesture?: string) =>
      setEach((of) => {
        const a = panTilt((of.transform as Schemas["Transform"]).rotation);
        const turned = { ...a, [name]: next(a[name]) };
        return { "transform.rotation": fromPanTilt(turned.pan, turned.tilt, turned.roll) };
      }, gesture);
    return <NumberField key={name} label={label} unit="°" min={min} max={max} step={1} disabled={!canEdit} value={values[0]!} span={mixed ? [Math.min(...values), Math.max(...values)] : undefined} onCommit={(v, gesture) => each(() => v, gesture)} onEach={each} />;
  };
  return (
    <div className="section">
      <h3>Place</h3>
      <Fields of={things.map((t) => t.entity)} fields={[{ is: "three", path: "transform.position", label: "Position", unit: "m", step: 0.05 }]} disabled={!canEdit} set={(fields, gesture) => setEach(() => fields, gesture)} setEach={setEach} />
      {facing && angle("pan", "Pan")}
      {facing && angle("tilt", "Tilt", -90, 90)}
      {facing && angle("roll", "Roll")}
    </div>
  );
}

/** Words that things are found by. */
function TagsSection({ things, canEdit, setEach }: Each & { canEdit: boolean }) {
  const [text, setText] = useState<string | null>(null);
  if (things.some((t) => t.part === "zones" || t.part === "rigs")) return null;
  const common = (things[0]!.entity.tags ?? []).filter((tag) => things.every((t) => (t.entity.tags ?? []).includes(tag)));
  const finish = () => {
    if (text === null) return;
    const next = [...new Set(text.split(/[ ,]+/).filter(Boolean))];
    setText(null);
    if (next.join() !== common.join()) setEach((of) => ({ tags: [...new Set([...((of.tags as string[] | undefined) ?? []).filter((t) => !common.includes(t)), ...next])] }));
  };
  return (
    <div className="section">
      <div className="row grid grid-cols-[92px_1fr] items-center gap-2">
        <span className="dim">Tags</span>
        <input className="field" aria-label="Tags" placeholder="none" disabled={!canEdit} value={text ?? common.join(" ")} onChange={(e) => setText(e.target.value)} onBlur={finish} onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()} />
      </div>
    </div>
  );
}

/** The surfaces of one or many faces of solids. */
function FaceInspector({ faces, doc, canEdit, edit }: Props & { faces: readonly string[] }) {
  const level = doc.document;
  const surfaces = facesOf(level, faces);
  if (surfaces.length === 0) return null;
  const first = surfaces[0]!;
  const set = (fields: Values, gesture?: string) => edit(setFaces(surfaces, fields, `${counted(surfaces.length, "face")}: ${Object.keys(fields).join(", ")}`), gesture);
  return (
    <>
      <div className="section flex items-center gap-2">
        <span className="flex-1 px-1 font-semibold">{surfaces.length === 1 ? `${first.solid.name || first.solid.id}, face ${first.face}` : `${surfaces.length} faces`}</span>
        <button className="btn btn-xs" onClick={() => bench.select([...new Set(surfaces.map((s) => s.solid.id))])}>
          Whole block
        </button>
      </div>
      <div className="section">
        <h3>Surface</h3>
        <Fields of={surfaces.map((s) => s.surface)} fields={surfaceFields(level, "")} disabled={!canEdit} set={set} />
      </div>
    </>
  );
}

const sheets = ["light", "air", "look"] as const;

function LevelInspector({ doc, state, canEdit, edit }: Props) {
  const level = doc.document;
  const sheet = useBench((s) => s.sheet);
  return (
    <>
      <div className="section">
        <div className="font-semibold">{level.name}</div>
        {level.note && <p className="dim mt-1">{level.note}</p>}
      </div>
      <OriginLine doc={doc} of={(o) => o.rig === undefined} />
      <div className="flex border-b border-[#101010] px-2" role="tablist" aria-label="Values of the level">
        {sheets.map((s) => (
          <button key={s} role="tab" aria-selected={sheet === s} className={`h-8 border-b-2 px-3 capitalize ${sheet === s ? "border-accent" : "dim border-transparent"}`} onClick={() => bench.set({ sheet: s })}>
            {s}
          </button>
        ))}
      </div>
      <div role="tabpanel" aria-label={sheet}>
        {sheet === "air" && <AirSections doc={doc} canEdit={canEdit} edit={edit} />}
        {sheet === "look" && <LookSections doc={doc} canEdit={canEdit} edit={edit} />}
        {sheet === "light" && <LightSections doc={doc} state={state} canEdit={canEdit} edit={edit} />}
      </div>
    </>
  );
}

/** Whether each zone is indoors, and an ambient of its own. */
function ZoneAmbients({ level, canEdit, edit }: { level: Document["document"]; canEdit: boolean; edit: Context["edit"] }) {
  const [chosen, choose] = useState("");
  const zone = level.zones.find((z) => z.id === chosen);
  if (level.zones.length === 0) return null;
  return (
    <div className="section">
      <h3>Zones</h3>
      <select className="field" aria-label="Zone" value={chosen} onChange={(e) => choose(e.target.value)}>
        <option value="">choose one…</option>
        {level.zones.map((z) => (
          <option key={z.id} value={z.id}>
            {z.name || z.id}
          </option>
        ))}
      </select>
      {zone && (
        <Fields
          of={zone}
          disabled={!canEdit}
          set={(fields) => edit({ op: "set", id: zone.id, fields })}
          fields={zoneFields}
        />
      )}
    </div>
  );
}

function LightSections({ doc, state, canEdit, edit }: Omit<Props, "undo" | "onApplied">) {
  const level = doc.document;
  const set = (fields: Record<string, unknown>) => edit({ op: "set", fields });
  const off = !canEdit;
  return (
    <>
      <div className="section">
        <h3>Ambient</h3>
        <NumberField label="Strength" unit="lx" min={0} step={0.1} scale="log" initial={0} disabled={off} value={level.environment.ambient.strength} onLive={(v) => bench.live("ambient:level", { strength: v })} onCommit={(v) => {
            set({ "environment.ambient.strength": v });
            bench.settle("ambient:level");
          }} />
        <NumberField label="Sky fill" unit="×" min={0} max={10} step={0.01} initial={0} unset="none" disabled={off} value={level.environment.ambient.sky_fill} onCommit={(v) => set({ "environment.ambient.sky_fill": v })} />
      </div>
      <ZoneAmbients level={level} canEdit={canEdit} edit={edit} />
      <EnvironmentSections doc={doc} canEdit={canEdit} edit={edit} />
      <div className="section">
        <h3>Lightmap</h3>
        <NumberField label="Density" unit="/m" min={0.25} max={256} step={1} initial={6} disabled={off} value={level.lightmap.density} onCommit={(v) => set({ "lightmap.density": v })} />
        <Toggle label="Bounces" value={level.lightmap.bounces} disabled={off} onChange={(v) => set({ "lightmap.bounces": v })} />
        <Toggle label="Smooth" value={level.lightmap.denoise} disabled={off} onChange={(v) => set({ "lightmap.denoise": v })} />
        <Toggle label="Sky patches" value={level.lightmap.sky_patches} disabled={off} onChange={(v) => set({ "lightmap.sky_patches": v })} />
        <Choice label="Backs" value={level.lightmap.backs} of={["stop", "pass"]} disabled={off} onChange={(v) => set({ "lightmap.backs": v })} />
        {state && (
          <p className="dim mt-1">
            {state.texels.toLocaleString("en")} texels on {counted(state.pages, "page")} of {state.page_size}
          </p>
        )}
        {state && <DensityPlan id={doc.level.id} texels={state.texels} canEdit={canEdit} edit={edit} />}
      </div>
      <Materials doc={doc} canEdit={canEdit} edit={edit} />
      <p className="dim px-3 py-2">Select something for its values.</p>
    </>
  );
}

/** The materials of the level, one at a time. */
function Materials({ doc, canEdit, edit }: { doc: Document; canEdit: boolean; edit: Context["edit"] }) {
  const [chosen, choose] = useState("");
  const { materials } = doc.document;
  const material = materials.find((m) => m.id === chosen);
  if (materials.length === 0) return null;
  const own = {
    part: "materials",
    disabled: !canEdit,
    set: (fields: Record<string, unknown>, gesture?: string) => edit({ op: "set", id: chosen, fields }, gesture && `${gesture} ${chosen}`),
  } as const;
  return (
    <div className="section">
      <h3>Materials</h3>
      <select className="field" aria-label="Material of the level" value={chosen} onChange={(e) => choose(e.target.value)}>
        <option value="">choose one…</option>
        {materials.map((m) => (
          <option key={m.id} value={m.id}>
            {m.name || m.id}
          </option>
        ))}
      </select>
      {material && (
        <>
          <Fields
            {...own}
            of={material}
            fields={[
              { is: "color", path: "color", label: "Base colour" },
              { is: "number", path: "emission", label: "Emission", unit: "nt", step: 10, scale: "log", unset: "none" },
              { is: "toggle", path: "two_sided", label: "Two sided" },
              { is: "number", path: "translucency", label: "Translucency", step: 0.05, min: 0, max: 1 },
              { is: "number", path: "roughness", label: "Roughness", step: 0.05, min: 0, max: 1 },
              { is: "number", path: "metalness", label: "Metalness", step: 0.05, min: 0, max: 1 },
              { is: "number", path: "porosity", label: "Porosity", step: 0.05, min: 0, max: 1 },
              { is: "choice", path: "lighting", label: "Lighting", of: ["baked", "dynamic"] },
            ]}
          />
          <Toggle label="Water" value={material.water !== undefined} disabled={!canEdit} onChange={(on) => edit({ op: "set", id: material.id, fields: { water: on ? {} : null } })} />
          {material.water && (
            <Fields
              {...own}
              of={material}
              fields={[
                { is: "color", path: "water.tint", label: "Tint" },
                { is: "number", path: "water.clarity_m", label: "Clarity", unit: "m", step: 0.25, scale: "log" },
                { is: "number", path: "water.wave_m", label: "Wave height", unit: "m", step: 0.01, min: 0, max: 10 },
                { is: "number", path: "water.length_m", label: "Wave length", unit: "m", step: 0.1, scale: "log" },
              ]}
            />
          )}
        </>
      )}
      {materials.length > 1 && <Tint level={doc.document} canEdit={canEdit} edit={edit} />}
    </div>
  );
}
