import { useState } from "react";
import type { Document } from "../../api/client";
import type { Context } from "../../commands";
import { NumberField } from "../../ui/NumberField";
import { HexField } from "../../ui/fields";
import { useHand } from "../../ui/hand";
import { Choice, Toggle } from "../../ui/rows";
import { bench } from "../../model/bench";
import type { Gesture } from "../../model/queue";
import { newDisc, titleOf, type Disc, type DiscName } from "../../model/discs";

type Set = (fields: Record<string, unknown>, label?: string, gesture?: Gesture) => void;
type Props = { doc: Document; canEdit: boolean; edit: Context["edit"] };

/** Sky, sun and moon: a level's own light from outside. */
export function EnvironmentSections({ doc, canEdit, edit }: Props) {
  const { sky, sun, moon, mode } = doc.document.environment;
  const set: Set = (fields, label, gesture) => edit({ op: "set", fields, ...(label ? { label } : {}) }, gesture);
  const off = !canEdit;
  return (
    <>
      <div className="section">
        <h3>Sky</h3>
        <Choice label="Mode" value={mode} of={["indoor", "outdoor"]} disabled={off} onChange={(v) => set({ "environment.mode": v })} />
        <Choice label="Kind" value={sky.kind} of={["solid", "gradient", "clear", "overcast", ...(sky.image ? ["image"] : [])]} disabled={off} onChange={(v) => set({ "environment.sky.kind": v })} />
        <NumberField label="Luminance" unit="nt" min={0} step={1} scale="log" initial={0} disabled={off} value={sky.luminance} onLive={(v) => bench.live("sky", { strength: v })} onCommit={(v) => {
            set({ "environment.sky.luminance": v });
            bench.settle("sky");
          }} />
        <HexField label="Zenith" value={sky.color} disabled={off} onCommit={(v) => set({ "environment.sky.color": v })} />
        {sky.kind === "gradient" && <HexField label="Horizon" value={sky.horizon_color} disabled={off} onCommit={(v) => set({ "environment.sky.horizon_color": v })} />}
        {sky.kind !== "solid" && sky.kind !== "image" && <HexField label="Ground" value={sky.ground_color} disabled={off} onCommit={(v) => set({ "environment.sky.ground_color": v })} />}
        {sky.kind === "image" && <NumberField label="Rotation" unit="°" min={-360} max={360} step={1} initial={0} disabled={off} value={sky.rotation_deg} onCommit={(v) => set({ "environment.sky.rotation_deg": v })} />}
        <Toggle label="Lights" value={sky.lights} disabled={off} onChange={(v) => set({ "environment.sky.lights": v })} />
      </div>
      <DiscSection name="sun" disc={sun} disabled={off} set={set} />
      <DiscSection name="moon" disc={moon} disabled={off} set={set} />
    </>
  );
}

