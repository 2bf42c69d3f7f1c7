import { useState } from "react";
import { shortHex } from "../engine/color";
import { limitsOf, type Part } from "../model/schema";
import { NumberField } from "./NumberField";
import { Choice, Toggle } from "./rows";

// Rows of an inspector from a list: what a value is called, where it lies, and
// what it may be.

export type Field = { path: string; label: string; when?: (of: Values) => boolean; /** What else is set with it. */ also?: (v: unknown) => Values } & (
  | { is: "number"; unit?: string; min?: number; max?: number; step?: number; scale?: "log"; unset?: string; /** Words while there is no value, and what is taken away to have none. */ none?: string; clears?: string; initial?: number }
  | { is: "toggle" }
  | { is: "choice"; of: readonly string[] }
  | { is: "color"; unset?: string; /** The colour that it has while none is set. */ shown?: (of: Values) => string | undefined }
  | { is: "pick"; none: string; of: readonly (readonly [string, string])[] }
  | { is: "three"; min?: number; max?: number; step?: number; unit?: string; names?: readonly string[]; /** What it is where it is left out. */ initial?: readonly number[] }
);
export type Values = Record<string, unknown>;

export const valueAt = (of: Values, path: string): unknown => path.split(".").reduce<unknown>((v, key) => (v as Values | undefined)?.[key], of);

type Props = {
  /** What has the values: one thing, or several that are changed together. */
  of: object | readonly object[];
  fields: readonly Field[];
  /** The part whose schema gives limits, defaults and words; null for the level. */
  part?: Part | null;
  disabled: boolean;
  set: (fields: Values, gesture?: string) => void;
  /** Changes each of several from its own values. */
  setEach?: (next: (of: Values) => Values, gesture?: string) => void;
  live?: (path: string, v: number) => void;
};

export function Fields(props: Props) {
  const all = (Array.isArray(props.of) ? props.of : [props.of]) as Values[];
  return props.fields.filter((f) => !f.when || all.every((v) => f.when!(v))).map((f) => <FieldRow key={f.path} field={f} all={all} {...props} />);
}

function FieldRow({ field: f, all, part, disabled, set, setEach, live }: Omit<Props, "of" | "fields"> & { field: Field; all: readonly Values[] }) {
  const own = all.map((v) => valueAt(v, f.path));
  const first = own[0];
  const mixed = own.some((v) => JSON.stringify(v) !== JSON.stringify(first));
  const commit = (v: unknown, gesture?: string) => set({ [f.path]: v, ...f.also?.(v) }, gesture);
  switch (f.is) {
    case "number": {
      const limits = part === undefined ? null : limitsOf(part, f.path);
      const numbers = own.map((v) => (v as number | undefined) ?? 0);
      const each = setEach && ((next: (v: number) => number, gesture?: string) => setEach((of) => one(f, next((valueAt(of, f.path) as number | undefined) ?? 0)), gesture));
      return (
        <NumberField
          {...f}
          none={f.none === undefined ? undefined : { words: f.none, now: own.every((v) => v === undefined || v === null), clear: () => set({ [f.clears ?? f.path]: null }) }}
          min={f.min ?? limits?.min}
          max={f.max ?? limits?.max}
          exclusiveMin={limits?.exclusiveMin}
          initial={f.initial ?? limits?.initial}
          about={limits?.about}
          disabled={disabled}
          value={numbers[0]!}
          span={mixed ? [Math.min(...numbers), Math.max(...numbers)] : undefined}
          onLive={live && ((v) => live(f.path, v))}
          onCommit={commit}
          onEach={each}
        />
      );
    }
    case "toggle":
      return <Toggle label={f.label} value={Boolean(first)} mixed={mixed} disabled={disabled} onChange={commit} />;
    case "choice":
      return <Choice label={f.label} value={mixed ? "" : (first as string)} of={f.of} disabled={disabled} onChange={commit} />;
    case "color":
      return <HexField label={f.label} value={mixed ? "" : ((first as string | undefined) ?? "")} unset={mixed ? "several" : f.unset} shown={f.shown?.(all[0]!)} disabled={disabled} onCommit={(v) => commit(v || null)} />;
    case "pick":
      return <Pick label={f.label} value={mixed ? "" : ((first as string | undefined) ?? "")} none={mixed ? "several" : f.none} of={f.of} disabled={disabled} onChange={(v) => commit(v || null)} />;
    case "three":
      return <Three field={f} own={own.map((v) => (v ?? f.initial ?? []) as number[])} disabled={disabled} commit={commit} setEach={setEach} />;
  }
}

