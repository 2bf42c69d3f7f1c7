import type { HowToRead } from "../api/bringIn";
import { NumberField } from "./NumberField";

// How a file is to be read: what its numbers mean, where the format does not say.

/** The units that files are usually in, and their metres. */
const units: readonly (readonly [string, number])[] = [
  ["metres", 1],
  ["centimetres", 0.01],
  ["millimetres", 0.001],
  ["inches", 0.0254],
  ["feet", 0.3048],
];

const unsaid = (now: boolean, clear: () => void) => ({ words: "not said", now, clear });

const norths = ["x", "-x", "y", "-y", "z", "-z"] as const;

export type ReadingChoices = { platforms: readonly string[]; rules: readonly string[]; scenes?: readonly string[] | undefined };

type Props = {
  how: HowToRead;
  /** What is said where nothing is chosen. */
  none: string;
  /** What there is to choose from, by name. */
  choices: ReadingChoices;
  disabled?: boolean;
  onChange: (how: HowToRead) => void;
};

/** Chooses the unit, the size and the axes of a file, and the rules that hold for it. */
export function ReadingFields({ how, none, choices, disabled = false, onChange }: Props) {
  const unit = units.find(([, m]) => m === how.unit_m)?.[0] ?? (how.unit_m ? "another" : "");
  const at = how.at ?? [0, 0, 0, 0];
  const place = (i: number, v: number) => set({ at: at.map((was, k) => (k === i ? v : was)) });
  const set = (part: Partial<Record<keyof HowToRead, unknown>>) => onChange(Object.fromEntries(Object.entries({ ...how, ...part }).filter(([, v]) => v)) as HowToRead);
  return (
    <div className="grid grid-cols-[repeat(auto-fit,minmax(200px,1fr))] gap-1" role="group" aria-label="How the file is read">
      <Select label="Unit of the file" none={`unit ${none}`} value={unit} of={[...units.map(([name]) => name), ...(unit === "another" ? [unit] : [])]} disabled={disabled} onChange={(v) => set({ unit_m: units.find(([name]) => name === v)?.[1] ?? (v ? how.unit_m : undefined) })} />
      <NumberField label="One unit is" unit="m" min={0} exclusiveMin max={10000} value={how.unit_m ?? 0} none={unsaid(!how.unit_m, () => set({ unit_m: undefined }))} about="Metres in one unit of the file, where it is none of the usual ones" disabled={disabled} onCommit={(v) => set({ unit_m: v })} />
      <Select label="Axis that points up" none={`up ${none}`} value={how.up} of={["y", "z"]} word="up" disabled={disabled} onChange={(v) => set({ up: v })} />
      <Select label="Axis that points north" none={`north ${none}`} value={how.forward} of={norths} word="north" disabled={disabled} onChange={(v) => set({ forward: v })} />
      <Select label="Hand of the axes" none={`hand ${none}`} value={how.handed} of={["right", "left"]} word="-handed" disabled={disabled} onChange={(v) => set({ handed: v })} />
      <Select label="Platform whose unit, axes and import rules hold" none="platform: none said" value={how.platform} of={choices.platforms} disabled={disabled} onChange={(v) => set({ platform: v })} />
      <Select label="Import rules" none="import rules: none said" value={how.rules} of={choices.rules} disabled={disabled} onChange={(v) => set({ rules: v })} />
      <NumberField label="Times" min={0} exclusiveMin max={10000} value={how.scale ?? 0} none={unsaid(!how.scale, () => set({ scale: undefined }))} about="Everything is made so many times as large, whatever the unit" disabled={disabled} onCommit={(v) => set({ scale: v })} />
      {(["x", "y", "z"] as const).map((axis, i) => (
        <NumberField key={axis} label={`Stands at ${axis}`} unit="m" min={-32000} max={32000} value={at[i] ?? 0} none={unsaid(!how.at, () => set({ at: undefined }))} about="Where the file's origin stands in the level" disabled={disabled} onCommit={(v) => place(i, v)} />
      ))}
      <NumberField label="Turned" unit="°" min={-360} max={360} step={15} value={at[3] ?? 0} none={unsaid(!how.at, () => set({ at: undefined }))} about="How far the file is turned there, clockwise seen from above" disabled={disabled} onCommit={(v) => place(3, v)} />
      {choices.scenes && choices.scenes.length > 1 && <Select label="Scene of the file" none={`scene ${none}`} value={how.scene} of={choices.scenes} disabled={disabled} onChange={(v) => set({ scene: v })} />}
    </div>
  );
}

type SelectProps = { label: string; none: string; value: string | undefined; of: readonly string[]; word?: string; disabled: boolean; onChange: (v: string) => void };

function Select({ label, none, value = "", of, word, disabled, onChange }: SelectProps) {
  return (
    <select className="field !bg-base-300" aria-label={label} value={value} disabled={disabled} onChange={(e) => onChange(e.target.value)}>
      <option value="">{none}</option>
      {of.map((v) => (
        <option key={v} value={v}>
          {word === undefined ? v : word.startsWith("-") ? `${v}${word}` : `${v} is ${word}`}
        </option>
      ))}
    </select>
  );
}
