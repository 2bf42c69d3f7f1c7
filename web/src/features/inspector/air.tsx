import { useState } from "react";
import { Plus, X } from "lucide-react";
import type { Document, Level, Operation } from "../../api/client";
import { Fields, type Field, type Values } from "../../ui/fields";
import { useAir } from "../data";
import { freshID } from "../../model/apply";
import { bench } from "../../model/bench";

// The air and what stands in it: a level's or a zone's fog, and every fog volume,
// glow, beam and cloud of motes.

type Edit = (op: Operation, gesture?: string) => void;
type Props = { doc: Document; canEdit: boolean; edit: Edit };

const lightsOf = (l: Level) => l.lights.map((v) => [v.id, v.name || v.id] as const);
const sources = (l: Level) => [["sky", "the sky"] as const, ...lightsOf(l)];

const fogFields = (l: Level): Record<string, Field[]> => {
  const color: (at: string) => Field[] = (at) => [
    { is: "pick", path: `${at}.color_from`, label: "Colour from", none: "its own", of: sources(l) },
    { is: "color", path: `${at}.color`, label: "Colour", when: (f) => !(f[at] as Values).color_from },
    { is: "number", path: `${at}.luminance`, label: "Luminance", unit: "nt", min: 0, scale: "log", when: (f) => (f[at] as Values).color_from !== "sky" },
  ];
  return {
    Haze: [
      { is: "toggle", path: "haze.enabled", label: "On" },
      { is: "number", path: "haze.start_m", label: "Start", unit: "m", min: 0, step: 1 },
      { is: "number", path: "haze.end_m", label: "End", unit: "m", min: 0, step: 1, when: (f) => (f.haze as Values).density === 0 },
      { is: "number", path: "haze.density", label: "Density", unit: "/m", min: 0, max: 100, step: 0.005, unset: "by start, end" },
      { is: "number", path: "haze.max", label: "Most", min: 0, max: 1, step: 0.01 },
      { is: "number", path: "haze.sky_share", label: "On the sky", unit: "×", min: 0, max: 1, step: 0.05 },
      ...color("haze"),
    ],
    "Height fog": [
      { is: "toggle", path: "height.enabled", label: "On" },
      { is: "number", path: "height.base_m", label: "Base", unit: "m", step: 0.25 },
      { is: "number", path: "height.falloff_m", label: "Falloff", unit: "m", min: 0.01, step: 0.1 },
      { is: "number", path: "height.density", label: "Density", unit: "/m", min: 0, max: 100, step: 0.005 },
      { is: "number", path: "height.max", label: "Most", min: 0, max: 1, step: 0.01 },
      ...color("height"),
    ],
    "Lit fog": [
      { is: "choice", path: "lit", label: "Where", of: ["none", "volumes", "everywhere"] },
      { is: "number", path: "phase", label: "Phase", min: -0.9, max: 0.9, step: 0.05 },
    ],
  };
};

/** Whose values are shown: the level's, or a zone's that has its own. */
function Scope({ doc, part, zone, setZone, canEdit, edit }: Props & { part: "fog" | "look"; zone: string; setZone: (id: string) => void }) {
  const level = doc.document;
  const own = level.zones.find((z) => z.id === zone);
  return (
    <div className="section">
      <div className="flex gap-1">
        <select className="field" aria-label={`Whose ${part}`} value={zone} onChange={(e) => setZone(e.target.value)}>
          <option value="">the whole level</option>
          {level.zones.map((z) => (
            <option key={z.id} value={z.id}>
              {z.name || z.id}
              {z[part] ? "" : " (as the level)"}
            </option>
          ))}
        </select>
        {own && (
          <button className="btn btn-xs" disabled={!canEdit} onClick={() => edit({ op: "set", id: zone, fields: { [part]: own[part] ? null : level[part] }, label: own[part] ? `Take ${zone}'s ${part} away` : `Give ${zone} a ${part} of its own` })}>
            {own[part] ? "As the level" : "Make own"}
          </button>
        )}
      </div>
    </div>
  );
}

