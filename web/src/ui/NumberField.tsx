import { useEffect, useId, useRef, useState, type KeyboardEvent, type PointerEvent } from "react";
import { useHand } from "./hand";
import { takesBack, useDragKeys } from "./useDragKeys";
import { useBench } from "../model/bench";
import { outside, quantity, relative } from "../model/quantity";

type Props = {
  label: string;
  value: number;
  /** The least and the greatest, where several things have different values. */
  span?: readonly [number, number] | undefined;
  unit?: string | undefined;
  min?: number | undefined;
  max?: number | undefined;
  exclusiveMin?: boolean | undefined;
  step?: number | undefined;
  scale?: "linear" | "log" | undefined;
  initial?: number | undefined;
  disabled?: boolean | undefined;
  unset?: string | undefined; // shown for 0, where 0 means that nothing is set
  /** Words while there is no value; an empty text takes the value away. */
  none?: { words: string; now: boolean; clear: () => void } | undefined;
  about?: string | undefined;
  onLive?: ((v: number) => void) | undefined;
  /** Changes the value while the label is dragged, all as one change: it is saved when the label is let go, and taken back by Esc. */
  onHeld?: ((v: number) => void) | undefined;
  onCommit: (v: number, gesture?: string) => void;
  /** Changes each of several values from its own. */
  onEach?: ((next: (v: number) => number, gesture?: string) => void) | undefined;
};

const shown = (v: number) => String(Number(v.toPrecision(6)));

/** A number that is typed exactly, with arithmetic and units, dragged by its label, stepped
 *  with the arrows, and put back to its default by a double click on the label. What cannot be
 *  is said beside it, and the text stays as it was typed. */
