import { useEffect, useRef, useState, type PointerEvent } from "react";

type Props = {
  label: string;
  value: number;
  unit?: string;
  min?: number;
  max?: number;
  step?: number;
  scale?: "linear" | "log";
  initial?: number;
  disabled?: boolean;
  unset?: string; // shown for 0, where 0 means that nothing is set
  onLive?: (v: number) => void;
  onCommit: (v: number) => void;
};

/** A number that is typed exactly, dragged by its label, stepped with the arrows,
 *  and put back to its default by a double click on the label. */
export function NumberField({ label, value, unit, min = -Infinity, max = Infinity, step = 0.1, scale = "linear", initial, disabled, unset, onLive, onCommit }: Props) {
  const [text, setText] = useState<string | null>(null);
  const input = useRef<HTMLInputElement>(null);
  const drag = useRef<{ x: number; from: number; now: number } | null>(null);
  useEffect(() => setText(null), [value]);

  const fit = (v: number) => Math.min(max, Math.max(min, Number(v.toPrecision(7))));
  function finish() {
    if (text === null) return;
    const v = Number(text.replace(",", ".").replace("−", "-"));
    setText(null);
    if (Number.isFinite(v) && text.trim() !== "" && fit(v) !== value) onCommit(fit(v));
  }
  function bump(by: number) {
    const from = text === null ? value : Number(text) || 0;
    onCommit(fit(scale === "log" ? from * (1 + 0.1 * by) + (from === 0 ? by * step : 0) : from + by * step));
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
    d.now = fit(scale === "log" ? Math.max(d.from, step) * Math.exp(dx / 80) : d.from + Math.round(dx / 2) * step);
    setText(String(Number(d.now.toPrecision(4))));
    onLive?.(d.now);
  }
  function up() {
    const d = drag.current;
    drag.current = null;
    if (!d || d.now === d.from) return input.current?.select();
    setText(null);
    onCommit(Number(d.now.toPrecision(4)));
  }
  return (
    <div className="row grid grid-cols-[92px_1fr] items-center gap-2">
      <label className={`dim truncate ${disabled ? "" : "scrub"}`} onPointerDown={down} onPointerMove={move} onPointerUp={up} onDoubleClick={() => initial !== undefined && !disabled && onCommit(initial)} title={initial === undefined ? "Drag to change" : `Drag to change, double click for ${initial}`}>
        {label}
      </label>
      <div className="relative">
        <input
          ref={input}
          className="field pr-7"
          inputMode="decimal"
          aria-label={label}
          disabled={disabled}
          value={text ?? (value === 0 && unset ? unset : String(Number(value.toPrecision(6))))}
          onChange={(e) => setText(e.target.value)}
          onFocus={(e) => e.target.select()}
          onBlur={finish}
          onKeyDown={(e) => {
            if (e.key === "Enter") finish();
            if (e.key === "Escape") setText(null);
            if (e.key === "ArrowUp" || e.key === "ArrowDown") {
              e.preventDefault();
              bump((e.key === "ArrowUp" ? 1 : -1) * (e.shiftKey ? 10 : 1));
            }
          }}
        />
        {unit && <span className="dim pointer-events-none absolute right-2 top-1">{unit}</span>}
      </div>
    </div>
  );
}