/** Where an edit of a scope goes, and what it shows. */
export function useScope(props: Props, part: "fog" | "look") {
  const [zone, setZone] = useState("");
  const level = props.doc.document;
  const own = level.zones.find((z) => z.id === zone);
  const values = own ? own[part] : level[part];
  const set = (fields: Values, label?: string) => props.edit({ op: "set", ...(own ? { id: own.id } : {}), fields: Object.fromEntries(Object.entries(fields).map(([k, v]) => [`${part}.${k}`, v])), ...(label ? { label } : {}) });
  return { values, set, zone, choose: <Scope {...props} part={part} zone={zone} setZone={setZone} /> };
}

export function AirSections(props: Props) {
  const { doc, canEdit, edit } = props;
  const level = doc.document;
  const { values, set, zone, choose } = useScope(props, "fog");
  return (
    <>
      {choose}
      {values &&
        Object.entries(fogFields(level)).map(([name, fields]) => (
          <div key={name} className="section">
            <h3>{name}</h3>
            <Fields of={values} fields={fields} disabled={!canEdit} set={set} />
          </div>
        ))}
      <Sight doc={doc} zone={zone} />
      <div className="section">
        <h3>Wind, wetness and stars</h3>
        <Fields
          of={level.environment}
          disabled={!canEdit}
          set={(f) => edit({ op: "set", fields: Object.fromEntries(Object.entries(f).map(([k, v]) => [`environment.${k}`, v])) })}
          fields={[
            { is: "number", path: "wind.from_deg", label: "Wind from", unit: "°", min: -360, max: 360, step: 5 },
            { is: "number", path: "wind.speed_mps", label: "Speed", unit: "m/s", min: 0, max: 60, step: 0.5 },
            { is: "number", path: "wetness", label: "Wetness", min: 0, max: 1, step: 0.05 },
            { is: "number", path: "stars.count", label: "Stars", min: 0, max: 5000, step: 50 },
            { is: "number", path: "stars.lux", label: "Brightest", unit: "lx", min: 0, max: 1, scale: "log", step: 0.00001 },
          ]}
        />
      </div>
      <Sways level={level} canEdit={canEdit} edit={edit} />
      <div className="section">
        <h3>Add</h3>
        <div className="flex flex-wrap gap-1">
          {airParts.map((p) => (
            <button key={p.part} className="btn btn-xs" disabled={!canEdit} onClick={() => add(doc, p, edit)}>
              <Plus size={12} /> {p.name}
            </button>
          ))}
        </div>
      </div>
    </>
  );
}

/** Which meshes bend with the wind, and how. */
function Sways({ level, canEdit, edit }: { level: Level; canEdit: boolean; edit: Edit }) {
  const nameOf = (m: Level["meshes"][number]) => m.name || m.id;
  const still = level.meshes.filter((m) => !m.sways);
  if (level.meshes.length === 0) return null;
  return (
    <div className="section">
      <h3>Sways in the wind</h3>
      {level.meshes
        .filter((m) => m.sways)
        .map((m) => (
          <div key={m.id} role="group" aria-label={nameOf(m)}>
            <div className="row flex items-center gap-2">
              <span className="flex-1 truncate">{nameOf(m)}</span>
              <button className="dim hover:text-error" disabled={!canEdit} aria-label={`Keep ${nameOf(m)} still`} title="Keep it still" onClick={() => edit({ op: "set", id: m.id, fields: { sways: null }, label: `Keep ${nameOf(m)} still` })}>
                <X size={12} />
              </button>
            </div>
            <Fields
              of={m}
              disabled={!canEdit}
              set={(fields) => edit({ op: "set", id: m.id, fields })}
              fields={[
                { is: "number", path: "sways.reach_m", label: "Reach", unit: "m", min: 0, max: 100, step: 0.05 },
                { is: "number", path: "sways.period_s", label: "Period", unit: "s", min: 0.1, max: 600, step: 0.1 },
              ]}
            />
          </div>
        ))}
      {still.length > 0 && (
        <select className="field" aria-label="Let a mesh sway" disabled={!canEdit} value="" onChange={(e) => edit({ op: "set", id: e.target.value, fields: { sways: {} }, label: `Let ${e.target.value} sway` })}>
          <option value="">Let a mesh sway…</option>
          {still.map((m) => (
            <option key={m.id} value={m.id}>
              {nameOf(m)}
            </option>
          ))}
        </select>
      )}
    </div>
  );
}

