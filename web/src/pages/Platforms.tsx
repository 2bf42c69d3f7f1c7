import { usePlatforms } from "../features/data";
import { type Schemas } from "../api/client";
import { Shell } from "../ui/Shell";

type Profile = Schemas["Profile"];

const rows: { label: string; of: (p: Profile) => { most: string; why?: string } | undefined }[] = [
  { label: "Lights", of: (p) => limit(p.limits.lights) },
  { label: "Lights in a zone", of: (p) => limit(p.limits.zone_lights) },
  {
    label: "Shadows at a point",
    of: (p) => p.limits.shadow_overlap && { most: `${p.limits.shadow_overlap.max}, ${p.limits.shadow_overlap.reserve} kept for carried lamps`, why: p.limits.shadow_overlap.why },
  },
  { label: "Lightmap pages", of: (p) => limit(p.limits.lightmap_pages) },
  { label: "Lightmap bytes", of: (p) => limit(p.limits.lightmap_bytes) },
  { label: "Page size", of: (p) => limit(p.limits.page_size) },
  { label: "Light kinds", of: (p) => ({ most: p.lights.kinds.join(", ") }) },
  { label: "Floor light, story", of: (p) => ({ most: `${p.play.story_lux} lx` }) },
  { label: "Floor light, compete", of: (p) => ({ most: `${p.play.compete_lux} lx`, why: p.play.why }) },
  { label: "Left out indoors", of: (p) => leftOut(p.modes.indoor) },
  { label: "Left out outdoors", of: (p) => leftOut(p.modes.outdoor) },
  { label: "Brightest shown", of: (p) => (p.display.light_max > 0 ? { most: `${p.display.light_max} × white`, why: "Light over it is cut on each channel." } : undefined) },
  { label: "Unit, axes", of: (p) => ({ most: `${p.space.unit_m} m, +${p.space.up} up, ${p.space.handed}-handed` }) },
];

function limit(l: Schemas["Limit"] | undefined) {
  return l && { most: l.max.toLocaleString("en"), why: l.why };
}

function leftOut(m: Schemas["Mode"]) {
  return { most: m.leaves_out?.map((part) => (part === "local" ? "lamps" : part)).join(", ") || "nothing", why: m.why };
}

export function Platforms({ user }: { user: string }) {
  const platforms = usePlatforms();
  const items = platforms.data?.items ?? [];
  return (
    <Shell user={user}>
      <h1 className="mb-1 text-base font-semibold">Platforms</h1>
      <p className="dim mb-4">What each target takes. Add your own with grotta platform add FILE.</p>
      {platforms.isError && <p className="text-error">{platforms.error.message}</p>}
      <table className="w-full table-fixed border-collapse bg-base-100">
        <thead>
          <tr>
            <th className="w-40" />
            {items.map(({ profile: p, owner }) => (
              <th key={p.name} className="border-b border-[#101010] px-3 py-2 text-left align-top">
                <div>{p.title}</div>
                <div className="dim font-normal">
                  {p.name}
                  {owner && `, ${owner}'s`}
                </div>
                <div className="dim mt-1 font-normal">{p.note}</div>
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map((r) => (
            <tr key={r.label} className="align-top">
              <th className="dim border-b border-[#101010] px-3 py-2 text-left font-normal">{r.label}</th>
              {items.map(({ profile: p }) => {
                const v = r.of(p);
                return (
                  <td key={p.name} className="border-b border-[#101010] px-3 py-2">
                    {v ? v.most : <span className="dim">no limit</span>}
                    {v?.why && <div className="dim">{v.why}</div>}
                  </td>
                );
              })}
            </tr>
          ))}
        </tbody>
      </table>
    </Shell>
  );
}