export function NumberField(props: Props) {
  const { label, value, span, unit = "", min = -Infinity, max = Infinity, exclusiveMin = false, step = 0.1, scale = "linear", initial, disabled, unset, none, about, onLive, onHeld, onCommit, onEach } = props;
  const hand = useHand();
  const [text, setText] = useState<string | null>(null);
  const [fault, setFault] = useState("");
  const input = useRef<HTMLInputElement>(null);
  const reselect = useRef(false); // once the own value is shown again, so that typing replaces it
  useEffect(() => {
    if (!reselect.current) return;
    reselect.current = false;
    input.current?.select();
  });
  const drag = useRef<{ x: number; from: number; now: number } | null>(null);
  useDragKeys((e) => {
    if (!drag.current || !onHeld || !takesBack(e)) return;
    e.preventDefault();
    e.stopPropagation();
    takeBack();
  });
  const faultID = useId();
  const unitM = useBench((s) => s.unitM);
  // Lengths in the platform's own unit, where that is not the metre.
  const there = unit === "m" && unitM !== 1 && !span && text === null && value !== 0 ? `${Number((value / unitM).toPrecision(4))} u` : "";
  const platformUnits: Record<string, number> = unit === "m" && unitM !== 1 ? { u: unitM } : {};
  const within = (v: number) => Math.min(max, Math.max(min, Number(v.toPrecision(7))));
  const limits = { min, max, exclusiveMin };

  function finish() {
    if (text === null) return;
    if (none && text.trim() === "") {
      leave();
      if (!none.now) none.clear();
      return;
    }
    const change = relative(text, unit, platformUnits);
    if (change && onEach && span) {
      onEach(change);
      return leave();
    }
    const typed = change ? { value: change(value) } : quantity(text, unit, platformUnits);
    const why = "error" in typed ? typed.error : outside(typed.value, limits, unit);
    if ("error" in typed || why) return setFault(why);
    leave();
    const v = Number(typed.value.toPrecision(10));
    if (v !== value || span || none?.now) onCommit(v);
  }
  function leave() {
    setText(null);
    setFault("");
  }
  function bump(by: number) {
    const next = (v: number) => within(scale === "log" ? v * (1 + 0.1 * by) + (v === 0 ? by * step : 0) : v + by * step);
    leave();
    if (span && onEach) onEach(next, `step ${label}`);
    else onCommit(next(value), `step ${label}`);
  }
  function key(e: KeyboardEvent) {
    if (e.key === "Enter") finish();
    if (e.key === "Escape" && text !== null) {
      leave();
      reselect.current = true;
    }
    if (e.key === "ArrowUp" || e.key === "ArrowDown") {
      e.preventDefault();
      bump((e.key === "ArrowUp" ? 1 : -1) * (e.shiftKey ? 10 : 1));
    }
  }
  function down(e: PointerEvent<HTMLLabelElement>) {
    if (disabled || e.button !== 0) return;
    drag.current = { x: e.clientX, from: value, now: value };
    e.currentTarget.setPointerCapture(e.pointerId);
  }
  function move(e: PointerEvent) {
    const d = drag.current;
    if (!d) return;
    const dx = e.clientX - d.x;
    if (Math.abs(dx) < 3 && d.now === d.from) return;
    d.now = within(scale === "log" ? Math.max(d.from, step) * Math.exp(dx / 80) : d.from + Math.round(dx / 2) * step);
    setText(shown(d.now));
    onLive?.(d.now);
    onHeld?.(Number(d.now.toPrecision(4)));
  }
  function takeBack() {
    const d = drag.current;
    if (!d || !onHeld) return;
    drag.current = null;
    leave();
    if (d.now !== d.from) hand.takeBack();
  }
  function up() {
    const d = drag.current;
    drag.current = null;
    if (!d || d.now === d.from) return input.current?.select();
    leave();
    if (onHeld) return hand.letGo();
    const v = Number(d.now.toPrecision(4));
    if (span && onEach && d.from !== 0) onEach((own) => within(Number((own * (v / d.from)).toPrecision(6))));
    else onCommit(v);
  }

  const range = Number.isFinite(min) || Number.isFinite(max) ? `${Number.isFinite(min) ? min : "any"} to ${Number.isFinite(max) ? max : "any"}${unit && ` ${unit}`}` : "";
  const tip = [about, range, initial === undefined ? "" : `default ${initial}${unit && ` ${unit}`}; double click puts it back`, "Drag to change."].filter(Boolean).join("\n");
  const text0 = none?.now ? "" : span ? `${shown(span[0])} to ${shown(span[1])}` : value === 0 && unset ? unset : shown(value);
  return (
    <div className="row grid grid-cols-[92px_1fr] items-center gap-x-2">
      <label className={`dim truncate ${disabled ? "" : "scrub"}`} onPointerDown={down} onPointerMove={move} onPointerUp={up} onPointerCancel={takeBack} onDoubleClick={() => initial !== undefined && !disabled && onCommit(initial)} title={tip}>
        {label}
        {initial !== undefined && !span && value !== initial && <span className="text-accent"> •</span>}
      </label>
      <div className="relative">
        <input
          ref={input}
          className={`field ${there ? "pr-20" : "pr-7"} ${fault ? "!border-error" : ""} ${span ? "italic" : ""}`}
          inputMode="decimal"
          placeholder={none?.words}
          aria-label={label}
          aria-invalid={fault !== ""}
          aria-describedby={fault ? faultID : undefined}
          title={about}
          disabled={disabled}
          value={text ?? text0}
          onChange={(e) => {
            setText(e.target.value);
            setFault("");
          }}
          onFocus={(e) => e.target.select()}
          onBlur={finish}
          onKeyDown={key}
        />
        {unit && (
          <span className="dim pointer-events-none absolute right-2 top-1" title={there && "u: a unit of the platform; it can be typed too, such as 64 u"}>
            {there && <span className="text-[10px]">{there} · </span>}
            {unit}
          </span>
        )}
      </div>
      {fault && (
        <p id={faultID} role="alert" className="col-start-2 pb-1 text-[11px] text-error">
          {fault}
        </p>
      )}
    </div>
  );
}
