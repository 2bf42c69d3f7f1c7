import type { Level } from "../api/client";
import { colorOf, placeOf, taken, thingsOf, unitOfLight } from "./things";
import { forwardOf, poseOf } from "./world";

const columns = ["id", "name", "kind", "on", "x_m", "y_m", "z_m", "toward_x", "toward_y", "toward_z", "strength", "unit", "colour", "range_m", "cone_inner_deg", "cone_outer_deg", "shadows"] as const;

const round = (v: number) => String(Number(v.toFixed(4)));

/** Lights as a table with tabs between, as sheets take it: those of some ids, or all for null.
 *  Places and directions are the level's: metres, y up, right-handed. */
export function lightList(level: Level, ids: readonly string[] | null): string {
  const wanted = ids && new Set(ids.map((id) => taken(id).id));
  const rows = level.lights
    .filter((l) => !wanted || wanted.has(l.id))
    .map((l) => {
      const thing = thingsOf(level).get(l.id)!;
      const place = placeOf(level, thing) ?? [0, 0, 0];
      const toward = forwardOf(poseOf(level, l).rotation);
      const cone = l.kind === "spot" ? [round(l.inner_deg), round(l.outer_deg)] : ["", ""];
      return [l.id, l.name ?? "", l.kind, l.enabled ? "yes" : "no", ...place.map(round), ...toward.map(round), round(l.strength), unitOfLight[l.kind], colorOf(level, thing) ?? "", round(l.range_m), ...cone, l.shadows.cast ? "yes" : "no"];
    });
  return [columns as readonly string[], ...rows].map((r) => r.map((cell) => cell.replace(/[\t\n]/g, " ")).join("\t")).join("\n");
}
