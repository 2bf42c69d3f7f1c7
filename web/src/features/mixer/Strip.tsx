import type { Document, Source } from "../../api/client";
import type { Context } from "../../commands";
import { fromFader, toFader } from "../../model/fader";
import { topOf, unitOf } from "../../ui/kinds";
import { shortIn } from "../../model/names";
import { swatch } from "../../engine/color";
import { bench, useBench, type Live } from "../../model/bench";

// A strip of the mixer: strength, colour, mute and solo of one source act on the view at once
// through the layers; nothing is baked. Strength is saved when it is let go.

export const stripPx = 76;

type StripProps = { source: Source; rig: string; doc: Document; pending: Live | undefined; canEdit: boolean; edit: Context["edit"] };

export function Strip({ source: s, rig, doc, pending, canEdit, edit }: StripProps) {
  const dragged = useBench((b) => b.live[s.id]);
  const live = dragged ?? pending;
  const held = dragged?.settled ? undefined : dragged; // in the hand, and not let go yet
  const muted = useBench((b) => b.muted[s.id] ?? false);
  const solo = useBench((b) => b.solo[s.id] ?? false);
  const selected = useBench((b) => b.selection.includes(s.id));
  const light = doc.document.lights.find((l) => l.id === s.id);
  const key = doc.document.rigs.find((r) => r.id === rig)?.key_strength ?? 1;
  const strength = live?.strength ?? s.strength;
  const top = topOf(s.kind);
  const off = light !== undefined && !light.enabled;
  const unit = unitOf(s.kind);

  function save(total: number, color?: string) {
    const fields: Record<string, unknown> = {};
    let id: string | undefined = s.id;
    if (s.kind === "ambient" || s.kind === "sky_fill") {
      const zone = s.id.slice(s.kind.length + 1);
      const at = zone === "level" ? "environment.ambient" : "ambient";
      id = zone === "level" ? undefined : zone;
      fields[`${at}.${s.kind === "ambient" ? "strength" : "sky_fill"}`] = total;
      if (color) fields[`${at}.color`] = color;
    } else if (s.kind === "sun" || s.kind === "moon") {
      id = undefined;
      fields[`environment.${s.kind}.lux`] = total;
      if (color) Object.assign(fields, { [`environment.${s.kind}.color`]: color, [`environment.${s.kind}.kelvin`]: null });
    } else if (s.kind === "sky") {
      id = undefined;
      fields["environment.sky.luminance"] = total;
    } else if (s.kind === "emissive") {
      id = s.id.slice("emissive:".length);
      fields.emission = total;
    } else {
      if (color) Object.assign(fields, { color, kelvin: null });
      else fields.strength = key > 0 ? Number((total / key).toPrecision(6)) : total;
    }
    edit({ op: "set", ...(id ? { id } : {}), fields, label: `${s.name}: ${color ?? shortIn(total, unit)}` });
    bench.settle(s.id);
  }
  const letGo = () => {
    if (!held) return;
    if (held.strength !== undefined && held.strength !== s.strength) save(held.strength);
    else bench.settle(s.id);
  };

  return (
    <div className={`flex h-full w-[74px] shrink-0 flex-col items-center gap-1 border px-1 pb-1 ${selected ? "border-accent bg-[#262626]" : "border-transparent bg-[#232323]"} ${off ? "dim" : ""}`} data-strip={s.id}>
      <input
        type="color"
        className="h-3 w-full cursor-pointer border-0 bg-transparent p-0"
        aria-label={`Colour of ${s.name}`}
        disabled={!canEdit || s.kind === "sky" || s.kind === "sky_fill" || s.kind === "emissive"}
        value={live?.color ?? swatch(s.color)}
        onChange={(e) => bench.live(s.id, { color: e.target.value })}
        onBlur={(e) => held?.color && save(strength, e.target.value)}
      />
      <input
        type="range"
        className="fader min-h-8 flex-1"
        min={0}
        max={1}
        step={0.005}
        aria-label={`Strength of ${s.name}`}
        aria-valuetext={shortIn(strength, unit)}
        disabled={!canEdit}
        value={toFader(strength, top)}
        onChange={(e) => bench.live(s.id, { strength: fromFader(Number(e.target.value), top) })}
        onPointerUp={letGo}
        onKeyUp={letGo}
        onBlur={letGo}
      />
      <span className="dim whitespace-nowrap">
        {off ? "off" : shortIn(strength, unit)}
      </span>
      <span className="flex gap-1">
        <button className={`h-6 w-6 text-[11px] ${muted ? "bg-[#d8d8d8] text-black" : "bg-base-300"}`} aria-pressed={muted} aria-label={`Mute ${s.name}`} title="Mute in this view" onClick={() => bench.set({ muted: { ...useBench.getState().muted, [s.id]: !muted } })}>
          M
        </button>
        <button className={`h-6 w-6 text-[11px] ${solo ? "bg-[#d8d8d8] text-black" : "bg-base-300"}`} aria-pressed={solo} aria-label={`Solo ${s.name}`} title="Only this, in this view" onClick={() => bench.set({ solo: { ...useBench.getState().solo, [s.id]: !solo } })}>
          S
        </button>
      </span>
      <button className="line-clamp-3 w-full break-words text-center text-[11px] leading-[13px]" title={s.name} onClick={(e) => light && bench.select([s.id], e.shiftKey || e.ctrlKey ? "toggle" : "replace")}>
        {s.name}
      </button>
    </div>
  );
}
