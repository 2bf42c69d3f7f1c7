import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Copy, History, Pencil, Trash2 } from "lucide-react";
import { useState } from "react";
import { api, take, type Schemas } from "../api/client";
import { usePlatforms } from "../features/data";
import { complain } from "../ui/messages";
import { Shell } from "../ui/Shell";
import { PlatformEditor } from "./PlatformEditor";
import { PresetDetail } from "./presets/PresetDetail";

type Profile = Schemas["Profile"];
type Value = { most: string; why?: string | undefined };

const rows: { label: string; of: (p: Profile) => Value | undefined }[] = [
  { label: "Lights", of: (p) => limit(p.limits.lights) },
  { label: "Lights in a zone", of: (p) => limit(p.limits.zone_lights) },
  { label: "Lights in a view", of: (p) => limit(p.limits.view_lights) },
  { label: "Lights on a surface", of: (p) => limit(p.limits.surface_lights) },
  { label: "Surfaces of a light", of: (p) => limit(p.limits.light_surfaces) },
  { label: "Dynamic lights", of: (p) => limit(p.lights.dynamic) },
  { label: "Shadows at a point", of: (p) => p.limits.shadow_overlap && { most: overlap(p.limits.shadow_overlap), why: p.limits.shadow_overlap.why } },
  { label: "Lightmap pages", of: (p) => limit(p.limits.lightmap_pages) },
  { label: "Lightmap bytes", of: (p) => limit(p.limits.lightmap_bytes) },
  { label: "Page size", of: (p) => limit(p.limits.page_size) },
  { label: "Densities", of: (p) => list(p.limits.densities, " texels a metre") },
  { label: "Build", of: (p) => p.build.minutes && { most: `${p.build.minutes.max} min`, why: [p.build.minutes.why, p.build.machine].filter(Boolean).join(" ") } },
  { label: "Glows", of: (p) => limit(p.limits.glows) },
  { label: "Fog volumes", of: (p) => limit(p.limits.fog_volumes) },
  { label: "Motes at once", of: (p) => limit(p.limits.motes) },
  { label: "Probes", of: (p) => limit(p.limits.probes) },
  { label: "Reflections", of: (p) => limit(p.limits.reflections) },
  { label: "Triangles", of: (p) => limit(p.limits.triangles) },
  { label: "Light kinds", of: (p) => list(p.lights.kinds) },
  { label: "In place of others", of: (p) => list(Object.entries(p.lights.instead ?? {}).map(([a, b]) => `${b} for ${a}`)) },
  { label: "Falloffs", of: (p) => list(p.lights.falloffs) },
  { label: "Not of lights", of: (p) => list(p.lights.left_out) },
  { label: "Fog", of: (p) => list(p.air.fog) },
  { label: "Glow shapes", of: (p) => list([...(p.air.glows ?? []), ...(p.air.glow_sizes ?? [])]) },
  { label: "Not in the air", of: (p) => list(p.air.left_out) },
  { label: "Effects it lacks", of: (p) => p.look.left_out && { most: words(p.look.left_out), why: p.look.why } },
  { label: "Backs of surfaces", of: (p) => ({ most: `${p.lights.backs} light` }) },
  { label: "Floor light, story", of: (p) => ({ most: `${p.play.story_lux} lx` }) },
  { label: "Floor light, compete", of: (p) => ({ most: `${p.play.compete_lux} lx, at most 1 to ${p.play.contrast}`, why: p.play.why }) },
  { label: "Left out indoors", of: (p) => leftOut(p.modes.indoor) },
  { label: "Left out outdoors", of: (p) => leftOut(p.modes.outdoor) },
  { label: "Brightest shown", of: (p) => (p.display.light_max > 0 ? { most: `${p.display.light_max} × white`, why: "Light over it is cut on each channel." } : undefined) },
  { label: "Weaker machines", of: (p) => list(p.tiers?.map((t) => `${t.name} (${Math.round(t.share * 100)} %): no ${words(t.left_out)}`)) },
  { label: "Unit, axes", of: (p) => ({ most: `${p.space.unit_m} m, +${p.space.up} up, ${p.space.handed}-handed` }) },
  { label: "Angles", of: (p) => ({ most: `${p.space.angles.replaceAll("-", ", ")}; heading from the ${p.space.heading}, tilt over 0 looks ${p.space.tilt}` }) },
  { label: "Colour, strength", of: (p) => ({ most: `${p.values.color.replaceAll("_", " ")}, ${p.values.strength}` }) },
];

const words = (names: readonly string[]) => names.join(", ").replaceAll("_", " ");

function list(names: readonly (string | number)[] | undefined, unit = ""): Value | undefined {
  return names && names.length > 0 ? { most: words(names.map(String)) + unit } : undefined;
}

function limit(l: Schemas["Limit"] | undefined): Value | undefined {
  return l && { most: l.max.toLocaleString("en"), why: l.why };
}

function overlap(o: { max: number; reserve: number }) {
  return o.reserve > 0 ? `${o.max}, ${o.reserve} kept for carried lamps` : String(o.max);
}

