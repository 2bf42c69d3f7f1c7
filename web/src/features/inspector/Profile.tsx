import { useRef } from "react";
import { useQuery } from "@tanstack/react-query";
import { api, take, type Document, type Operation, type Schemas } from "../../api/client";
import type { Context } from "../../commands";
import { fromPanTilt } from "../../model/angles";
import { freshID } from "../../model/apply";
import type { Thing } from "../../model/things";
import { complain } from "../../ui/messages";

type Props = { doc: Document; things: readonly Thing[]; canEdit: boolean; edit: Context["edit"] };

/** By which profile points and spots shine: one of the level's, or an IES file; with its polar plot. */
export function ProfileSection({ doc, things, canEdit, edit }: Props) {
  const file = useRef<HTMLInputElement>(null);
  const lights = things.filter((t) => t.kind === "point" || t.kind === "spot");
  if (lights.length === 0 || lights.length < things.length) return null;
  const level = doc.document;
  const own = new Set(lights.map((t) => (t.entity as { profile?: string }).profile ?? ""));
  const profile = own.size === 1 ? [...own][0]! : "";
  const set = (fields: Record<string, unknown>, first: readonly Operation[], label: string) =>
    edit({ op: "batch", label, steps: [...first, ...lights.map((t): Operation => ({ op: "set", id: t.id, fields: { ...fields, ...(fields.profile ? hung(t) : {}) } }))] });
  async function read(f: File) {
    const bytes = new Uint8Array(await f.arrayBuffer());
    const name = f.name.replace(/\.[^.]+$/, "").slice(0, 120);
    const id = freshID(level, name);
    const entity = { id, name, data: base64(bytes) };
    set({ profile: id }, [{ op: "add", part: "profiles", entity }], `Shine by ${name}`);
  }
  return (
    <section className="section" aria-label="Profile">
      <div className="flex items-center">
        <label className="flex flex-1 items-center">
          <span className="w-[100px] shrink-0">Profile</span>
          <select className="field flex-1" aria-label="Profile" disabled={!canEdit} value={profile} onChange={(e) => (e.target.value === ":file" ? file.current?.click() : set({ profile: e.target.value || null }, [], "Another profile"))}>
            <option value="">{own.size > 1 ? "several" : "evenly"}</option>
            {level.profiles.map((p) => (
              <option key={p.id} value={p.id}>
                {p.name || p.id}
              </option>
            ))}
            <option value=":file">From an IES file…</option>
          </select>
        </label>
      </div>
      <input
        ref={file}
        type="file"
        hidden
        accept=".ies,.IES"
        aria-label="IES file"
        onChange={(e) => {
          const f = e.target.files?.[0];
          e.target.value = "";
          if (f) read(f).catch(complain);
        }}
      />
      {profile && <Shape doc={doc} profile={profile} onMeasured={canEdit ? (strength) => set({ strength }, [], "As strong as measured") : undefined} />}
    </section>
  );
}

/** A point that was never turned hangs with the axis of its profile down. */
function hung(t: Thing): Record<string, unknown> {
  const rotation = t.entity.transform?.rotation ?? [];
  const turned = t.kind !== "point" || rotation.slice(0, 3).some((v) => v !== 0);
  return turned ? {} : { "transform.rotation": fromPanTilt(0, -90) };
}

function base64(bytes: Uint8Array): string {
  let text = "";
  for (let i = 0; i < bytes.length; i += 0x8000) text += String.fromCharCode(...bytes.subarray(i, i + 0x8000));
  return btoa(text);
}

function Shape({ doc, profile, onMeasured }: { doc: Document; profile: string; onMeasured: ((candela: number) => void) | undefined }) {
  const { id } = doc.level;
  const known = doc.document.profiles.some((p) => p.id === profile);
  const shape = useQuery({
    queryKey: ["profile", id, profile],
    enabled: known,
    retry: 3, // one that was just added is on its way to the service
    queryFn: () => take(api.GET("/api/v1/levels/{id}/profiles/{profile}", { params: { path: { id, profile } } })),
  });
  if (shape.isPending) return <p className="dim mt-1">Reading the profile…</p>;
  if (shape.isError) return <p className="mt-1 text-error">{shape.error.message}</p>;
  const { peak, lumens, luminaire } = shape.data;
  return (
    <div className="mt-2">
      <PolarPlot shape={shape.data} />
      <p className="dim mt-1 text-[11px]">
        {luminaire ? `${luminaire}: ` : ""}
        {round(peak)} cd at its brightest, {round(lumens)} lm as measured
      </p>
      {onMeasured && (
        <button className="btn btn-xs mt-1 w-full" onClick={() => onMeasured(peak)}>
          As strong as measured
        </button>
      )}
    </div>
  );
}

const round = (v: number) => Number(v.toPrecision(4)).toLocaleString("en");

const size = 180;
const middle = size / 2;
const radius = middle - 14;

/** Intensity by direction: the axis points down; the full line is the plane of the light's own X, the dashed one that across it. */
function PolarPlot({ shape }: { shape: Schemas["LuminaireShape"] }) {
  const at = (candela: number, vertical: number, side: number) => {
    const r = (candela / shape.peak) * radius;
    const a = (vertical * Math.PI) / 180;
    return `${(middle + side * r * Math.sin(a)).toFixed(1)},${(middle + r * Math.cos(a)).toFixed(1)}`;
  };
  const line = (right: number, left: number) => {
    const side = (deg: number, sign: number) => shape.planes.find((p) => p.horizontal_deg === deg)!.candela.map((c, i) => at(c, i * 5, sign));
    return [...side(right, 1), ...side(left, -1).reverse()].join(" ");
  };
  return (
    <svg viewBox={`0 0 ${size} ${size}`} className="mx-auto block w-[180px] bg-[#161616]" role="img" aria-label="Intensity by direction">
      {[0.25, 0.5, 0.75, 1].map((share) => (
        <circle key={share} cx={middle} cy={middle} r={share * radius} fill="none" stroke="#333" />
      ))}
      {[0, 30, 60, 90, 120, 150].map((deg) => {
        const [x, y] = [radius * Math.sin((deg * Math.PI) / 180), radius * Math.cos((deg * Math.PI) / 180)];
        return <line key={deg} x1={middle - x} y1={middle - y} x2={middle + x} y2={middle + y} stroke="#2a2a2a" />;
      })}
      <polygon points={line(90, 270)} fill="none" stroke="#a8a8a8" strokeDasharray="3 3" />
      <polygon points={line(0, 180)} fill="#f0c45922" stroke="#f0c459" />
      <text x={middle + 3} y={size - 3} className="fill-[#8a8a8a] text-[9px]">
        {round(shape.peak)} cd
      </text>
    </svg>
  );
}