/** How far one sees in the fog as it is saved. */
function Sight({ doc, zone }: { doc: Document; zone: string }) {
  const report = useAir(doc.level.id, doc.level.revision).data;
  const rows = report?.sight.filter((s) => (s.zone ?? "") === zone) ?? [];
  if (rows.length === 0) return null;
  return (
    <div className="section">
      <h3>A dark thing vanishes</h3>
      {rows.map((s) => (
        <div key={s.size_m} className="row grid grid-cols-[92px_1fr] gap-2">
          <span className="dim">{s.size_m} m wide</span>
          <span>{s.vanish_m >= 19999 ? "not within 20 km" : `at ${s.vanish_m < 100 ? s.vanish_m.toFixed(1) : Math.round(s.vanish_m)} m`}</span>
        </div>
      ))}
      {report!.costs.map((c) => (
        <p key={c.volume} className="dim">
          {c.volume || "Lit everywhere"}: {c.cells.toLocaleString("en")} cells, {c.sources.length} lights, {(c.bytes / 1e6).toFixed(1)} MB
        </p>
      ))}
    </div>
  );
}

type AirPart = { part: "fog_volumes" | "glows" | "beams" | "motes"; name: string; fields: (l: Level) => Field[]; turns: boolean };

export const airParts: AirPart[] = [
  {
    part: "fog_volumes",
    name: "Fog volume",
    turns: false,
    fields: (l) => [
      { is: "toggle", path: "enabled", label: "On" },
      { is: "number", path: "density", label: "Density", unit: "/m", min: 0, max: 100, step: 0.01 },
      { is: "three", path: "size", label: "Size", unit: "m", min: 0.01, step: 0.25 },
      { is: "number", path: "edge_m", label: "Edge", unit: "m", min: 0, step: 0.1 },
      { is: "toggle", path: "lit", label: "Lit" },
      { is: "pick", path: "color_from", label: "Colour from", none: "its own", of: sources(l) },
      { is: "color", path: "color", label: "Colour", when: (v) => !v.color_from },
      { is: "number", path: "luminance", label: "Luminance", unit: "nt", min: 0, scale: "log", when: (v) => v.color_from !== "sky" },
      { is: "number", path: "priority", label: "Priority", min: -1000, max: 1000, step: 1 },
    ],
  },
  {
    part: "glows",
    name: "Glow",
    turns: false,
    fields: (l) => [
      { is: "toggle", path: "enabled", label: "On" },
      { is: "choice", path: "shape", label: "Shape", of: l.images.length > 0 ? ["soft", "ring", "star", "streak", "image"] : ["soft", "ring", "star", "streak"] },
      { is: "pick", path: "image", label: "Image", none: "none", of: l.images.map((v) => [v.id, v.name || v.id] as const), when: () => l.images.length > 0 },
      { is: "number", path: "luminance", label: "Luminance", unit: "nt", min: 0, step: 1, scale: "log" },
      { is: "number", path: "opacity", label: "Opacity", min: 0, max: 1, step: 0.05 },
      { is: "choice", path: "size_mode", label: "Size in", of: ["world", "screen"] },
      { is: "number", path: "size_m", label: "Size", unit: "m", min: 0.01, step: 0.05, when: (v) => v.size_mode === "world" },
      { is: "number", path: "size_share", label: "Size", unit: "×", min: 0.001, max: 2, step: 0.01, when: (v) => v.size_mode === "screen" },
      { is: "pick", path: "color_from", label: "Light that the glow follows", none: "no light", of: lightsOf(l) },
      { is: "color", path: "color", label: "Colour", unset: "white", when: (v) => !v.color_from },
      { is: "number", path: "tolerance_m", label: "Tolerance", unit: "m", min: 0, max: 100, step: 0.05 },
      { is: "number", path: "fade_start_m", label: "Fades from", unit: "m", min: 0, step: 1 },
      { is: "number", path: "fade_end_m", label: "Gone at", unit: "m", min: 0, step: 1, unset: "never" },
    ],
  },
  {
    part: "beams",
    name: "Beam",
    turns: true,
    fields: (l) => [
      { is: "toggle", path: "enabled", label: "On" },
      { is: "choice", path: "form", label: "Form", of: ["cone", "shaft"] },
      { is: "pick", path: "light", label: "Follows", none: "no light", of: lightsOf(l) },
      { is: "number", path: "luminance", label: "Luminance", unit: "nt", min: 0, scale: "log" },
      { is: "number", path: "opacity", label: "Opacity", min: 0, max: 1, step: 0.05 },
      { is: "number", path: "start_m", label: "Start", unit: "m", min: 0, step: 0.05 },
      { is: "number", path: "length_m", label: "Length", unit: "m", min: 0.01, step: 0.5 },
      { is: "number", path: "width", label: "Width", unit: "×", min: 0.01, max: 10, step: 0.05 },
      { is: "number", path: "angle_deg", label: "Half angle", unit: "°", min: 0.1, max: 80, step: 1, when: (v) => v.form === "cone" && !v.light },
      { is: "number", path: "width_m", label: "Opening x", unit: "m", min: 0.01, step: 0.1, when: (v) => v.form === "shaft" },
      { is: "number", path: "height_m", label: "Opening y", unit: "m", min: 0.01, step: 0.1, when: (v) => v.form === "shaft" },
      { is: "number", path: "falloff", label: "Falloff", min: 0, max: 8, step: 0.1 },
      { is: "number", path: "facing", label: "Facing", min: 0, max: 8, step: 0.1 },
      { is: "color", path: "color", label: "Colour", unset: "its light's" },
    ],
  },
  {
    part: "motes",
    name: "Motes",
    turns: true,
    fields: (l) => [
      { is: "toggle", path: "enabled", label: "On" },
      { is: "choice", path: "form", label: "Form", of: ["box", "cone", "shaft"] },
      { is: "three", path: "size", label: "Size", unit: "m", min: 0.01, step: 0.25 },
      { is: "choice", path: "falls", label: "Falls", of: ["none", "rain", "snow", "leaves"] },
      { is: "number", path: "rate_hz", label: "Rate", unit: "/s", min: 0, max: 1000, step: 1 },
      { is: "number", path: "life_s", label: "Life", unit: "s", min: 0.1, max: 60, step: 0.5 },
      { is: "number", path: "size_min_m", label: "Smallest", unit: "m", min: 0.0005, max: 1, step: 0.001 },
      { is: "number", path: "size_max_m", label: "Largest", unit: "m", min: 0.0005, max: 1, step: 0.001 },
      { is: "number", path: "speed_mps", label: "Speed", unit: "m/s", min: 0, max: 20, step: 0.02 },
      { is: "number", path: "wind_share", label: "Wind", unit: "×", min: 0, max: 1, step: 0.05 },
      { is: "number", path: "luminance", label: "Luminance", unit: "nt", min: 0, scale: "log" },
      { is: "number", path: "opacity", label: "Opacity", min: 0, max: 1, step: 0.05 },
      { is: "pick", path: "color_from", label: "Follow", none: "no light", of: lightsOf(l) },
      { is: "color", path: "color", label: "Colour", unset: "its light's" },
      { is: "number", path: "edge_m", label: "Edge", unit: "m", min: 0, max: 100, step: 0.1 },
    ],
  },
];

/** Adds one over the spot that was asked last, or before the first viewpoint. */
function add(doc: Document, { part, name }: AirPart, edit: Edit) {
  const id = freshID(doc.document, name);
  const n = /-(\d+)$/.exec(id)?.[1];
  const asked = bench.asked();
  const position = asked ? [asked[0], asked[1] + 1, asked[2]] : (doc.document.viewpoints[0]?.transform.position ?? [0, 1.5, 0]);
  edit({ op: "add", part, entity: { id, name: n ? `${name} ${n}` : name, transform: { position } }, label: `Add ${name.toLowerCase()}` });
  bench.select([id]);
}