function leftOut(m: Schemas["Mode"]): Value {
  return { most: m.leaves_out?.map((part) => (part === "local" ? "lamps" : part)).join(", ") || "nothing", why: m.why };
}

type Editing = { name: string; own: boolean };

/** What each target takes, side by side; one's own can be made, changed and removed. */
export function Platforms({ user }: { user: string }) {
  const platforms = usePlatforms();
  const queries = useQueryClient();
  const [hidden, setHidden] = useState<string[]>([]);
  const [editing, setEditing] = useState<Editing | null>(null);
  const [about, setAbout] = useState<Kept | null>(null);
  const all = platforms.data?.items ?? [];
  const items = all.filter((p) => !hidden.includes(p.ref));
  const shownRows = rows.filter((r) => items.some((p) => r.of(p.profile)));
  const remove = useMutation({
    mutationFn: (name: string) => take(api.DELETE("/api/v1/platforms/{name}", { params: { path: { name } } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["platforms"] }),
    onError: complain,
  });
  return (
    <Shell user={user}>
      <h1 className="mb-1 text-base font-semibold">Platforms</h1>
      <p className="dim mb-3">What each target takes. Copy one to begin one of your own; it is shared and has versions as a preset.</p>
      <div className="mb-4 flex flex-wrap gap-x-4" role="group" aria-label="Compare">
        {all.map(({ ref }) => (
          <label key={ref} className="row flex items-center gap-2">
            <input type="checkbox" className="checkbox checkbox-xs" checked={!hidden.includes(ref)} onChange={(e) => setHidden(e.target.checked ? hidden.filter((n) => n !== ref) : [...hidden, ref])} />
            {ref}
          </label>
        ))}
      </div>
      {platforms.isError && <p className="text-error">{platforms.error.message}</p>}
      {all.length > 0 && items.length === 0 && <p className="dim">Choose what is compared.</p>}
      {items.length > 0 && (
        <table className="w-full table-fixed border-collapse bg-base-100">
          <thead>
            <tr>
              <th className="w-36" />
              {items.map(({ profile: p, owner, ref, version }) => (
                <th key={ref} className="border-b border-[#101010] px-3 py-2 text-left align-top">
                  <div>{p.title}</div>
                  <div className="dim font-normal">
                    {p.name}
                    {owner && `, ${owner === user ? "yours" : `${owner}'s`}, version ${version}`}
                  </div>
                  <div className="dim mt-1 font-normal">{p.note}</div>
                  <div className="mt-2 flex gap-1">
                    <button className="btn btn-xs" aria-label={`Copy ${p.name}`} title="Begin one of your own from it" onClick={() => setEditing({ name: ref, own: false })}>
                      <Copy size={12} />
                    </button>
                    {owner && (
                      <button className="btn btn-xs" aria-label={`Versions and sharing of ${p.name}`} title="Versions and sharing" onClick={() => setAbout({ owner, name: p.name })}>
                        <History size={12} />
                      </button>
                    )}
                    {owner === user && (
                      <>
                        <button className="btn btn-xs" aria-label={`Edit ${p.name}`} title="Edit" onClick={() => setEditing({ name: ref, own: true })}>
                          <Pencil size={12} />
                        </button>
                        <button className="btn btn-xs" aria-label={`Remove ${p.name}`} title="Remove" disabled={remove.isPending} onClick={() => remove.mutate(p.name)}>
                          <Trash2 size={12} />
                        </button>
                      </>
                    )}
                  </div>
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {shownRows.map((r) => (
              <tr key={r.label} className="align-top">
                <th className="dim border-b border-[#101010] px-3 py-2 text-left font-normal">{r.label}</th>
                {items.map(({ profile: p, ref }) => (
                  <Cell key={ref} value={r.of(p)} />
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {about && <About key={`${about.owner}/${about.name}`} of={about} user={user} onClose={() => setAbout(null)} />}
      {editing && <PlatformEditor {...editing} onClose={() => setEditing(null)} />}
    </Shell>
  );
}

type Kept = { owner: string; name: string };

/** What a platform that somebody made is as a preset: its versions, who has it, its links. */
function About({ of, user, onClose }: { of: Kept; user: string; onClose: () => void }) {
  const queries = useQueryClient();
  const versions = useQuery({
    queryKey: ["presets", "versions", of.owner, of.name],
    queryFn: () => take(api.GET("/api/v1/presets/{owner}/{name}/versions", { params: { path: of } })),
  });
  const newest = versions.data?.items.reduce((a, b) => (b.version > a.version ? b : a));
  const leave = () => {
    void queries.invalidateQueries({ queryKey: ["platforms"] });
    onClose();
  };
  return (
    <div className="fixed inset-y-0 right-0 z-30 flex shadow-2xl">
      {versions.isError && <p className="bg-base-100 p-4 text-error">{versions.error.message}</p>}
      {newest && <PresetDetail preset={newest} user={user} onClose={leave} onOther={leave} />}
    </div>
  );
}

function Cell({ value: v }: { value: Value | undefined }) {
  return (
    <td className="border-b border-[#101010] px-3 py-2">
      {v ? v.most : <span className="dim">–</span>}
      {v?.why && <div className="dim">{v.why}</div>}
    </td>
  );
}
