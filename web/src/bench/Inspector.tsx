import { useState } from "react";
import { Trash2 } from "lucide-react";
import type { Document, Light, LightmapState, Operation } from "../api/client";
import { counted } from "../ui/counted";
import { NumberField } from "../ui/NumberField";
import { Fields } from "../ui/fields";
import { Choice, Toggle } from "../ui/rows";
import { airEntities, AirSections } from "./air";
import { fromPanTilt, panTilt } from "./angles";
import { DensityPlan } from "./DensityPlan";
import { EnvironmentSections } from "./Environment";
import { lightKinds, unitOf } from "./kinds";
import { LookSections } from "./look";
import { swatch } from "./layers";
import { bench, useBench } from "./store";

type Props = { doc: Document; state: LightmapState | undefined; canEdit: boolean; edit: (op: Operation) => Promise<unknown> };

/** What is selected, every value exact; or the level's own values. */
export function Inspector(props: Props) {
  const selected = useBench((s) => s.selected);
  const level = props.doc.document;
  const light = level.lights.find((l) => l.id === selected);
  const air = airEntities(level).find((e) => e.entity.id === selected);
  return (
    <aside className="w-[276px] shrink-0 overflow-auto bg-base-100" aria-label="Inspector">
      {light ? <LightInspector key={light.id} {...props} light={light} /> : air ? <AirInspector key={air.entity.id} {...props} air={air} /> : <LevelInspector {...props} />}
    </aside>
  );
}

function Head({ id, name, what, canEdit, edit }: { id: string; name: string; what: string; canEdit: boolean; edit: Props["edit"] }) {
  const [text, setText] = useState<string | null>(null);
  return (
    <div className="section flex items-center gap-2">
      <input
        className="field min-w-0 flex-1 !bg-transparent !px-1 font-semibold"
        aria-label="Name"
        disabled={!canEdit}
        value={text ?? name}
        onChange={(e) => setText(e.target.value)}
        onBlur={() => {
          if (text !== null && text !== name) edit({ op: "set", id, fields: { name: text || null } });
          setText(null);
        }}
        onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
      />
      <span className="dim">{what}</span>
      <button
        className="dim hover:text-error"
        aria-label={`Remove ${name}`}
        title="Remove (undo brings it back)"
        disabled={!canEdit}
        onClick={() => {
          bench.set({ selected: null });
          edit({ op: "remove", id, label: `Remove ${name}` });
        }}
      >
        <Trash2 size={13} />
      </button>
    </div>
  );
}

