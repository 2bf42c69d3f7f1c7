import { useState } from "react";
import { NumberField } from "./NumberField";
import { Choice, Toggle } from "./rows";

// Rows of an inspector from a list: what a value is called, where it lies, and
// what it may be.

export type Field = { path: string; label: string; when?: (of: Values) => boolean } & (
  | { is: "number"; unit?: string; min?: number; max?: number; step?: number; scale?: "log"; unset?: string }
  | { is: "toggle" }
  | { is: "choice"; of: readonly string[] }
  | { is: "color"; unset?: string }
  | { is: "pick"; none: string; of: readonly (readonly [string, string])[] }
  | { is: "three"; min?: number; max?: number; step?: number; names?: readonly string[] }
);
export type Values = Record<string, unknown>;

export const valueAt = (of: Values, path: string): unknown => path.split(".").reduce<unknown>((v, key) => (v as Values | undefined)?.[key], of);

type Props = { of: object; fields: readonly Field[]; disabled: boolean; set: (fields: Values) => void; live?: (path: string, v: number) => void };

export function Fields({ of, fields, disabled, set, live }: Props) {
  const values = of as Values;
  return fields
    .filter((f) => !f.when || f.when(values))
    .map((f) => {
      const value = valueAt(values, f.path);
      const commit = (v: unknown) => set({ [f.path]: v });
      switch (f.is) {
        case "number":
          return <NumberField key={f.path} {...f} disabled={disabled} value={(value as number | undefined) ?? 0} onLive={live && ((v) => live(f.path, v))} onCommit={commit} />;
        case "toggle":
          return <Toggle key={f.path} label={f.label} value={Boolean(value)} disabled={disabled} onChange={commit} />;
        case "choice":
          return <Choice key={f.path} label={f.label} value={value as string} of={f.of} disabled={disabled} onChange={commit} />;
        case "color":
          return <HexField key={f.path} label={f.label} value={(value as string | undefined) ?? ""} unset={f.unset} disabled={disabled} onCommit={(v) => commit(v || null)} />;
        case "pick":
          return (
            <div key={f.path} className="row grid grid-cols-[92px_1fr] items-center gap-2">
              <span className="dim">{f.label}</span>
              <select className="field" aria-label={f.label} disabled={disabled} value={(value as string | undefined) ?? ""} onChange={(e) => commit(e.target.value || null)}>
                <option value="">{f.none}</option>
                {f.of.map(([id, name]) => (
                  <option key={id} value={id}>
                    {name}
                  </option>
                ))}
              </select>
            </div>
          );
        case "three": {
          const v = value as number[];
          return [0, 1, 2].map((i) => <NumberField key={f.path + i} label={`${f.label} ${(f.names ?? ["x", "y", "z"])[i]}`} min={f.min} max={f.max} step={f.step} disabled={disabled} value={v[i]!} onCommit={(x) => commit(v.map((o, k) => (k === i ? x : o)))} />);
        }
      }
    });
}

/** A colour, picked or typed; an empty one is none, where that may be. */
export function HexField({ label, value, unset, disabled, onCommit }: { label: string; value: string; unset?: string; disabled: boolean; onCommit: (v: string) => void }) {
  const [text, setText] = useState<string | null>(null);
  const good = (t: string) => /^#[0-9a-f]{6}$/i.test(t);
  const finish = () => {
    if (text !== null && text !== value && (good(text) || (unset && text === ""))) onCommit(text.toLowerCase());
    setText(null);
  };
  return (
    <div className="row grid grid-cols-[92px_1fr] items-center gap-2">
      <span className="dim">{label}</span>
      <div className="flex items-center gap-1">
        <input type="color" className="h-[23px] w-7 shrink-0 cursor-pointer bg-transparent" aria-label={`${label} colour`} disabled={disabled} value={text && good(text) ? text : value || "#ffffff"} onChange={(e) => setText(e.target.value)} onBlur={finish} />
        <input className="field" aria-label={`${label} as #rrggbb`} placeholder={unset} disabled={disabled} value={text ?? value} onChange={(e) => setText(e.target.value)} onBlur={finish} onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()} />
      </div>
    </div>
  );
}