const one = (f: Field, v: unknown): Values => ({ [f.path]: v, ...f.also?.(v) });

function Pick({ label, value, none, of, disabled, onChange }: { label: string; value: string; none: string; of: readonly (readonly [string, string])[]; disabled: boolean; onChange: (v: string) => void }) {
  return (
    <div className="row grid grid-cols-[92px_1fr] items-center gap-2">
      <span className="dim">{label}</span>
      <select className="field" aria-label={label} disabled={disabled} value={value} onChange={(e) => onChange(e.target.value)}>
        <option value="">{none}</option>
        {of.map(([id, name]) => (
          <option key={id} value={id}>
            {name}
          </option>
        ))}
      </select>
    </div>
  );
}

type ThreeProps = { field: Field & { is: "three" }; own: readonly number[][]; disabled: boolean; commit: (v: unknown, gesture?: string) => void; setEach: Props["setEach"] };

/** Three numbers in rows of their own. */
function Three({ field: f, own, disabled, commit, setEach }: ThreeProps) {
  return [0, 1, 2].map((i) => {
    const numbers = own.map((v) => v[i] ?? 0);
    const mixed = numbers.some((v) => v !== numbers[0]);
    const put = (list: readonly number[], v: number) => list.map((o, k) => (k === i ? v : o));
    const now = (of: Values) => (valueAt(of, f.path) ?? f.initial) as number[];
    const each = setEach && ((next: (v: number) => number, gesture?: string) => setEach((of) => ({ [f.path]: put(now(of), next(now(of)[i]!)) }), gesture));
    return (
      <NumberField
        key={f.path + i}
        label={`${f.label} ${(f.names ?? ["x", "y", "z"])[i]}`}
        unit={f.unit}
        min={f.min}
        max={f.max}
        step={f.step}
        disabled={disabled}
        value={numbers[0]!}
        span={mixed ? [Math.min(...numbers), Math.max(...numbers)] : undefined}
        onCommit={(v, gesture) => (own.length > 1 && each ? each(() => v, gesture) : commit(put(own[0]!, v), gesture))}
        onEach={each}
      />
    );
  });
}

/** A colour, picked or typed; an empty one is none, where that may be. */
export function HexField({ label, value, unset, shown, disabled, onCommit }: { label: string; value: string; unset?: string | undefined; shown?: string | undefined; disabled: boolean; onCommit: (v: string) => void }) {
  const [text, setText] = useState<string | null>(null);
  const good = (t: string) => /^#([0-9a-f]{6}|[0-9a-f]{12})$/i.test(t);
  const finish = () => {
    if (text !== null && text !== value && (good(text) || (unset && text === ""))) onCommit(text.toLowerCase());
    setText(null);
  };
  return (
    <div className="row grid grid-cols-[92px_1fr] items-center gap-2">
      <span className="dim">{label}</span>
      <div className="flex items-center gap-1">
        <input type="color" className="h-[23px] w-7 shrink-0 cursor-pointer bg-transparent" aria-label={`${label} colour`} disabled={disabled} value={shortHex(text && good(text) ? text : value || shown || "#ffffff")} onChange={(e) => setText(e.target.value)} onBlur={finish} />
        <input className="field" aria-label={`${label} as #rrggbb`} placeholder={unset} disabled={disabled} value={text ?? value} onChange={(e) => setText(e.target.value)} onBlur={finish} onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()} />
      </div>
    </div>
  );
}