function LightInspector({ light, doc, state, canEdit, edit }: Props & { light: Light }) {
  const live = useBench((s) => s.live[light.id]);
  const source = state?.sources.find((s) => s.id === light.id);
  const name = light.name || light.id;
  const set = (fields: Record<string, unknown>) => edit({ op: "set", id: light.id, fields }).finally(() => bench.settle(light.id));
  const unit = unitOf(light.kind);
  const has = (...kinds: Light["kind"][]) => kinds.includes(light.kind);
  const off = !canEdit;
  const rig = doc.document.rigs.find((r) => r.id === light.rig);
  return (
    <>
      <Head id={light.id} name={name} what={light.kind} canEdit={canEdit} edit={edit} />
      <div className="section">
        <h3>Light</h3>
        <Toggle label="On" value={light.enabled} disabled={off} onChange={(v) => set({ enabled: v })} />
        <div className="row grid grid-cols-[92px_1fr] items-center gap-2">
          <span className="dim">Kind</span>
          <select className="field" aria-label="Kind" disabled={off} value={light.kind} onChange={(e) => set({ kind: e.target.value })}>
            {lightKinds.map((k) => (
              <option key={k}>{k}</option>
            ))}
          </select>
        </div>
        <NumberField label="Strength" unit={unit} min={0} step={1} scale="log" initial={100} disabled={off} value={live?.strength ?? light.strength} onLive={(v) => bench.live(light.id, { strength: v })} onCommit={(v) => set({ strength: v })} />
        <ColorRow light={light} shown={swatch(source?.color ?? [1, 1, 1])} keyed={!!rig && !light.color && !light.kelvin} disabled={off} set={set} />
        <NumberField label="Temperature" unit="K" min={1000} max={40000} step={100} unset="by colour" disabled={off} value={light.kelvin ?? 0} onCommit={(v) => set({ kelvin: v, color: null })} />
        {!has("directional", "box") && <NumberField label="Range" unit="m" min={0} initial={0} unset="unbounded" disabled={off} value={light.range_m} onCommit={(v) => set({ range_m: v })} />}
        {has("point", "spot", "dome") && <Choice label="Falloff" value={light.falloff} of={["inverse_square", "linear", "smooth", "custom"]} disabled={off} onChange={(v) => set({ falloff: v, ...(v !== "inverse_square" && v !== "custom" && light.range_m === 0 ? { range_m: 8 } : {}) })} />}
        {light.falloff === "custom" &&
          ["a", "b", "c"].map((name, i) => (
            <NumberField key={name} label={`Term ${name}`} min={0} step={0.05} disabled={off} value={light.falloff_terms[i]!} onCommit={(v) => set({ falloff_terms: light.falloff_terms.map((o, k) => (k === i ? v : o)) })} />
          ))}
        {has("spot") && (
          <>
            <NumberField label="Inner cone" unit="°" min={0} max={light.outer_deg} step={1} initial={25} disabled={off} value={light.inner_deg} onCommit={(v) => set({ inner_deg: v })} />
            <NumberField label="Outer cone" unit="°" min={light.inner_deg || 0.1} max={89.9} step={1} initial={40} disabled={off} value={light.outer_deg} onCommit={(v) => set({ outer_deg: v })} />
          </>
        )}
        {has("rect", "box") && (
          <>
            <NumberField label="Width" unit="m" min={0.01} step={0.05} initial={1} disabled={off} value={light.width_m} onCommit={(v) => set({ width_m: v })} />
            <NumberField label="Height" unit="m" min={0.01} step={0.05} initial={1} disabled={off} value={light.height_m} onCommit={(v) => set({ height_m: v })} />
          </>
        )}
        {has("tube") && <NumberField label="Length" unit="m" min={0.01} step={0.05} initial={1.2} disabled={off} value={light.length_m} onCommit={(v) => set({ length_m: v })} />}
        {has("directional", "box") && <NumberField label="Disc" unit="°" min={0} max={90} step={0.1} initial={0} disabled={off} value={light.angular_deg} onCommit={(v) => set({ angular_deg: v })} />}
        {has("point", "spot", "dome", "tube") && <NumberField label="Source radius" unit="m" min={0} step={0.01} initial={0} disabled={off} value={light.radius_m} onCommit={(v) => set({ radius_m: v })} />}
        <NumberField label="Bounce" unit="×" min={0} max={10} step={0.05} initial={1} disabled={off} value={light.bounce_scale} onCommit={(v) => set({ bounce_scale: v })} />
        <NumberField label="Fog share" unit="×" min={0} max={100} step={0.1} initial={0} unset="not in fog" disabled={off} value={light.fog_share} onCommit={(v) => set({ fog_share: v })} />
        <Toggle label="On surfaces" value={light.lights_surfaces} disabled={off} onChange={(v) => set({ lights_surfaces: v })} />
        {has("directional", "box") && <Choice label="Follows" value={light.follows} of={["none", "sun", "moon"]} disabled={off} onChange={(v) => set({ follows: v })} />}
        <Choice label="On platform" value={light.bake} of={["baked", "dynamic", "both"]} disabled={off} onChange={(v) => set({ bake: v })} />
        <Choice label="Flicker" value={light.flicker?.pattern ?? "none"} of={["none", "candle", "faulty", "pulse"]} disabled={off} onChange={(v) => set(v === "none" ? { flicker: null } : { "flicker.pattern": v })} />
        {light.flicker && (
          <>
            <NumberField label="Rate" unit="Hz" min={0.01} max={60} step={0.5} initial={6} disabled={off} value={light.flicker.rate_hz} onCommit={(v) => set({ "flicker.rate_hz": v })} />
            <NumberField label="Depth" min={0} max={1} step={0.05} initial={0.35} disabled={off} value={light.flicker.depth} onCommit={(v) => set({ "flicker.depth": v })} />
          </>
        )}
      </div>
      <div className="section">
        <h3>Shadow</h3>
        <Toggle label="Casts" value={light.shadows.cast} disabled={off} onChange={(v) => set({ "shadows.cast": v })} />
        <NumberField label="Softness" unit="×" min={0} max={4} step={0.05} initial={1} disabled={off} value={light.shadows.softness} onCommit={(v) => set({ "shadows.softness": v })} />
        <NumberField label="Near" unit="m" min={0} step={0.01} initial={0} disabled={off} value={light.shadows.near_m} onCommit={(v) => set({ "shadows.near_m": v })} />
        {!has("directional", "box") && <NumberField label="Reach" unit="m" min={0} step={0.5} initial={0} unset="no end" disabled={off} value={light.shadows.reach_m} onCommit={(v) => set({ "shadows.reach_m": v })} />}
        {light.shadows.reach_m > 0 && <NumberField label="Fade" unit="m" min={0} step={0.1} initial={1} disabled={off} value={light.shadows.fade_m} onCommit={(v) => set({ "shadows.fade_m": v })} />}
        <NumberField label="Depth" min={0} max={1} step={0.05} initial={1} disabled={off} value={light.shadows.depth} onCommit={(v) => set({ "shadows.depth": v })} />
      </div>
      <Place entity={light} turns={light.kind !== "point"} canEdit={canEdit} set={set} />
      <div className="section">
        <h3>Rig</h3>
        {rig ? (
          <p>
            {rig.name || rig.id} <span className="dim">· its key colour holds where the light has none</span>
          </p>
        ) : (
          <p className="dim">none</p>
        )}
      </div>
      {source && (
        <div className="section dim">
          {source.layer ? `Layer baked at ${source.quality}.` : "Layer is stale: bake to see this light where it is now."}
        </div>
      )}
    </>
  );
}