function DiscSection({ name, disc, disabled, set }: { name: DiscName; disc: Disc | undefined; disabled: boolean; set: Set }) {
  if (!disc)
    return (
      <div className="section flex items-center justify-between">
        <h3 className="!mb-0">{titleOf[name]}</h3>
        <button className="btn btn-xs" disabled={disabled} onClick={() => set(newDisc(name), `Add a ${name}`)}>
          Add
        </button>
      </div>
    );
  const path = `environment.${name}`;
  const at = (field: string) => `${path}.${field}`;
  const { place } = disc;
  const turned = (field: string) => ({ onHeld: (v: number) => set({ [at(field)]: v }, undefined, { held: field }), onCommit: (v: number) => set({ [at(field)]: v }) });
  return (
    <div className="section">
      <div className="flex items-center justify-between">
        <h3>{titleOf[name]}</h3>
        <button className="dim hover:text-error text-[11px]" disabled={disabled} onClick={() => set({ [path]: null }, `Remove the ${name}`)}>
          Remove
        </button>
      </div>
      <Toggle label="On" value={disc.enabled} disabled={disabled} onChange={(v) => set({ [at("enabled")]: v })} />
      <NumberField label="Strength" unit="lx" min={0} step={1} scale="log" disabled={disabled} value={disc.lux} onLive={(v) => bench.live(name, { strength: v })} onCommit={(v) => {
          set({ [at("lux")]: v });
          bench.settle(name);
        }} />
      <NumberField label="Temperature" unit="K" min={1000} max={40000} step={100} unset="by colour" disabled={disabled} value={disc.kelvin ?? 0} onCommit={(v) => set({ [at("kelvin")]: v, [at("color")]: null })} />
      <HexField label="Colour" value={disc.color ?? ""} disabled={disabled} onCommit={(v) => set({ [at("color")]: v, [at("kelvin")]: null })} />
      <NumberField label="Disc" unit="°" min={0} max={90} step={0.05} initial={0.53} disabled={disabled} value={disc.angular_deg} {...turned("angular_deg")} />
      <Toggle label="By place" value={!!place} disabled={disabled} onChange={(v) => set(v ? { [at("place.at")]: `${new Date().toISOString().slice(0, 11)}12:00:00Z` } : { [at("place")]: null })} />
      {place ? (
        <PlaceFields place={place} disabled={disabled} set={(f, gesture) => set(Object.fromEntries(Object.entries(f).map(([k, v]) => [at(`place.${k}`), v])), undefined, gesture)} />
      ) : (
        <>
          <NumberField label="Azimuth" unit="°" min={-360} max={360} step={1} initial={150} disabled={disabled} value={disc.azimuth_deg} {...turned("azimuth_deg")} />
          <NumberField label="Altitude" unit="°" min={-90} max={90} step={1} initial={35} disabled={disabled} value={disc.altitude_deg} {...turned("altitude_deg")} />
        </>
      )}
      <NumberField label="North" unit="°" min={-360} max={360} step={1} initial={0} disabled={disabled} value={disc.north_deg} {...turned("north_deg")} />
      <div className="mt-1 flex gap-1">
        <button className="btn btn-xs flex-1" disabled={disabled} title={`Click the sky where the ${name} should stand`} onClick={() => bench.set({ tool: { is: "disc-at", of: name } })}>
          Stand there…
        </button>
        <button className="btn btn-xs flex-1" disabled={disabled} title={`Click a surface; the ${name} shines on it from where you stand`} onClick={() => bench.set({ tool: { is: "disc-on", of: name } })}>
          Strike that…
        </button>
      </div>
    </div>
  );
}

function PlaceFields({ place, disabled, set }: { place: NonNullable<Disc["place"]>; disabled: boolean; set: (f: Record<string, unknown>, gesture?: Gesture) => void }) {
  const hand = useHand();
  const minutes = Number(place.at.slice(11, 13)) * 60 + Number(place.at.slice(14, 16));
  const clock = (m: number) => `${String(Math.floor(m / 60)).padStart(2, "0")}:${String(m % 60).padStart(2, "0")}`;
  const [now, setNow] = useState<number | null>(null); // while it is scrubbed
  const scrub = (m: number) => {
    setNow(m);
    set({ at: `${place.at.slice(0, 11)}${clock(m)}:00Z` }, { held: "clock" });
  };
  const letGo = () => {
    setNow(null);
    hand.letGo();
  };
  return (
    <>
      <NumberField label="Latitude" unit="°" min={-90} max={90} step={0.5} disabled={disabled} value={place.latitude_deg} onCommit={(v) => set({ latitude_deg: v })} />
      <NumberField label="Longitude" unit="°" min={-180} max={180} step={0.5} disabled={disabled} value={place.longitude_deg} onCommit={(v) => set({ longitude_deg: v })} />
      <div className="row grid grid-cols-[92px_1fr] items-center gap-2">
        <span className="dim">Day</span>
        <input type="date" className="field" aria-label="Day" disabled={disabled} value={place.at.slice(0, 10)} onChange={(e) => e.target.value && set({ at: `${e.target.value}${place.at.slice(10)}` })} />
      </div>
      <div className="row grid grid-cols-[92px_1fr] items-center gap-2">
        <span className="dim">{clock(now ?? minutes)} UTC</span>
        <input type="range" className="w-full" aria-label="Time of day" min={0} max={1435} step={5} disabled={disabled} value={now ?? minutes} onChange={(e) => scrub(Number(e.target.value))} onPointerUp={letGo} onKeyUp={letGo} onBlur={letGo} />
      </div>
    </>
  );
}