function ColorRow({ light, shown, keyed, disabled, set }: { light: Light; shown: string; keyed: boolean; disabled: boolean; set: (f: Record<string, unknown>) => void }) {
  const live = useBench((s) => s.live[light.id]?.color);
  const [text, setText] = useState<string | null>(null);
  const value = live ?? light.color ?? shown;
  return (
    <div className="row grid grid-cols-[92px_1fr] items-center gap-2">
      <span className="dim">Colour</span>
      <div className="flex items-center gap-1">
        <input
          type="color"
          className="h-[23px] w-7 shrink-0 cursor-pointer bg-transparent"
          aria-label="Colour"
          disabled={disabled}
          value={value}
          onChange={(e) => bench.live(light.id, { color: e.target.value })}
          onBlur={(e) => live && set({ color: e.target.value, kelvin: null })}
        />
        <input
          className="field"
          aria-label="Colour as #rrggbb"
          disabled={disabled}
          value={text ?? (light.color || (keyed ? "key of rig" : light.kelvin ? "by kelvin" : "white"))}
          onFocus={() => setText(light.color ?? shown)}
          onChange={(e) => setText(e.target.value)}
          onBlur={() => {
            if (text && text !== light.color && text !== shown && /^#[0-9a-f]{6}$/i.test(text)) set({ color: text.toLowerCase(), kelvin: null });
            setText(null);
          }}
          onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
        />
      </div>
    </div>
  );
}

function Place({ entity, turns, canEdit, set }: { entity: Pick<Light, "transform">; turns: boolean; canEdit: boolean; set: (f: Record<string, unknown>) => void }) {
  const p = entity.transform.position;
  const { pan, tilt } = panTilt(entity.transform.rotation);
  return (
    <div className="section">
      <h3>Place</h3>
      {["x", "y", "z"].map((axis, i) => (
        <NumberField key={axis} label={`Position ${axis}`} unit="m" step={0.05} disabled={!canEdit} value={p[i]!} onCommit={(v) => set({ "transform.position": p.map((o, k) => (k === i ? v : o)) })} />
      ))}
      {turns && (
        <>
          <NumberField label="Pan" unit="°" step={1} disabled={!canEdit} value={pan} onCommit={(v) => set({ "transform.rotation": fromPanTilt(v, tilt) })} />
          <NumberField label="Tilt" unit="°" min={-90} max={90} step={1} disabled={!canEdit} value={tilt} onCommit={(v) => set({ "transform.rotation": fromPanTilt(pan, v) })} />
        </>
      )}
    </div>
  );
}

function AirInspector({ air: { entity, kind }, doc, canEdit, edit }: Props & { air: ReturnType<typeof airEntities>[number] }) {
  const set = (fields: Record<string, unknown>) => edit({ op: "set", id: entity.id, fields });
  return (
    <>
      <Head id={entity.id} name={entity.name || entity.id} what={kind.name.toLowerCase()} canEdit={canEdit} edit={edit} />
      <div className="section">
        <h3>{kind.name}</h3>
        <Fields of={entity} fields={kind.fields(doc.document)} disabled={!canEdit} set={set} />
      </div>
      <Place entity={entity} turns={kind.turns} canEdit={canEdit} set={set} />
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
function ZoneAmbients({ level, canEdit, edit }: { level: Document["document"]; canEdit: boolean; edit: Props["edit"] }) {
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
          fields={[
            { is: "choice", path: "mode", label: "Zone mode", of: ["indoor", "outdoor"] },
            { is: "choice", path: "play", label: "Play", of: ["none", "compete", "story"] },
            { is: "number", path: "ambient.strength", label: "Zone ambient", unit: "lx", min: 0, step: 0.1, scale: "log", unset: zone.ambient ? undefined : "as the level" },
            { is: "color", path: "ambient.color", label: "Zone colour", when: () => !!zone.ambient },
            { is: "number", path: "ambient.sky_fill", label: "Zone sky fill", unit: "×", min: 0, max: 10, step: 0.01, when: () => !!zone.ambient },
          ]}
        />
      )}
    </div>
  );
}

function LightSections({ doc, state, canEdit, edit }: Props) {
  const level = doc.document;
  const set = (fields: Record<string, unknown>) => edit({ op: "set", fields });
  const off = !canEdit;
  return (
    <>
      <div className="section">
        <h3>Ambient</h3>
        <NumberField label="Strength" unit="lx" min={0} step={0.1} scale="log" initial={0} disabled={off} value={level.environment.ambient.strength} onLive={(v) => bench.live("ambient:level", { strength: v })} onCommit={(v) => set({ "environment.ambient.strength": v }).finally(() => bench.settle("ambient:level"))} />
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
      <p className="dim px-3 py-2">Select a light for its values.</p>
    </>
  );
}
